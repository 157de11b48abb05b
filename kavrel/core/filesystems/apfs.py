"""APFS as a Mac makes it: maps of its blocks, checkpoints, and a pool for the maps to move in.

Source: mkapfs of apfsprogs 2023 on sparse files of 250 GB to 1 TB, free blocks as its own count has them.
"""

from kavrel.core.filesystems.filesystem import Filesystem, on_each
from kavrel.core.filesystems.space import Space
from kavrel.core.working import step

BLOCK = 4096
OWN_BLOCKS = 6_000  # checkpoints, and what is of one size
MAPS_SHARE = 9.23e-5  # measured: three maps' worth and what finds them


def _sizes(device_bytes: int) -> tuple[int, int]:
    """Blocks of the whole, and those that it keeps."""
    blocks = device_bytes // BLOCK
    return blocks, min(OWN_BLOCKS + int(blocks * MAPS_SHARE), blocks)


def usable_bytes(device_bytes: int) -> int:
    """Bytes that can be filled on a device of so many bytes."""
    blocks, kept = _sizes(device_bytes)
    return (blocks - kept) * BLOCK


def space(device_bytes: int) -> Space:
    """Bytes that it shows on a device of so many bytes, and those that can be filled."""
    blocks, kept = _sizes(device_bytes)
    usable = usable_bytes(device_bytes)
    return Space(
        total_bytes=blocks * BLOCK,
        usable_bytes=usable,
        working=step(
            "APFS space for files",
            usable,
            "bytes",
            "device - maps and checkpoints",
            step("device", device_bytes, "bytes"),
            step("maps and checkpoints", kept * BLOCK, "bytes"),
            source="mkapfs of apfsprogs, measured from 250 GB to 1 TB",
        ),
    )


APFS = Filesystem(
    id="apfs",
    title="APFS of a Mac",
    room=lambda ground: sum(usable_bytes(v) for v in ground.volumes),
    space=on_each(lambda device, copies: space(device)),
    copy_on_write=True,
    foreign=True,
)
