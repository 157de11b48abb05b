"""RAID 10: a stripe over mirrors of two or three; each mirror may be down to its last disk."""

from kavrel.core.pools.arrays import md_striped_mirrors
from kavrel.core.pools.families.family import ANY_FILESYSTEM, Family
from kavrel.core.pools.filesystems.zfs import Vdev

STRIPED_MIRROR = Family(
    id="striped_mirror",
    title="striped mirrors (RAID 10)",
    minimum=4,
    filesystems=ANY_FILESYSTEM,
    groupings=lambda n: [
        (width,) * (n // width) for width in (2, 3) if n % width == 0 and n // width >= 2
    ],
    outlives=lambda width: width - 1,
    device_bytes=md_striped_mirrors,
    vdevs=lambda groups: tuple(Vdev((min(g),)) for g in groups),
    read_disks=lambda width: width,
    write_disks=lambda width: 1,
    grows="add a mirror, or replace both disks of one",
    smallest_rules=True,
    one_copy_of=True,
)
