"""Snapshot replication to another pool: incremental, ready to run from."""

from kavrel.core.copies.kinds.kind import Kind, Whereabouts


def _fetch(at: Whereabouts) -> tuple[str, ...]:
    new = f"{at.zfs_name}-back"
    if at.filesystem == "btrfs":
        return (
            f"on {at.box}, list the points: ls {at.beside}/.points/{at.leaf}",
            f"send one back: btrfs send {at.beside}/.points/{at.leaf}/POINT | ssh {at.home_box} btrfs "
            f"receive /srv/{at.home_pool}",
            "it arrives read-only: make a writable snapshot of it and point the share there",
        )
    return (
        f"on {at.box}, list the points: zfs list -t snapshot -o name,creation -r {at.zfs_copy}",
        f"send one back under a new name: zfs send {at.zfs_copy}@POINT | ssh {at.home_box} zfs "
        f"receive -u {new}",
        "look at it, then rename it into place; leave the far end as it is until then",
    )


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
    sends_raw=True,
    thins=True,
    fetch=_fetch,
)
