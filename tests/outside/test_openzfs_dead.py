"""What OpenZFS says of pools whose disks die, are missing at a start or are too few: the rig says it, too.

The disks of the kernel in user space are dm's, so that one can stop answering while its pool is at work. How
many tries a kernel counted until it gave a disk up is not compared: that hangs on the moment.
"""

import re
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

import pytest

from kavrel.rig.box import Box
from kavrel.rig.lab import Lab
from tests.outside import uml
from tests.outside.test_openzfs_words import TELLS, alike
from tests.outside.test_pools_for_real import layout, on_kernel, plan_of
from tests.outside.test_zfs_for_real import TWO, stands

pytestmark = [
    pytest.mark.prove,
    pytest.mark.skipif(not uml.can_run(), reason="no user-mode-linux with mdadm here"),
]
PLAN = plan_of(
    [TWO] * 9,
    layout("main", "raidz1", "zfs", range(1, 4)),
    layout("second", "mirror", "zfs", range(4, 6)),
    layout("third", "stripe", "zfs", range(6, 8)),
    of_bo="",
)
# `dies N`, `starts without N ...` and `is back N` are done to both; `%N` is the disk, `/%N` a path of it.
ASKED = """\
zpool status main
dies 2
zpool status main
zpool status -x
zpool list -o name,health
zpool scrub main
zpool wait -t scrub main
zpool status main
zpool offline main %2
zpool status main
zpool online main %2
zpool status main
zpool replace main %2 /%8
zpool wait -t replace main
zpool status main
starts without 3
zpool status main
zpool status -x main
zpool list -o name,health
zpool import
zpool offline main %3
zpool online main %3
zpool scrub main
zpool wait -t scrub main
zpool status main
zpool replace main %3 /%9
zpool wait -t replace main
zpool status main
starts without 1 8
zpool import
zpool import main
zpool status main
zpool list -o name,health
zfs list -H -o name
starts without 6
zpool import
zpool import third
starts without 6 7
zpool import
zpool import third
starts without
zpool status
dies 4
zpool status second
dies 5
zpool status second
zpool status -x
zpool list -o name,health
zpool scrub second
zpool offline second %4
zpool online second %4
zpool get -H -o value health second
zpool clear second
is back 4 5
zpool clear second
zpool get -H -o value health second
"""
COMMANDS = [c for c in ASKED.splitlines() if c.startswith(("zpool", "zfs"))]
DISKS = "abcdefghi"
SHELL = """
for n in 1 2 3 4 5 6 7 8 9; do
  d=/dev/ubd$(echo abcdefghi | cut -c $n)
  dmsetup --noudevsync create m$n --table "0 $(blockdev --getsz $d) linear $d 0"; dmsetup mknodes
  ln -sf /dev/mapper/m$n /run/by-id/ata-X_SN-$n
done
turns() { # its number, what it is now
  dmsetup suspend --noflush m$1; dmsetup load m$1 --table "0 $(dmsetup table m$1 | cut -d ' ' -f 2) $2"
  dmsetup --noudevsync resume m$1
}
dies() {
  turns $1 error
  for pool in $(zpool list -H -o name); do
    (dd if=/dev/urandom of=/srv/$pool/data/more bs=1M count=8; timeout 9 zpool sync $pool) >/dev/null 2>&1 &
  done
  for _ in $(seq 90); do # until the kernel has given it up, or all of a pool stands still
    zpool status 2>/dev/null | grep -q -e "m$1 .*FAULTED" -e SUSPENDED && break; sleep 1
  done
}
is_back() { for n in $*; do turns $n "linear /dev/ubd$(echo abcdefghi | cut -c $n) 0"; done; }
mkdir -p /run/out/mapper
starts_without() {
  zpool export -a; (cd /run/out; for node in dm-* ubd* mapper/*; do mv $node /dev/$node; done) 2>/dev/null
  for n in $*; do # by none of its names
    for node in mapper/m$n dm-$((n - 1)) ubd$(echo abcdefghi | cut -c $n); do mv /dev/$node /run/out/$node; done
  done
  zpool import -a >/dev/null 2>&1
}
"""


def real(work: Path) -> str:
    lines = []
    for line in ASKED.splitlines():
        if line in COMMANDS:
            lines.append(
                "t " + re.sub(r" %(\d)", r" m\1", re.sub(r"/%(\d)", r"/dev/mapper/m\1", line))
            )
        else:
            lines.append(re.sub(r"^(starts|is) ", r"\1_", line))
    told, _, _ = TELLS.partition("\ngo ")
    script = "\n".join([SHELL, told, "go 'main\\nsecond\\nthird\\n' ''", *lines, ""])
    said = on_kernel(PLAN, work, script, 300)
    for way, instead in (
        (r"/dev/mapper/m(\d)", r"/dev/disk/by-id/ata-SN-\1"),
        (r"\bm(\d)\b", r"ata-SN-\1"),
    ):
        said = re.sub(way, instead, said)
    return said


def here(box: Box) -> str:
    lab = box.lab

    def turned(alive: bool) -> Callable[[str], None]:
        def turn(disk: str) -> None:
            lab.drives[f"box{disk}"].alive = alive
            lab.changed()

        return turn

    told = []
    for line in ASKED.splitlines():
        words = line.split()
        if words[0] == "dies":
            turned(False)(words[1])
        elif words[0] == "is":
            for disk in words[2:]:
                turned(True)(disk)
        elif words[0] == "starts":
            for drive in lab.drives.values():
                drive.alive = drive.disk.id.removeprefix("box") not in words[2:]
            lab.changed()
            lab.restarted(box)
        else:
            by_id = re.sub(
                r" %(\d)", r" ata-SN-\1", re.sub(r"/%(\d)", r"/dev/disk/by-id/ata-SN-\1", line)
            )
            said = box.command(by_id.split())
            told += [f"=== {by_id}", *(f"o|{x}" for x in said.out.decode().splitlines())]
            told += [*(f"e|{x}" for x in said.err.splitlines()), f"c|{said.code}"]
    return "\n".join(told) + "\n"


def test_dead_and_missing_disks_are_told_as_by_openzfs(tmp_path: Path) -> None:
    box = Lab.built(stands(PLAN), tmp_path / "lab", datetime(2026, 11, 24, tzinfo=UTC)).boxes["box"]
    (tmp_path / "kernel").mkdir()
    theirs, ours = whatever(real(tmp_path / "kernel")), whatever(here(box))
    assert len(theirs) == len(COMMANDS)
    assert [(o, t) for o, t in zip(ours, theirs, strict=True) if o != t] == []


def whatever(text: str) -> list[str]:
    """One text for each command, without what differs between any two runs."""
    for way, instead in (
        (r"-part1\b", ""),
        (r"(?m)^(o\|\s+\S+ +[A-Z]+) +(?!0 +0 +0\b)\d+ +\d+ +\d+", r"\1 COUNTED"),
        (r"\d+ data errors", "WRONG data errors"),
    ):
        text = re.sub(way, instead, text)
    return alike(text)
