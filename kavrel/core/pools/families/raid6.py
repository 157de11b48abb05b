"""RAID 6: two disks' worth of parity spread over all; any two disks may die."""

from kavrel.core.pools.arrays import md_parity
from kavrel.core.pools.families.family import WITHOUT_ZFS, Family, each_alone

RAID6 = Family(
    id="raid6",
    title="RAID 6",
    minimum=4,
    filesystems=WITHOUT_ZFS,
    groupings=lambda n: [(n,)] if n >= 4 else [],
    outlives=lambda width: 2,
    device_bytes=lambda groups: md_parity(groups[0], 2),
    vdevs=each_alone,
    read_disks=lambda width: width - 2,
    write_disks=lambda width: width - 2,
    grows="add a disk of the same size and reshape",
    smallest_rules=True,
)
