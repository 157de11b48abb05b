"""One disk, as it is."""

from kavrel.core.pools import pace
from kavrel.core.pools.families.family import Family, each_alone, on_one_disk, whole_disk_rooms

SINGLE = Family(
    id="single",
    title="single disk",
    minimum=1,
    takes=on_one_disk,
    groupings=lambda n: [(1,)] if n == 1 else [],
    outlives=lambda width: 0,
    volumes=lambda groups: (groups[0][0],),
    vdevs=each_alone,
    rooms=whole_disk_rooms,
    pace=pace.one_at_a_time,
    grows="copy to a larger disk (ZFS: attach a mirror)",
    grows_by="replace",
    stronger="mirror",
)
