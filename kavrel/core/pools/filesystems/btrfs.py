"""Btrfs on one device: data once, metadata and system chunks twice (the mkfs default).

Source: mkfs.btrfs of btrfs-progs 6.2, and measured file systems of 0.5 to 20 TB.
"""

from kavrel.core.pools.filesystems.space import Space
from kavrel.core.working import step

BLOCK = 4096
# 2 x 1 GiB metadata, 2 x 8 MiB system, 1 MiB at the start, and what the first trees hold back.
FIRST_CHUNKS = 2_165_334_016


def space(device_bytes: int) -> Space:
    """Bytes for files on a device of so many bytes (a small one gives up a smaller share)."""
    held = min(FIRST_CHUNKS, device_bytes // 5)
    usable = (device_bytes - held) // BLOCK * BLOCK
    return Space(
        total_bytes=device_bytes,
        usable_bytes=usable,
        working=step(
            "Btrfs space for files",
            usable,
            "bytes",
            "device - metadata and system chunks",
            step("device", device_bytes, "bytes"),
            step("metadata and system chunks", held, "bytes"),
            source="mkfs.btrfs defaults, and file systems measured from 0.5 to 20 TB",
        ),
    )
