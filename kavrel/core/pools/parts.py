"""Parts of a pool: the separate file systems that it is one folder over."""

from dataclasses import dataclass

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.plan import Pool
from kavrel.core.pools.families import FAMILIES


def has_tier(pool: Pool) -> bool:
    """Whether its fast tier can be a branch of a tree: one over ZFS or Btrfs would take no snapshots."""
    system = FILESYSTEMS[pool.filesystem]
    return bool(pool.tier) and not (system.by_name or system.subvolumes or system.bare)


@dataclass(frozen=True)
class Part:
    """One file system of a pool; `end` is what setup.sh calls it by behind the pool's own folder."""

    what: str
    end: str
    disks: tuple[str, ...]
    parity: bool = False
    fast: bool = False


def parts_of(pool: Pool) -> tuple[Part, ...]:
    """The file systems of a pool that has its own by UUID: the fast one, those of data, of parity."""
    family, tiered = FAMILIES[pool.family], has_tier(pool)
    fast = [Part("tier", "-fast", pool.tier, fast=True)] if tiered else []
    if not family.apart:
        return (*fast, Part("0", "-slow" if tiered else "", pool.disks))
    single = len(pool.groups[0]) == 1 and not tiered
    data = [
        Part(str(n), "" if single else f"-disk{n + 1}", (disk,))
        for n, disk in enumerate(pool.groups[0])
    ]
    kept = pool.groups[1] if family.parity_last else ()
    parity = [
        Part(f"parity/{n}", f"-parity{n + 1}", (disk,), parity=True) for n, disk in enumerate(kept)
    ]
    return (*fast, *data, *parity)
