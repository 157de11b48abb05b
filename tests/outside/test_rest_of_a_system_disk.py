"""The rest of the disk that a box boots from, as a pool: on a real kernel, while the system's part is in use.

Sources: sfdisk of util-linux 2.38, mdadm 4.2, LVM 2.03, cryptsetup 2.6, btrfs-progs 6.2 themselves.
"""

import json
import re
from pathlib import Path

import pytest

from kavrel.core.evaluate import evaluate
from kavrel.core.index import Index
from kavrel.core.paper.restore_sheet import restore_sheet
from kavrel.core.plan import Plan
from kavrel.core.quantities import MIB
from kavrel.core.typed import commands
from kavrel.formats.looks.read import read_look
from kavrel.formats.looks.taking import takes
from tests.builders import TODAY
from tests.conftest import needs
from tests.outside import uml
from tests.outside.test_pools_for_real import (
    LAB_LOOK,
    LOOK,
    is_seen_as_planned,
    named_disks,
    on_kernel,
    plan_of,
    standing,
    words,
)

pytestmark = [
    pytest.mark.prove,
    needs("sfdisk"),
    pytest.mark.skipif(not uml.can_run(), reason="no user-mode-linux with mdadm here"),
]
SYSTEM = 700 * MIB  # where it ends by the plan; in truth a little before
# The system as an installer leaves it: a part that the firmware reads, and its own, which is in use.
INSTALLED = """
printf 'label: gpt\\nsize=99MiB\\nsize=599MiB\\n' | sfdisk -q -w always -W always /dev/ubda
mkfs.ext4 -q /dev/ubda2; mount /dev/ubda2 /boot; echo mine >/boot/file
sfdisk -d /dev/ubda >/run/before
"""
# Arrays are filled at once.
QUICK = "for x in min max; do echo 2000000 >/proc/sys/dev/raid/speed_limit_$x; done; "
SEEN = f"""
echo "system $(cat /boot/file) $(sfdisk -d /dev/ubda | grep -cxFf /run/before)"
sfdisk -d /dev/ubda | sed -n 's/^\\/dev\\/ubda3 : //p' | sed 's/^/rest /'
{LAB_LOOK}
"""


def boots_from_data(
    family: str, filesystem: str, groups: list[list[str]], **fields: object
) -> Plan:
    """A box that boots from its first disk, and a pool of the rest of it and of others."""
    one = {"id": "pair", "family": family, "filesystem": filesystem, "groups": groups, **fields}
    plan = plan_of([3_000_000_512, 2_500_000_768, 2_500_000_768], one, of_bo="")
    box = plan.hosts[0].model_copy(update={"boot_disk": "box1", "system_bytes": SYSTEM})
    return plan.model_copy(update={"hosts": (box,)})


CASES = {
    "a mirror with a whole disk": boots_from_data("mirror", "ext4", [["box1", "box2"]]),
    "alone, locked": boots_from_data("span", "xfs", [["box1"]], encrypted=True),
    "Btrfs": boots_from_data("copies2", "btrfs", [["box1", "box2", "box3"]]),
    "joined": boots_from_data("span", "ext4", [["box1", "box3"]]),
}


