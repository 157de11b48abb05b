"""The mover: takes new files from the fast tier to the pool."""

from kavrel.core.copies.kinds.kind import Kind

MOVER = Kind(
    id="mover",
    title="mover",
    target="none",
    does="moves what has landed on the fast tier",
    needs="a pool with a fast tier",
    locks="files that are open stay",
    takes="what is new over the disks' writing speed",
    protects="new files, which are only as safe as the tier until then",
    does_not="anything else",
    on="pool",
    copies=False,
    versions=False,
    sends="nothing",
    by_tool=True,
)
