"""Scrub or parity check: reads everything and mends what does not match."""

from kavrel.core.copies.kinds.kind import Kind

SCRUB = Kind(
    id="scrub",
    title="scrub",
    target="none",
    does="reads all that is used (ZFS, Btrfs) or every sector (others), compares, repairs",
    needs="checksums or parity",
    locks="nothing, but it slows everything on these disks",
    takes="used bytes or whole disks over the disks' speed",
    protects="against sectors that go bad unnoticed",
    does_not="bring back what has no second copy",
    on="pool",
    copies=False,
    versions=False,
    reads="everything",
    sends="nothing",
)
