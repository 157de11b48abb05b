"""Snapshots on the pool itself: back in minutes, gone with the pool."""

from kavrel.core.copies.kinds.kind import Kind, Whereabouts


def _fetch(at: Whereabouts) -> tuple[str, ...]:
    if at.filesystem == "btrfs":
        return (
            f"on {at.box}, list the points: ls {at.beside}/.points/{at.leaf}",
            "take files out of the read-only subvolume: cp -a --reflink=auto, into a new folder",
        )
    return (
        f"on {at.box}, list the points: zfs list -t snapshot -o name,creation -r {at.zfs_name}",
        f"files: copy them out of {at.folder}/.zfs/snapshot/POINT, into a new folder",
        f"all of it: zfs clone {at.zfs_name}@POINT {at.zfs_name}-back; a rollback would throw away "
        "whatever is newer",
    )


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
    thins=True,
    fetch=_fetch,
)
