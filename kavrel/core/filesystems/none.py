"""No file system: the bare array, for whoever makes one on it, as a hypervisor or an iSCSI client."""

from kavrel.core.filesystems.filesystem import Filesystem, on_each
from kavrel.core.filesystems.space import Space
from kavrel.core.working import step


def space(device: int) -> Space:
    """All of the device."""
    return Space(
        total_bytes=device,
        usable_bytes=device,
        working=step(
            "bare array",
            device,
            "bytes",
            "members after metadata, without a file system",
            source="mdadm 4.2 and LVM2 defaults",
        ),
    )


NONE = Filesystem(
    id="none",
    title="none",
    room=lambda ground: sum(ground.volumes),
    space=on_each(lambda device, copies: space(device)),
    bare=True,
)
