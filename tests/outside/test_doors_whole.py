"""The firewalls of a plan on real kernels: who should reach what does, and nobody else.

Each machine is a network namespace on two wires, a LAN and a VPN. Source: nft(8), ip-netns(8).
"""

import ipaddress
import json
import os
import random
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from kavrel.core.bench.meeting import meeting
from kavrel.core.copies.carrier import root_ways
from kavrel.core.index import Index
from kavrel.core.plan import App, Export, Host, Network, Opening, Plan, Supply
from kavrel.core.works.doors import door_works
from kavrel.formats.servers.files import nftables_conf
from tests.builders import disk, job, lab
from tests.conftest import needs
from tests.seeds import some

pytestmark = [
    needs("unshare"),
    needs("nft"),
    needs("ip"),
    pytest.mark.skipif(os.geteuid() != 0, reason="namespaces need root"),
]
VISITS = Path(__file__).parent / "door_visits.py"


def plan() -> Plan:
    """Two boxes, one at home with an address by hand, one away that is known in the VPN only."""
    hosts = (
        Host(
            id="box",
            name="box",
            site="home",
            bays_35=6,
            addressing="static",
            address="192.168.1.10",
            vpn_address="10.9.0.10",
        ),
        Host(id="far", name="far", site="away", bays_35=4, vpn_address="10.9.0.20"),
    )
    exports = (
        Export(
            id="n", protocol="nfs", name="n", dataset="files", clients=("192.168.1.50",), may="read"
        ),
    )
    openings = (
        Opening(id="o1", host="box", port=8443, source="internet", purpose="films"),
        Opening(id="o2", host="box", port=7000, source="vpn", purpose="a panel"),
    )
    pull = job(
        "pull", kind="replication", target_pool="second", credentials="target", alarm_days=3.0
    )
    return lab(
        hosts=hosts,
        networks=(Network(id="lan", name="lan", site="home", range="192.168.1.0/24"),),
        exports=exports,
        openings=openings,
        apps=(App(id="films", name="films", host="box", kind="app", ports=(8096,)),),
        jobs=(pull,),
    )


def test_who_should_reach_a_port_does_and_nobody_else(tmp_path: Path) -> None:
    ours = plan()
    machines = {
        "box": {
            "on": {"lan": "192.168.1.10/24", "vpn": "10.9.0.10/24"},
            "also": ["192.168.9.0/24"],
            "rules": nftables_conf(ours, "box", "revision 1"),
        },
        "far": {"on": {"vpn": "10.9.0.20/24"}, "rules": nftables_conf(ours, "far", "revision 1")},
        "desk": {"on": {"lan": "192.168.1.50/24"}},
        "sofa": {"on": {"lan": "192.168.1.51/24"}, "also": ["10.9.0.0/24"]},
        "guest": {"on": {"lan": "192.168.9.5/24"}, "also": ["192.168.1.0/24"]},
        "phone": {"on": {"vpn": "10.9.0.30/24"}},
    }
    home, over = "192.168.1.10", "10.9.0.10"
    expected = {
        ("desk", home, 22): True,  # an administrator
        ("desk", home, 445): True,
        ("desk", home, 2049): True,  # the one client of that export
        ("sofa", home, 2049): False,
        ("sofa", home, 445): True,
        ("sofa", home, 8096): True,  # an application of the plan
        ("sofa", home, 9999): False,
        ("sofa", home, 7000): False,  # opened to the VPN alone
        ("sofa", over, 7000): False,  # and asked for there, on the LAN's own wire
        ("sofa", over, 8096): True,  # what the LAN may have anyway it has by any address
        ("guest", home, 445): False,  # on the wire, and in no network of the plan
        ("guest", home, 22): False,
        ("guest", home, 8443): True,  # opened to everybody
        ("phone", over, 22): True,  # an administrator on the road
        ("phone", over, 7000): True,
        ("phone", over, 445): False,
        ("phone", over, 8096): False,
        ("far", over, 22): True,  # the job that pulls
        ("far", over, 445): False,
        ("box", "10.9.0.20", 22): True,
        ("phone", "10.9.0.20", 445): False,
        ("sofa", "box:lan", 445): True,  # over IPv6 on the link
        ("sofa", "box:lan", 2049): False,
        ("sofa", "box:lan", 9999): False,
        ("phone", "box:vpn", 7000): False,
    }
    assert not wrong_doors(machines, expected, tmp_path)


