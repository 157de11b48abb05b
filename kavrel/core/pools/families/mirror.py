"""RAID 1: the same on every disk; usable is the smallest, all but one may die."""

from kavrel.core.pools import pace
from kavrel.core.pools.arrays import md_mirror
from kavrel.core.pools.families.family import ANY_FILESYSTEM, Family, one_copy_rooms, one_group
from kavrel.core.pools.filesystems.zfs import Vdev

MIRROR = Family(
    id="mirror",
    title="mirror (RAID 1)",
    minimum=2,
    filesystems=ANY_FILESYSTEM,
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
)
