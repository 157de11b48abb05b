"""Any disks end to end, bought one at a time: the sum, and all lost with any one disk."""

from kavrel.core.pools.arrays import lvm_linear
from kavrel.core.pools.families.family import ANY_FILESYSTEM, Family, each_alone

SPAN = Family(
    id="span",
    title="span",
    minimum=2,
    filesystems=ANY_FILESYSTEM,
    groupings=lambda n: [(n,)] if n >= 2 else [],
    outlives=lambda width: 0,
    device_bytes=lambda groups: lvm_linear(groups[0]),
    vdevs=each_alone,
    read_disks=lambda width: 1,
    write_disks=lambda width: 1,
    grows="add any disk at any time",
)
