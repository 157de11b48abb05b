"""What the kernel has loaded is held against the plan: real nft, in a network namespace of its own."""

import os
import random
import subprocess
from datetime import date
from pathlib import Path

import pytest

from kavrel.core.index import Index
from kavrel.core.plan import Plan
from kavrel.core.seen.drifted import Drifted
from kavrel.formats.looks.drifted import whole_drift
from kavrel.formats.looks.read import read_look
from kavrel.formats.servers.files import nftables_conf
from tests.conftest import needs
from tests.core.seen.test_points import machines
from tests.formats.looks.machines import look
from tests.outside.test_doors_whole import some_plan

pytestmark = [
    needs("unshare"),
    needs("nft"),
    pytest.mark.skipif(os.geteuid() != 0, reason="rules of a kernel need root"),
]
TODAY = date(2026, 11, 24)


def rows(plan: Plan, host: str, folder: Path, then: str = "", load: bool = True) -> list[Drifted]:
    """What is said of the firewall once its file is loaded, and something more was typed."""
    (folder / "nftables.conf").write_text(nftables_conf(plan, host, "r"), encoding="utf-8")
    typed = [
        f"nft -f {folder}/nftables.conf" if load else "true",
        then or "true",
        "nft list ruleset",
    ]
    asked = ["unshare", "-n", "sh", "-ec", "\n".join(typed)]
    said = subprocess.run(asked, check=True, capture_output=True, text=True).stdout
    machine = read_look(
        look("box", ("meminfo", "m", "MemTotal: 16384000 kB\n"), ("nft", "nft list ruleset", said)),
        0,
    ).machine
    found = whole_drift(Index(plan), host, machine, TODAY).differences
    return [d for d in found if d.field.startswith("firewall")]


def test_what_the_plan_hands_out_differs_in_nothing_once_it_is_loaded(
    demo: Plan, tmp_path: Path
) -> None:
    # Rules of others, as whatever runs containers has: they let nobody past ours.
    others = "nft add table ip nat; nft 'add chain ip nat DOCK { type nat hook prerouting priority -100; }'"
    for host in ("heron", "wren", "dipper"):
        assert rows(demo, host, tmp_path) == []
        assert rows(demo, host, tmp_path, others) == []
    # As the demo's own machines print it.
    for host, machine in machines(demo).items():
        found = whole_drift(Index(demo), host, machine, TODAY)
        assert [d for d in found.differences if d.field.startswith("firewall")] == []
        assert ("nft" in machine.files) == (not Index(demo).hosts[host].closed)


def test_a_rule_that_nobody_planned_is_urgent_and_a_shut_door_is_not(
    demo: Plan, tmp_path: Path
) -> None:
    opened = "nft add rule inet kavrel input ip saddr 192.168.20.0/24 tcp dport 6379 counter accept"
    (row,) = rows(demo, "heron", tmp_path, opened)
    assert (row.verdict, row.urgent) == ("extra", True)
    assert row.seen == "ip saddr 192.168.20.0/24 tcp dport 6379 accept"
    shut = (
        "n=$(nft -a list table inet kavrel | sed -n 's/.*comment \"NFS\" # handle //p')\n"
        "nft delete rule inet kavrel input handle $n"
    )
    (row,) = rows(demo, "heron", tmp_path, shut)
    assert (row.verdict, row.urgent, row.field) == ("missing", False, "firewall: NFS")
    assert row.seen == "not let in"
    narrower = "nft insert rule inet kavrel input tcp dport 445 drop"
    (row,) = rows(demo, "heron", tmp_path, narrower)
    assert (row.verdict, row.urgent) == ("extra", False)


def test_a_version_that_prints_a_priority_as_a_number_says_the_same(demo: Plan) -> None:
    """Source: nft(8): filter is 0 for the families ip, ip6 and inet."""
    said = nftables_conf(demo, "dipper", "r").replace("priority filter", "priority 0")
    assert "priority 0; policy drop;" in said
    machine = read_look(look("box", ("nft", "nft list ruleset", said)), 0).machine
    found = whole_drift(Index(demo), "dipper", machine, TODAY).differences
    assert [d for d in found if d.field.startswith("firewall")] == []


def test_rules_that_are_not_loaded_leave_everything_open(demo: Plan, tmp_path: Path) -> None:
    for beside in ("", "nft add table inet filter"):
        (row,) = rows(demo, "heron", tmp_path, beside, load=False)
        assert (row.verdict, row.field, row.urgent) == ("missing", "firewall", True)
        assert row.command.startswith("cp nftables.conf /etc/; systemctl enable nftables; nft -f")


def test_a_chain_that_lets_in_what_no_rule_names_is_urgent(demo: Plan, tmp_path: Path) -> None:
    lax = "nft 'chain inet kavrel input { policy accept; }'"
    (row,) = rows(demo, "heron", tmp_path, lax)
    assert (row.verdict, row.field, row.urgent) == ("different", "firewall, input", True)
    assert (row.planned, row.seen) == ("what no rule lets in: drop", "accept")
    # dipper passes no packets on, and drops those that would go through it.
    through = "nft delete chain inet kavrel forward"
    (row,) = rows(demo, "dipper", tmp_path, through)
    assert (row.field, row.seen, row.urgent) == ("firewall, forward", "no such chain", True)


@pytest.mark.parametrize("seed", range(1, 9))
def test_random_labs_are_read_back_from_the_kernel_as_they_were_loaded(
    seed: int, tmp_path: Path
) -> None:
    plan = some_plan(random.Random(seed))
    for host in plan.hosts:
        if not host.closed:
            assert rows(plan, host.id, tmp_path) == []
