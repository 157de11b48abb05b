"""Snapshots on the pool itself: back in minutes, gone with the pool."""

from kavrel.core.copies.kinds.kind import Kind

SNAPSHOT = Kind(
    id="snapshot",
    title="snapshot",
    target="none",
    compresses=False,
    source_filesystems=frozenset({"zfs", "btrfs"}),
    moves_changes=True,
    by_hand=False,
    protects="deleted or encrypted files",
    does_not="loss of the pool, the box or the site",
)
