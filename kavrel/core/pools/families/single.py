"""One disk alone: its size, and nothing when it dies."""

from kavrel.core.pools.families.family import ANY_FILESYSTEM, Family, each_alone

SINGLE = Family(
    id="single",
    title="single disk",
    minimum=1,
    filesystems=ANY_FILESYSTEM,
    groupings=lambda n: [(1,)] if n == 1 else [],
    outlives=lambda width: 0,
    device_bytes=lambda groups: groups[0][0],
    vdevs=each_alone,
    read_disks=lambda width: 1,
    write_disks=lambda width: 1,
    grows="add a second disk as its mirror, or copy to a larger one",
)
