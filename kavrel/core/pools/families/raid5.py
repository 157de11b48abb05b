"""RAID 5: one disk's worth of parity spread over all; any one disk may die."""

from kavrel.core.pools.arrays import md_parity
from kavrel.core.pools.families.family import WITHOUT_ZFS, Family, each_alone

RAID5 = Family(
    id="raid5",
    title="RAID 5",
    minimum=3,
    filesystems=WITHOUT_ZFS,
    groupings=lambda n: [(n,)] if n >= 3 else [],
    outlives=lambda width: 1,
    device_bytes=lambda groups: md_parity(groups[0], 1),
    vdevs=each_alone,
    read_disks=lambda width: width - 1,
    write_disks=lambda width: width - 1,
    grows="add a disk of the same size and reshape",
    smallest_rules=True,
)
