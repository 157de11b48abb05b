"""What is no file of anybody's: the disks by their serials below /dev, the state of arrays, /etc/crypttab."""

from fnmatch import fnmatchcase

from kavrel.rig.box import Box
from kavrel.rig.layers import Layers, drives
from kavrel.rig.said import Said, failed, lines
from kavrel.rig.tools import folders
from kavrel.rig.tools.blocks import mdstat

BY_ID = "/dev/disk/by-id"


def ls(box: Box, words: list[str], stdin: bytes) -> Said:
    """Ls of the disks that answer, by the names that say their serials; of any folder else."""
    flags, _, paths = folders.split(words)
    if not paths or paths[0].rstrip("/") != BY_ID:
        return folders.ls(box, words, stdin)
    rows = []
    for path, drive in drives(box):
        name = f"ata-{drive.disk.serial or drive.disk.id}"
        rows.append(f"{name} -> ../..{path.removeprefix('/dev')}" if "l" in flags else name)
    return lines(*sorted(rows))


def cat(box: Box, words: list[str], stdin: bytes) -> Said:
    """Cat of the arrays' state, and of what is locked; of any file else."""
    if words == ["/proc/mdstat"]:
        return Said(0, mdstat(box).encode())
    if words and words[-1].startswith("/sys/block/"):
        return _counts(box, words[-1])
    if words == ["/etc/crypttab"]:
        return lines(*(lock.line for lock in Layers(box).locks))
    return folders.cat(box, words, stdin)


def _counts(box: Box, asked: str) -> Said:
    """Sectors that differed when an array was checked last: nothing garbles its blocks here.

    Source: md(4), SYSFS INTERFACE.
    """
    arrays = [a for a in Layers(box).arrays if a.level != "0"]
    names = [f"{a.block.path.replace('/dev', '/sys/block')}/md/mismatch_cnt" for a in arrays]
    there = [name for name in names if fnmatchcase(name, asked)]
    return (
        lines(*("0" for _ in there))
        if there
        else failed(f"cat: {asked}: No such file or directory")
    )
