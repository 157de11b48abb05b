"""The rig's zpool and zfs say what OpenZFS says, word for word and with its exit codes.

Each command is asked of both, of pools that the same setup.sh made: OpenZFS 2.1.11 in the kernel in user space,
and the stand-in. Sizes, shares and times are not compared; nor is the help that follows a complaint.
"""

import re
from datetime import UTC, datetime
from pathlib import Path

import pytest

from kavrel.rig.box import Box
from kavrel.rig.lab import Lab
from tests.outside import uml
from tests.outside.test_pools_for_real import layout, on_kernel, plan_of
from tests.outside.test_zfs_for_real import TWO, stands

pytestmark = [
    pytest.mark.prove,
    pytest.mark.skipif(not uml.can_run(), reason="no user-mode-linux with mdadm here"),
]
PLAN = plan_of(
    [TWO] * 7,
    layout("main", "raidz1", "zfs", range(1, 4)),
    layout("second", "mirror", "zfs", range(4, 6), spares=["box6"]),
    of_bo="",
)
# A line that begins with ! is not compared: it waits, or spoils what lies on the second disk.
SPOILED = "!dd if=/dev/urandom of=/srv/main/data/x bs=1M count=40 2>/dev/null; zpool sync; \
dd if=/dev/zero of=/dev/ubdb bs=1M seek=10 count=200 conv=notrunc 2>/dev/null"
ASKED = f"""\
zpool list
zpool list -H
zpool list main
zpool list -Hp -o name,size,alloc,free,health,frag,dedup
zpool list -o name,health
zpool list -o name,nosuch
zpool list nosuch
zpool status
zpool status -x
zpool status -x main
zpool status -P main
zpool status nosuch
zpool import
zpool import nosuch
zpool import main
zpool get ashift main
zpool get -H ashift,autotrim,comment,feature@encryption main
zpool get -H -o value ashift main
zpool get nosuch main
zpool scrub
zpool clear
zpool offline
zpool offline main
zpool online
zpool online main
zpool replace
zpool replace main
zpool frobnicate
zpool
zfs list
zfs list -H
zfs list -o name,used main/data
zfs list -t snapshot
zfs list -H -t snapshot -o name main
zfs list nosuch
zfs list main/none
zfs list main/data@none
zfs snapshot main/data@one
zfs snapshot main/data@one
zfs list -t snapshot
zfs list -H -t snapshot -o name -r main
zfs list -H -t snapshot -o name main/data
zfs list -Hp -t snapshot -o name,refer,used main/data
zfs list -H main/data@one
zfs list -t all -r main -o name
zfs get quota main/data
zfs get -H quota main/data
zfs get -Hp quota main/data
zfs get -H -o value quota,compression,recordsize,readonly,mounted,encryption,keystatus,type main/data
zfs get -Hp -o value recordsize main/data
zfs get -H -o property,value,source quota,reservation,compression,recordsize,readonly,atime main/data
zfs get -H -o property,value,source compression,recordsize,readonly,atime,mountpoint main
zfs get -H -o source quota main/data@one
zfs get quota nosuch
zfs get nosuchprop main/data
zfs get quota
zfs set quota=20M main/data
zfs get -H -o value,source quota main/data
zfs set readonly=on main/none
zfs destroy main/data@none
zfs destroy main/none
zfs destroy main/data
zfs rollback main/data@one
zfs rollback main/data@none
zfs create main/data
zfs create main/data/child
zfs create main/no/child
zfs destroy main/data/child
zfs clone main/data@one main/seen
zfs get -H -o value,source origin main/seen
zfs destroy main/data@one
zfs destroy main/seen
zfs rename main/data main/other
zfs rename main/other main/data
zfs load-key main/data
zfs load-key main/none
zfs mount main/data
zfs unmount main/data
zfs unmount main/data
zfs mount main/data
zpool scrub main
zpool wait -t scrub main
zpool status main
zpool scrub nosuch
zpool offline main /dev/ubdb
zpool status -x
zpool list -o name,health
zpool offline main /dev/ubdc
zpool offline main /dev/nosuch
zpool online main /dev/ubdb
zpool wait -t resilver main
zpool status main
{SPOILED}
zpool scrub main
zpool wait -t scrub main
zpool status main
zpool status -x
zpool clear main
zpool status -x main
zpool replace main /dev/nosuch /dev/ubdg
zpool replace main /dev/ubda
zpool replace main /dev/ubda /dev/nosuch
zpool replace main /dev/ubda /dev/ubdc
zpool replace main /dev/ubda /dev/ubdd
zpool replace main /dev/ubda /dev/ubdg
zpool wait -t replace main
zpool wait
zpool wait nosuch
zpool status main
zfs destroy -r main/data
zfs list -H -o name
"""
COMMANDS = [c for c in ASKED.splitlines() if not c.startswith("!")]
TELLS = """
t() { "$@" >/run/o 2>/run/e; c=$?; echo "=== $*"; sed 's/^/o|/' /run/o; sed 's/^/e|/' /run/e; echo "c|$c"; }
go 'main\\nsecond\\n' ''
"""


