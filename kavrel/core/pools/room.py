"""Usable bytes of a family's groups under a file system: the numbers alone, and with working."""

from functools import lru_cache

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.filesystems.space import Space
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.families.family import Family

Sizes = tuple[tuple[int, ...], ...]


@lru_cache(maxsize=65_536)
def usable_bytes(family_id: str, sizes: Sizes, filesystem: str, ashift: int, record: int) -> int:
    """Bytes that ordinary users can fill; see the modules of `filesystems` for the sources."""
    return FILESYSTEMS[filesystem].room(FAMILIES[family_id].ground(sizes, ashift, record))


def space(family: Family, sizes: Sizes, filesystem: str, ashift: int, record: int) -> Space:
    """`usable_bytes` with its working."""
    return FILESYSTEMS[filesystem].space(family.ground(sizes, ashift, record))