@pytest.mark.parametrize("case", CASES)
def test_the_rest_becomes_the_pool_and_the_system_goes_on(case: str, tmp_path: Path) -> None:
    plan = CASES[case]
    answers = "pair\\n" + ("secret words\\nsecret words\\n" if plan.pools[0].encrypted else "")
    said = on_kernel(
        plan,
        tmp_path,
        f"{LOOK}{INSTALLED}go '{answers}'; echo code $code; cat /run/said >/mnt/job/first; look; {SEEN}"
        f"go 'pair\\n'; echo again $code; grep '^+ ' /run/said | sed 's/^/more /'\n",
    )
    first = (tmp_path / "first").read_text()
    assert "code 0" in said, first
    assert "again 0" in said, said
    assert "of box 1 serial SN-1" in first
    assert "/dev/ubda3, which is not there yet" in first
    assert "wipefs -q -a /dev/ubda3" in first
    assert not re.search(r"wipefs [^/]*/dev/ubda( |$)", first, re.M)
    # What the system has is as it was: both rows of its table, and its file.
    assert "system mine " in said
    assert int(words(said, "system")["mine"]) >= 6
    rest = re.search(r"^rest start= *(\d+), size= *(\d+)", said, re.M)
    assert rest, said
    assert int(rest[2]) * 512 == evaluate_bytes(plan)
    assert int(rest[1]) % 2048 == 0
    is_seen_as_planned(tmp_path, plan)
    # Run again it makes nothing that is there.
    assert not re.findall(r"^more .*(?:sfdisk|wipefs|mkfs|mdadm|vgcreate|luksFormat).*", said, re.M)
    # A plan that knew nothing of the box takes over that it boots from there, and how much that leaves.
    document = named_disks(json.loads((tmp_path / "look.json").read_text()))
    machine = read_look(json.dumps(document).encode(), 0).machine
    empty = Plan(name="mine")
    taken = takes(empty, machine, None, TODAY).into(empty)
    (host,), index = taken.hosts, Index(taken)
    assert index.disks[host.boot_disk or ""].serial == "SN-1"
    assert 0 <= evaluate_bytes(plan) - index.data_bytes(host.boot_disk or "") <= 2 * MIB
    # The room that the plan reckons with is there.
    mounted = next(x.split()[1:] for x in said.splitlines() if "/srv/pair " in x)
    usable = evaluate(plan, TODAY).pools[0].layout.usable_bytes
    assert int(mounted[4]) >= 0.999 * usable


def evaluate_bytes(plan: Plan) -> int:
    """What is for data of the disk that it boots from, by hand: whole MiB, less two for the table."""
    return (plan.disks[0].capacity_bytes - SYSTEM) // MIB * MIB - 2 * MIB


def test_a_system_that_takes_more_than_planned_is_left_as_it_is(tmp_path: Path) -> None:
    plan = CASES["a mirror with a whole disk"]
    box = plan.hosts[0].model_copy(update={"system_bytes": 600 * MIB})
    said = on_kernel(
        plan.model_copy(update={"hosts": (box,)}),
        tmp_path,
        f"{LOOK}{INSTALLED}go 'pair\\n'; echo code $code; grep LEFT /run/said\n"
        "sfdisk -d /dev/ubda >/run/after; cmp /run/before /run/after && echo same\n"
        "blkid -p /dev/ubdb || echo bare\n",
    )
    assert "code 7" in said
    assert (
        "pool pair was not made: box 1: behind the system there are 2162 MiB left on /dev/ubda"
        in said
    )
    assert "same" in said.splitlines()
    assert "bare" in said.splitlines()


def test_a_disk_that_died_is_replaced_behind_the_system_by_what_the_sheet_says(
    tmp_path: Path,
) -> None:
    plan = CASES["a mirror with a whole disk"]
    stands = standing(plan)
    (section,) = [
        s
        for s in restore_sheet(stands, evaluate(stands, TODAY), "r").sections
        if s.title == "a disk dies: pool pair"
    ]
    cut = [c.replace("NEW", "/dev/ubdd") for c in commands(section.facts[0].how[0]) if "NEW" in c]
    steps = [c for s in section.steps for c in commands(s.text)]
    (out,) = [c for c in steps if "--remove" in c]
    (into,) = [c for c in steps if "--add" in c]
    typed = [
        *[c for c in cut if "lsblk" not in c and "wipefs" not in c],
        out.replace("OLD", "/dev/ubda3"),
        into.replace("NEW", "/dev/ubdd3"),
    ]
    assert len(typed) == 4
    said = on_kernel(
        plan,
        tmp_path,
        f"{LOOK}{INSTALLED}go 'pair\\n'; echo code $code; {QUICK}mdadm --wait /dev/md/pair\n"
        f"{INSTALLED.replace('ubda', 'ubdd').replace('/boot', '/media')}set -e\n"
        + "\n".join(typed)
        + "\nmdadm --wait /dev/md/pair || :; mdadm --detail /dev/md/pair\necho file $(cat /media/file)\n",
        more=(3_000_000_512,),
    )
    assert "code 0" in said
    assert re.search(r"State : (clean|active) *$", said, re.M), said
    assert re.search(r"active sync .*/dev/ubdd3", said)
    assert "ubda3" not in said.partition("Number")[2]
    assert "file mine" in said
