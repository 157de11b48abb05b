"""The firewalls of a plan on real kernels: who should reach what does, and nobody else.

Each machine is a network namespace on two wires, a LAN and a VPN. Source: nft(8), ip-netns(8).
"""

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from kavrel.core.index import Index
from kavrel.core.plan import App, Export, Host, Network, Opening, Plan
from kavrel.core.works.doors import door_works
from kavrel.formats.servers.files import nftables_conf
from tests.builders import job, lab
from tests.conftest import needs

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
    tries = list(expected)
    given = {"machines": machines, "tries": tries, "room": str(tmp_path)}
    (tmp_path / "given.json").write_text(json.dumps(given), encoding="utf-8")
    with (tmp_path / "given.json").open(encoding="utf-8") as said:
        done = subprocess.run(
            ["unshare", "-m", "-n", sys.executable, str(VISITS)],
            stdin=said,
            capture_output=True,
            text=True,
            check=False,
        )
    line = next((x for x in done.stdout.splitlines() if x.startswith("DOORS ")), None)
    assert line, done.stdout + done.stderr
    found = dict(zip(tries, json.loads(line.removeprefix("DOORS ")), strict=True))
    wrong = {k: v for k, v in found.items() if v != expected[k]}
    assert not wrong, wrong


def test_every_job_of_the_demo_lab_finds_its_door(demo: Plan) -> None:
    """Whoever signs in on another box by the plan is let in there, from an address that it has."""
    from kavrel.core.copies.carrier import root_ways

    index = Index(demo)
    for runner, other in root_ways(index):
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
