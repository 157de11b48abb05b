"""SMART short self-test of the disks of a pool."""

from kavrel.core.kinds.kind import Kind

SMART_SHORT = Kind(
    id="smart_short",
    title="SMART short test",
    target="none",
    does="has each disk test its electronics and a sample of its surface",
    needs="disks that answer to SMART",
    locks="nothing",
    takes="two minutes a disk, all at once",
    protects="by a warning, sometimes",
    does_not="prevent anything",
    on="pool",
    copies=False,
    versions=False,
    reads="nothing",
    sends="nothing",
    packages=("smartmontools",),
    told=frozenset({"serials"}),
    start="smart_short_minutes",
)
