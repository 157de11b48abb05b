"""A mirror that a hardware card makes: the system sees one disk, and only the card knows how it lies there.

The card keeps its own tables at the end of each disk: 512 MiB are taken off for them (value from memory;
the SNIA's Common RAID Disk Data Format 2.0 asks for 32 MB at least).
"""

from kavrel.core.pools import pace
from kavrel.core.pools.families.family import Family, below, no_vdevs, one_copy_rooms, one_group

TABLES = 512 * 2**20

CARD_MIRROR = Family(
    id="card_mirror",
    title="mirror by a hardware card",
    minimum=2,
    takes=below,
    groupings=one_group(2),
    outlives=lambda width: width - 1,
    volumes=lambda groups: (min(groups[0]) - TABLES,),
    vdevs=no_vdevs,
    rooms=one_copy_rooms,
    pace=pace.mirrored,
    grows="replace both disks in the card's menu, then grow the file system",
    grows_by="replace",
    smallest_rules=True,
    one_copy_of=True,
    by_hand="make the mirror in the card's own menu before the system starts, then a file system on what it "
    "shows",
    card=True,
)
