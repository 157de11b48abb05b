"""XFS as mkfs.xfs makes it: a log, and space reserved in each allocation group.

Source: mkfs.xfs of xfsprogs 6.1 (log of 1/2048 of the size, 64 to 2038 MiB), the kernel's own
reserve of 8192 blocks, and measured file systems of 1 GB to 20 TB for what is kept for the
free-inode and reference-count trees.
"""

from kavrel.core.filesystems.filesystem import Filesystem, on_each
from kavrel.core.filesystems.space import Space
from kavrel.core.working import step

BLOCK = 4096
LOG_SHARE = 2048
MIN_LOG_BLOCKS = 16_384
MAX_LOG_BLOCKS = 521_728
TREE_RESERVE = 0.0069695  # measured from 1 GB to 20 TB
KERNEL_RESERVE_BLOCKS = 8192  # or a twentieth, where that is less


def _sizes(device_bytes: int) -> tuple[int, int, int]:
    """Blocks of the whole, of the log and of the reserve."""
    blocks = device_bytes // BLOCK
    log = min(max(blocks // LOG_SHARE, MIN_LOG_BLOCKS), MAX_LOG_BLOCKS)
    return blocks, log, int(blocks * TREE_RESERVE) + min(KERNEL_RESERVE_BLOCKS, blocks // 20)


def usable_bytes(device_bytes: int) -> int:
    """Bytes that can be filled on a device of so many bytes."""
    blocks, log, reserve = _sizes(device_bytes)
    return (blocks - log - reserve) * BLOCK


def space(device_bytes: int) -> Space:
    """Bytes that XFS shows on a device of so many bytes, and those that can be filled."""
    blocks, log, reserve = _sizes(device_bytes)
    total = (blocks - log) * BLOCK
    usable = usable_bytes(device_bytes)
    return Space(
        total_bytes=total,
        usable_bytes=usable,
        working=step(
            "XFS space for files",
            usable,
            "bytes",
            "device - log - space reserved for the trees",
            step("device", device_bytes, "bytes"),
            step("log", log * BLOCK, "bytes"),
            step("reserved for trees", reserve * BLOCK, "bytes"),
            source="mkfs.xfs defaults, and file systems measured from 1 GB to 20 TB",
        ),
    )


XFS = Filesystem(
    id="xfs",
    title="XFS",
    room=lambda ground: sum(usable_bytes(v) for v in ground.volumes),
    space=on_each(lambda device, copies: space(device)),
    made="-q -f -m uuid=",
    package="xfsprogs",
    quotas=True,
    project_quotas=True,
    mounted_counting="uquota,pquota",
)
