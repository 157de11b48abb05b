"""RAID 0: every file cut over all disks: fast, and all lost with any one disk."""

from kavrel.core.pools.arrays import md_stripe
from kavrel.core.pools.families.family import ANY_FILESYSTEM, Family, each_alone

STRIPE = Family(
    id="stripe",
    title="stripe (RAID 0)",
    minimum=2,
    filesystems=ANY_FILESYSTEM,
    groupings=lambda n: [(n,)] if n >= 2 else [],
    outlives=lambda width: 0,
    device_bytes=lambda groups: md_stripe(groups[0]),
    vdevs=each_alone,
    read_disks=lambda width: width,
    write_disks=lambda width: width,
    grows="add disks and rewrite (ZFS: new files use the new disk)",
)
