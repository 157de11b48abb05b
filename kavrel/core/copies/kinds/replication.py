"""Snapshot replication to another pool: incremental, ready to run from."""

from kavrel.core.copies.kinds.kind import Kind

REPLICATION = Kind(
    id="replication",
    title="replication",
    target="pool",
    compresses=False,
    source_filesystems=frozenset({"zfs", "btrfs"}),
    moves_changes=True,
    by_hand=False,
    protects="loss of the pool or the box, and of the site when it goes elsewhere",
    does_not="a deletion older than its retention",
)
