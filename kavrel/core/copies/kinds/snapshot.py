"""Snapshots on the pool itself: back in minutes, gone with the pool."""

from kavrel.core.copies.kinds.kind import Kind

SNAPSHOT = Kind(
    id="snapshot",
    title="snapshot",
    target="none",
    does="marks the state of the datasets on their own pool",
    needs="ZFS or Btrfs",
    locks="nothing",
    takes="seconds, whatever the size",
    protects="deleted or encrypted files",
    does_not="loss of the pool, the box or the site",
    source_filesystems=frozenset({"zfs", "btrfs"}),
    reads="nothing",
    sends="nothing",
    consistent=True,
)
