"""SMART long self-test of the disks of a pool: each reads its whole surface."""

from kavrel.core.copies.kinds.kind import Kind

SMART_LONG = Kind(
    id="smart_long",
    title="SMART long test",
    target="none",
    does="has each disk read itself whole",
    needs="disks that answer to SMART; hours without sleep",
    locks="nothing, but the disks are slower",
    takes="capacity over the disk's own speed",
    protects="by a warning before a rebuild meets the bad sector",
    does_not="mend anything",
    on="pool",
    copies=False,
    versions=False,
    reads="everything",
    sends="nothing",
)
