"""RAID 0: every file cut over all disks: fast, and all lost with any one disk.

md uses all of unequal disks in zones; hardware cards take n times the smallest.
"""

from kavrel.core.pools import pace
from kavrel.core.pools.arrays import md_stripe
from kavrel.core.pools.families.family import (
    Family,
    each_alone,
    on_anything,
    one_group,
    whole_disk_rooms,
)

STRIPE = Family(
    id="stripe",
    title="stripe (RAID 0)",
    minimum=2,
    takes=on_anything,
    groupings=one_group(2),
    outlives=lambda width: 0,
    volumes=lambda groups: (md_stripe(groups[0]),),
    vdevs=each_alone,
    rooms=whole_disk_rooms,
    pace=pace.striped,
    grows="add disks and rewrite (ZFS: new files use the new disk)",
    grows_by="disk",
    md_level="0",
)