def wrong_doors(
    machines: dict[str, Any], expected: dict[tuple[str, str, int], bool], room: Path
) -> dict[tuple[str, str, int], bool]:
    """The tries that came out otherwise than expected, with how."""
    given = {"machines": machines, "tries": list(expected), "room": str(room)}
    done = subprocess.run(
        ["unshare", "-m", "-n", sys.executable, str(VISITS)],
        input=json.dumps(given),
        capture_output=True,
        text=True,
        check=False,
    )
    line = next((x for x in done.stdout.splitlines() if x.startswith("DOORS ")), None)
    assert line, done.stdout + done.stderr
    found = zip(expected, json.loads(line.removeprefix("DOORS ")), strict=True)
    return {one: came for one, came in found if came != expected[one]}


PORTS = (22, 445, 873, 2049, 3493, 7000, 8096, 8443, 9999)


def some_plan(luck: random.Random) -> Plan:
    """Two boxes at home and one away; who is in the VPN, who serves what, and who starts jobs differs."""

    def maybe(value: str) -> str | None:
        return value if luck.random() < 0.6 else None

    by_hand = {"addressing": "static"}
    hosts = (
        Host(id="box", name="box", site="home", bays_35=6, address="192.168.1.10",
             vpn_address=maybe("10.9.0.10"), **by_hand),
        Host(id="near", name="near", site="home", bays_35=4, address=maybe("192.168.1.11"),
             vpn_address=maybe("10.9.0.11"), **by_hand),
        Host(id="far", name="far", site="away", bays_35=4, vpn_address="10.9.0.20"),
    )  # fmt: skip
    clients = luck.sample(
        ["192.168.1.50", "192.168.1.0/24", "10.9.0.30", "10.9.0.20"], luck.randint(1, 2)
    )
    exports = [
        Export(
            id="n", protocol="nfs", name="n", dataset="files", clients=tuple(clients), may="read"
        ),
        Export(
            id="m",
            protocol="rsync",
            name="m",
            dataset="files",
            clients=tuple(reversed(clients)),
            accounts=("ana",),
            may="read",
        ),
    ]
    openings = [
        Opening(id="o1", host="box", port=8443, source="internet", purpose="films"),
        Opening(id="o2", host="far", port=7000, source="vpn", purpose="a panel"),
        Opening(id="o3", host="box", port=7000, source="vpn", purpose="a panel"),
    ]
    login, copies_at = luck.choice(("source", "target")), luck.choice(("near", "far"))
    second = lab().pools[1]
    held = {"host": copies_at, "groups": ((f"{copies_at}1", f"{copies_at}2"),)}
    return lab(
        hosts=hosts,
        disks=(*(disk(n) for n in (1, 2, 3)), *(disk(n, copies_at) for n in (1, 2))),
        pools=(lab().pools[0], second.model_copy(update=held)),
        networks=(Network(id="lan", name="lan", site="home", range="192.168.1.0/24"),)
        * luck.randint(0, 1),
        exports=tuple(luck.sample(exports, luck.randint(0, 2))),
        **({} if luck.random() < 0.5 else {"shares": (), "grants": ()}),
        openings=tuple(luck.sample(openings, luck.randint(0, 3))),
        apps=(App(id="films", name="films", host="near", kind="app", ports=(8096,)),)
        * luck.randint(0, 1),
        jobs=(job("r", kind="replication", target_pool="second", credentials=login),),
        supplies=(Supply(id="u", name="u", site="home", va=900, watts=540, battery_wh=200,
                         hosts=("box", "near"), signals=("box", "near")),) * luck.randint(0, 1),
    )  # fmt: skip


