"""RAID 10, nested: a stripe over mirrors of two to four; each mirror may be down to its last disk."""

from kavrel.core.filesystems.filesystem import Vdev
from kavrel.core.pools import pace
from kavrel.core.pools.arrays import md_striped_mirrors
from kavrel.core.pools.families.family import Family, on_anything, one_copy_rooms

STRIPED_MIRROR = Family(
    id="striped_mirror",
    title="striped mirrors (RAID 10, nested)",
    minimum=4,
    takes=on_anything,
    groupings=lambda n: [
        (width,) * (n // width) for width in (2, 3, 4) if n % width == 0 and n // width >= 2
    ],
    outlives=lambda width: width - 1,
    volumes=lambda groups: (md_striped_mirrors(groups),),
    vdevs=lambda groups: tuple(Vdev((min(g),)) for g in groups),
    rooms=one_copy_rooms,
    pace=pace.mirrored,
    grows="add a mirror, or replace both disks of one",
    grows_by="group",
    smallest_rules=True,
    one_copy_of=True,
    of_one_group="mirror",
    stronger="striped_mirror",
    md_level="1",
    nested=True,
    vdev_word="mirror",
)
