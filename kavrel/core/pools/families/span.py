"""A span: disks one after the other, bought one at a time; one lost and all is lost."""

from kavrel.core.pools import pace
from kavrel.core.pools.arrays import lvm_linear
from kavrel.core.pools.families.family import (
    Family,
    below,
    no_vdevs,
    one_group,
    whole_disk_rooms,
)

SPAN = Family(
    id="span",
    title="span",
    minimum=1,
    takes=below,
    groupings=one_group(1),
    outlives=lambda width: 0,
    volumes=lambda groups: (lvm_linear(groups[0]),),
    vdevs=no_vdevs,
    rooms=whole_disk_rooms,
    pace=pace.one_at_a_time,
    grows="add one disk at a time",
    grows_by="disk",
    joined_volumes=True,
)
