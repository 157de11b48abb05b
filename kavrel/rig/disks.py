"""Disks that can die, and what a pool of them still is, group by group, by its family's rule."""

from collections.abc import Collection
from dataclasses import dataclass, field
from typing import Literal
from uuid import NAMESPACE_OID, uuid5

from kavrel.core.plan import Disk, Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.rig.smart.disk import SelfTest

Health = Literal["ONLINE", "DEGRADED", "LOST"]


@dataclass(slots=True)
class Drive:
    """One disk: where it is, whether it answers, and what it says of itself.

    `host` and `bay`, or `site` when it lies on a shelf there; neither once it burned or was stolen.
    `loose`: its cable is off; it does not answer, and nothing is wrong with it. `slow`: it answers, after
    seconds, and all wait for it. `kicked`: it answers, and its array does without it. `frail`: it dies
    when all of it is read to fill another. `cut`: the bytes of its parts, where somebody cut it by hand.
    `sealed`: somebody locked it by hand, and it is open under the name `mapped`. `frayed`: its plug sits
    badly, and now and then a block arrives wrong; `garbled` so many did since its counters were cleared,
    `doubted`: nothing has read all of it since. `tests`: those that it ran on itself, the latest last.
    `missed`: it was not there when its box started.
    """

    disk: Disk
    host: str | None
    site: str | None
    alive: bool = True
    stolen: bool = False
    bad_sectors: int = 0
    loose: bool = False
    slow: bool = False
    kicked: bool = False
    frail: bool = False
    cut: tuple[int, ...] = ()
    sealed: bool = False
    mapped: str = ""
    frayed: bool = False
    garbled: int = 0
    doubted: bool = False
    readings: dict[str, int] = field(default_factory=dict)
    tests: tuple[SelfTest, ...] = ()
    missed: bool = False

    def renew(self, host: str) -> None:
        """A new one of its size takes its place there, plugged in well."""
        self.alive, self.host, self.missed = True, host, False
        self.loose, self.slow, self.frayed, self.garbled, self.doubted = (
            False,
            False,
            False,
            0,
            False,
        )

    def clone(self) -> "Drive":
        """The same, to be changed without this one."""
        return Drive(
            self.disk, self.host, self.site, self.alive, self.stolen, self.bad_sectors,
            self.loose, self.slow, self.kicked, self.frail, self.cut, self.sealed, self.mapped,
            self.frayed, self.garbled, self.doubted,
            dict(self.readings), self.tests, self.missed,
        )  # fmt: skip


def number_of(disk: str) -> str:
    """By what a pool of ZFS knows a member that it cannot find."""
    return str(uuid5(NAMESPACE_OID, f"member {disk}").int % 2**64)


def outlived(pool: Pool, dead: Collection[str]) -> bool:
    """Whether every set of disks that outlive failures together still holds all that it held."""
    family = FAMILIES[pool.family]
    groups: list[list[str]] = [list(g) for g in pool.groups]
    if family.one_set:
        groups = [[disk for group in groups for disk in group]]
    elif family.sets:
        groups = [[g[n] for n in some] for g in groups for some in family.sets(len(g))]
    return all(sum(d in dead for d in group) <= family.outlives(len(group)) for group in groups)


def health(pool: Pool, dead: Collection[str]) -> Health:
    """What a pool is once these of its disks are dead: a lost group takes all of it.

    Where each disk has a file system of its own, the files of those that live are there.
    """
    if not any(disk in dead for disk in pool.disks):
        return "ONLINE"
    if FAMILIES[pool.family].apart:
        return "LOST" if all(disk in dead for disk in pool.groups[0]) else "DEGRADED"
    return "DEGRADED" if outlived(pool, dead) else "LOST"