def real(work: Path) -> str:
    script = "".join(f"{c[1:]}\n" if c[0] == "!" else f"t {c}\n" for c in ASKED.splitlines())
    return on_kernel(PLAN, work, TELLS + script, 300)


def by_serial(word: str) -> str:
    """That kernel's disks are ubda, ubdb ...; a box of the rig knows them by their serials."""
    return re.sub(
        r"^/dev/ubd(.)$", lambda m: f"/dev/disk/by-id/ata-SN-{ord(m[1]) - ord('a') + 1}", word
    )


def here(box: Box) -> str:
    told = []
    for command in ASKED.splitlines():
        if command == SPOILED:
            box.lab.drives["box2"].garbled = 134
        if command.startswith("!"):
            continue
        said = box.command([by_serial(w) for w in command.split()])
        told += [f"=== {command}", *(f"o|{x}" for x in said.out.decode().splitlines())]
        told += [*(f"e|{x}" for x in said.err.splitlines()), f"c|{said.code}"]
    return "\n".join(told) + "\n"


def alike(text: str) -> list[str]:
    """One text for each command, without what differs between any two machines."""
    for way, instead in (
        (r"/dev/disk/by-id/ata-SN-(\d)", lambda m: f"/dev/ubd{chr(96 + int(m[1]))}"),
        (r"ata-SN-(\d)", lambda m: f"ubd{chr(96 + int(m[1]))}"),
        (r"/dev/sd(.)1\b", r"/dev/ubd\1"),
        (r"\b\d+(\.\d+)?[BKMGT]\b", "SIZE"),
        (r"\b\d{5,}\b", "SIZE"),
        (r"\b\d+%", "SHARE"),
        (r"(?m)^(o\|\s+\S+ +ONLINE +0 +0 +)[1-9]\d*$", r"\1WRONG"),  # how many hangs on the run
        (r"\bin \d\d:\d\d:\d\d with 0 errors on .*", "AT A TIME"),
        (r"(?s)e\|usage:.*?(?=c\|)", ""),
        (r"(?m)^(..\s*)(.*)$", lambda m: m[1] + " ".join(m[2].split())),  # columns are as wide
    ):
        text = re.sub(way, instead, text)
    return text.split("=== ")[1:]


def test_each_command_is_answered_as_by_openzfs(tmp_path: Path) -> None:
    box = Lab.built(stands(PLAN), tmp_path / "lab", datetime(2026, 11, 24, tzinfo=UTC)).boxes["box"]
    (tmp_path / "kernel").mkdir()
    theirs, ours = alike(real(tmp_path / "kernel")), alike(here(box))
    assert len(theirs) == len(COMMANDS)
    assert [(o, t) for o, t in zip(ours, theirs, strict=True) if o != t] == []
