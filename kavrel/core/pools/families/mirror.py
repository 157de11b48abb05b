"""RAID 1: the same on every disk; usable is the smallest, all but one may die."""

from kavrel.core.filesystems.filesystem import Vdev
from kavrel.core.pools import pace
from kavrel.core.pools.arrays import md_mirror
from kavrel.core.pools.families.family import Family, on_anything, one_copy_rooms, one_group

MIRROR = Family(
    id="mirror",
    title="mirror (RAID 1)",
    minimum=2,
    takes=on_anything,
    groupings=one_group(2),
    outlives=lambda width: width - 1,
    volumes=lambda groups: (md_mirror(groups[0]),),
    vdevs=lambda groups: (Vdev((min(groups[0]),)),),
    rooms=one_copy_rooms,
    pace=pace.mirrored,
    grows="replace both disks, or (ZFS) add a second mirror",
    grows_by="group",
    smallest_rules=True,
    one_copy_of=True,
    of_more_groups="striped_mirror",
    stronger="mirror",
    bought_in=(2, 3),
    md_level="1",
    vdev_word="mirror",
)
