"""Snapshot replication to another pool: incremental, ready to run from."""

from kavrel.core.copies.kinds.kind import Kind

REPLICATION = Kind(
    id="replication",
    title="replication",
    target="pool",
    does="sends the blocks that changed since the last common snapshot",
    needs="ZFS or Btrfs at both ends, a common snapshot kept there",
    locks="that snapshot, until the run has ended",
    takes="changed bytes over the slowest part of the way",
    protects="loss of the pool or the box, and of the site when it goes elsewhere",
    does_not="a deletion older than its retention",
    source_filesystems=frozenset({"zfs", "btrfs"}),
    consistent=True,
)
