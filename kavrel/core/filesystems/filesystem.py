"""What a file system declares: what it can do, and what it leaves of the space that it is given."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from kavrel.core.filesystems.space import Space
from kavrel.core.working import step


@dataclass(frozen=True)
class Vdev:
    """One group of disks of a file system that makes its own pool: `parity` 0 for copies of one."""

    disks: tuple[int, ...]  # bytes of each
    parity: int = 0


@dataclass(frozen=True)
class Ground:
    """What a file system is put on.

    `volumes` are bytes of the devices that get one each; `vdevs` the groups of disks where it makes
    its own pool; `copies` is how often a profile of its own keeps each chunk, 0 without one.
    """

    volumes: tuple[int, ...]
    vdevs: tuple[Vdev, ...]
    copies: int
    ashift: int
    record_bytes: int


Room = Callable[[Ground], int]
Worked = Callable[[Ground], Space]


@dataclass(frozen=True)
class Filesystem:
    """A file system.

    `room` is the bytes that ordinary users can fill, `space` the same with its working.
    `copy_on_write`: what is there is never written over, so a cut leaves the state before or
    after, and a full pool is slow. `snapshots`, `checksums`: it has them. `repairs`: it knows
    which copy is right, and mends from its own redundancy. `whole_disks`: it makes its pool of
    the disks itself, with no array below. `profiles`: it can keep chunks several times over
    unlike disks. `by_name`: its pools and datasets go by names, not by identifiers and folders.
    `subvolumes`: a dataset is a subvolume. `encrypts`: a dataset, or the pool, is encrypted by
    the file system itself and can be sent so. `reserves`: it keeps room for a dataset. `quotas`:
    it limits one. `thick_files`: room can be taken for a file beforehand. `guest_replication`:
    hypervisors replicate guests with it. `big_cache`: it uses what memory there is as its cache.
    `sector_shift`: it must be told the sector size. `records`: files lie in records of a size
    that is set. `scrubs_used`: a scrub, and a rebuild of what it mirrors itself, read what is
    used and nothing else. `made` are the flags with which mkfs takes its UUID. `mounted`: the
    options of a mount; `project_quotas`: folders are counted by project numbers, and it is made and
    mounted with the flags of `made_counting` and `mounted_counting` for that; `package`: Debian's, of
    its tools; `checked_at_start`: the start checks it;
    `foreign`: a PC's own system makes it, on one disk;
    `lacks`: how a pool is made that lacks a disk for now. `points_here` and `points_sent` say, for
    somebody who has never seen the lab, how something comes back from a snapshot and from a copy
    that was sent; `{at...}` are
    names that stand on the boxes.
    """

    id: str
    title: str
    room: Room
    space: Worked
    copy_on_write: bool = False
    snapshots: bool = False
    checksums: bool = False
    repairs: bool = False
    whole_disks: bool = False
    profiles: bool = False
    by_name: bool = False
    subvolumes: bool = False
    encrypts: bool = False
    reserves: bool = False
    quotas: bool = False
    thick_files: bool = False
    guest_replication: bool = False
    big_cache: bool = False
    sector_shift: bool = False
    records: bool = False
    scrubs_used: bool = False
    foreign: bool = False
    bare: bool = False  # none at all: whoever gets the device makes one
    project_quotas: bool = False
    made: str = ""
    made_counting: str = ""
    mounted_counting: str = ""
    package: str = ""
    mounted: str = "defaults,noatime"
    checked_at_start: bool = False
    lacks: str = "named as missing to mdadm"
    points_here: tuple[str, ...] = ()
    points_sent: tuple[str, ...] = ()

    def uses(self, field: str) -> bool:
        """Whether a field of a pool means anything with it."""
        used = {"uuid": not self.by_name, "record_kib": self.by_name, "ashift": self.sector_shift}
        return used.get(field, True)

    def allows(self, field: str, choice: str) -> bool:
        """Whether a field of a pool may have a choice with it."""
        return True

    def bring_back(self, at: Any, sent: bool) -> tuple[str, ...]:
        """Steps of bringing something back from a point; see `points_here`. One that says nothing is none."""
        told = (line.format(at=at) for line in (self.points_sent if sent else self.points_here))
        return tuple(line for line in told if line)


def on_each(one: Callable[[int, int], Space]) -> Worked:
    """The space of a file system that is made on each volume by itself; see `Ground.copies`."""

    def whole(ground: Ground) -> Space:
        spaces = [one(v, ground.copies) for v in ground.volumes]
        return spaces[0] if len(spaces) == 1 else joined(spaces)

    return whole


def joined(spaces: Sequence[Space]) -> Space:
    """Several disks, each with a file system of its own."""
    usable = sum(s.usable_bytes for s in spaces)
    return Space(
        total_bytes=sum(s.total_bytes for s in spaces),
        usable_bytes=usable,
        working=step(
            "separately formatted disks",
            usable,
            "bytes",
            "sum over the data disks",
            *(s.working for s in spaces),
        ),
    )
