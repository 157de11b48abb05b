"""Usable bytes of a family's groups under a file system: the numbers alone, and with working."""

from dataclasses import replace
from functools import lru_cache

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.filesystems.space import Space
from kavrel.core.pools.arrays import LUKS_HEADER
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.families.family import Family
from kavrel.core.working import step

Sizes = tuple[tuple[int, ...], ...]


@lru_cache(maxsize=65_536)
def usable_bytes(
    family_id: str, sizes: Sizes, filesystem: str, ashift: int, record: int, locked: bool = False
) -> int:
    """Bytes that ordinary users can fill; see the modules of `filesystems` for the sources.

    `locked`: it is encrypted, by LUKS below a file system that does not encrypt by itself.
    """
    family, system = FAMILIES[family_id], FILESYSTEMS[filesystem]
    return system.room(family.ground(sizes, ashift, record, locked and not system.encrypts))


def space(
    family: Family, sizes: Sizes, filesystem: str, ashift: int, record: int, locked: bool = False
) -> Space:
    """`usable_bytes` with its working."""
    system = FILESYSTEMS[filesystem]
    below = locked and not system.encrypts
    room = system.space(family.ground(sizes, ashift, record, below))
    if not below:
        return room
    header = step(
        "kept by LUKS of each device below it",
        LUKS_HEADER,
        "bytes",
        source="cryptsetup-luksFormat(8)",
    )
    worked = room.working
    inputs = (*worked.inputs, header)
    return replace(room, working=worked.model_copy(update={"inputs": inputs}))
