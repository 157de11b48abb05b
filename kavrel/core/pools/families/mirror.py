"""RAID 1: the same data on every disk; the last one standing has it all."""

from kavrel.core.pools.arrays import md_mirror
from kavrel.core.pools.families.family import ANY_FILESYSTEM, Family
from kavrel.core.pools.filesystems.zfs import Vdev

MIRROR = Family(
    id="mirror",
    title="mirror (RAID 1)",
    minimum=2,
    filesystems=ANY_FILESYSTEM,
    groupings=lambda n: [(n,)] if n >= 2 else [],
    outlives=lambda width: width - 1,
    device_bytes=lambda groups: md_mirror(groups[0]),
    vdevs=lambda groups: tuple(Vdev((min(g),)) for g in groups),
    read_disks=lambda width: width,
    write_disks=lambda width: 1,
    grows="replace every disk with a larger one, or add a second mirror",
    smallest_rules=True,
    one_copy_of=True,
)