def let_in(ours: Plan, client: tuple[str, str, str], host: Host, port: int) -> bool:
    """Who may come in, read off the plan: a client by its name, the wire it comes by and its address."""
    name, wire, source = client
    at_home = wire == "lan" and host.site == "home"
    asked = {2049: "nfs", 873: "rsync"}.get(port)
    here = [e for e in ours.exports if host.id == "box" and e.protocol == asked]
    doors = [
        port == 22 and (at_home or wire == "vpn"),
        port == 445 and bool(ours.shares) and host.id == "box" and at_home,
        any(
            any(ipaddress.ip_address(source) in ipaddress.ip_network(c) for c in e.clients)
            if e.clients
            else at_home
            for e in here
        ),
        any(port in a.ports and a.host == host.id and at_home for a in ours.apps),
        any(
            o.port == port and o.host == host.id and (o.source == "internet" or wire == "vpn")
            for o in ours.openings
        ),
        port == 3493
        and bool(ours.supplies)
        and host.id == "box"
        and (name == "near" if ours.hosts[1].address else at_home),
    ]
    return any(doors)


@pytest.mark.parametrize(
    "seed", [pytest.param(n, marks=pytest.mark.prove) for n in some(range(1, 9))]
)
def test_random_labs_let_in_whom_their_plan_means_and_nobody_else(
    seed: int, tmp_path: Path
) -> None:
    ours = some_plan(random.Random(seed))
    machines: dict[str, Any] = {}
    for host in ours.hosts:
        on = {"vpn": f"{host.vpn_address}/24"} if host.vpn_address else {}
        if host.site == "home":
            on = {"lan": f"{host.address or '192.168.1.77'}/24", **on}
        machines[host.id] = {"on": on, "rules": nftables_conf(ours, host.id, "revision 1")}
    machines |= {
        "desk": {"on": {"lan": "192.168.1.50/24"}},
        "sofa": {"on": {"lan": "192.168.1.51/24"}},
        "phone": {"on": {"vpn": "10.9.0.30/24"}},
    }
    expected = {}
    for name, machine in machines.items():
        for host in (h for h in ours.hosts if h.id != name):
            for wire, mine in machine["on"].items():
                at = machines[host.id]["on"].get(wire, "").partition("/")[0]
                for port in PORTS if at else ():
                    client = (name, wire, mine.partition("/")[0])
                    expected[name, at, port] = let_in(ours, client, host, port)
    assert not wrong_doors(machines, expected, tmp_path)
    # And each job gets to where it has to, by the address that it is told.
    index = Index(ours)
    for runner, other in root_ways(index.plan):
        here, there = index.hosts[runner], index.hosts[other]
        if here.site != there.site and not here.vpn_address:
            continue  # no wire leads there: a caution says so
        way = meeting(here, there)
        assert (
            way.at in [a.partition("/")[0] for a in machines[other]["on"].values()]
            or way.at == other
        )
        assert expected.get((runner, way.at, 22), way.at == other), (runner, way)


def test_every_job_of_the_demo_lab_finds_its_door(demo: Plan) -> None:
    """Whoever signs in on another box by the plan is let in there, from an address that it has."""
    index = Index(demo)
    for runner, other in root_ways(index.plan):
        box = index.hosts[runner]
        doors = [d for d in door_works(index, other) if d.first == 22 and not d.by_hand]
        mine = {box.address, box.vpn_address}
        assert any(mine & set(d.sources) for d in doors), (runner, other)


def test_a_door_that_nobody_can_be_named_for_is_said_and_not_left_open() -> None:
    """A box away without any address: its firewall line would have to let in everybody."""
    ours = plan()
    hosts = (ours.hosts[0], ours.hosts[1].model_copy(update={"vpn_address": None}))
    text = nftables_conf(ours.model_copy(update={"hosts": hosts}), "box", "revision 1")
    assert "# LEFT: port 22 (tcp) is let in: SSH for the jobs that run on far" in text
    assert "give it one" in text
    containers = (App(id="c", name="c", host="box", kind="container"),)
    assert "policy drop" in text.partition("chain forward")[2]
    open_one = nftables_conf(ours.model_copy(update={"apps": containers}), "box", "revision 1")
    assert "chain forward" not in open_one  # what goes through to containers is not cut
