"""A union: disks formatted one by one, shown as one tree; a lost disk takes only its own files."""

from kavrel.core.pools import pace
from kavrel.core.pools.families.family import (
    Family,
    no_vdevs,
    one_group,
    under_a_tree,
    whole_disk_rooms,
)

UNION = Family(
    id="union",
    title="union of separate disks",
    minimum=2,
    takes=under_a_tree,
    groupings=one_group(2),
    outlives=lambda width: 0,
    volumes=lambda groups: tuple(groups[0]),
    vdevs=no_vdevs,
    rooms=whole_disk_rooms,
    pace=pace.one_at_a_time,
    grows="add one disk at a time, of any size",
    grows_by="disk",
    apart=True,
    remains="files on the disks that live",
)
