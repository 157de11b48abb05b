"""Disks with different sectors in one pool, or sectors that the pool is not made for."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.filesystems import FILESYSTEMS


def _find(view: View) -> Iterator[Finding]:
    for pool in view.index.plan.pools:
        sectors = {view.index.disks[d].sector for d in pool.disks}
        if "4kn" in sectors and len(sectors) > 1:
            why = (
                "4Kn and 512-byte disks are mixed: an array of one kind takes no spare of the other, and "
                "some tools refuse the mixture."
            )
            yield pool.id, pool.name, why
        elif (
            FILESYSTEMS[pool.filesystem].sector_shift
            and pool.ashift < 12
            and sectors & {"512e", "4kn"}
        ):
            why = (
                f"ashift {pool.ashift} means sectors of {2**pool.ashift} B on disks of 4 KiB: each small "
                "write is a read, a change and a write. It cannot be changed later."
            )
            yield pool.id, pool.name, why


MIXED_SECTORS = Rule(
    "mixed_sectors",
    "caution",
    "pools",
    "pool",
    "Create it for 4 KiB sectors (ashift 12), and keep 4Kn disks out of groups of 512-byte ones.",
    _find,
)
