"""ext4 as mke2fs makes it: 4 KiB blocks, inode tables, a journal, 5 % kept for root.

Source: mke2fs and mke2fs.conf of e2fsprogs 1.47; checked against real file systems.
"""

from functools import lru_cache

from kavrel.core.filesystems.filesystem import Filesystem, on_each
from kavrel.core.filesystems.space import Space
from kavrel.core.working import step

BLOCK = 4096
BLOCKS_PER_GROUP = 32_768
INODE_BYTES = 256
DESCRIPTOR_BYTES = 64
ROOT_RESERVE = 0.05
# mke2fs.conf: "big" from 4 TiB, "huge" from 16 TiB; the default below.
INODE_RATIOS = ((16 * 2**40, 65_536), (4 * 2**40, 32_768), (0, 16_384))
MAX_JOURNAL_BLOCKS = 262_144
MAX_32BIT_BLOCKS = 2**32 - 1
# The kernel holds back 4096 blocks of its own (s_resv_clusters); the root folder and
# lost+found take five, the journal's map one, the resize inode one where there is one.
KERNEL_RESERVE_BLOCKS = 4096
FIRST_FILES_BLOCKS = 6


def _inode_ratio(size_bytes: int) -> int:
    return next(ratio for floor, ratio in INODE_RATIOS if size_bytes >= floor)


def _supers(groups: int) -> int:
    """Groups with a copy of the superblock: 0, 1 and powers of 3, 5 and 7 (sparse_super)."""
    supers = min(groups, 2)
    for base in (3, 5, 7):
        power = base
        while power < groups:
            supers += 1
            power *= base
    return supers


def _growth_blocks(blocks: int, descriptor_blocks: int) -> int:
    """Descriptor blocks kept for growing to 1024 times the size, at most 1024 of them."""
    if blocks > MAX_32BIT_BLOCKS:
        return 0
    largest = min(blocks * 1024, MAX_32BIT_BLOCKS)
    groups = -(-largest // BLOCKS_PER_GROUP)
    return min(-(-groups * DESCRIPTOR_BYTES // BLOCK) - descriptor_blocks, BLOCK // 4)


def _journal_blocks(blocks: int) -> int:
    """ext2fs_default_journal_size, in blocks."""
    for limit, size in (
        (32_768, 1024),
        (256 * 1024, 4096),
        (512 * 1024, 8192),
        (4096 * 1024, 16_384),
        (8192 * 1024, 32_768),
        (16_384 * 1024, 65_536),
        (32_768 * 1024, 131_072),
    ):
        if blocks < limit:
            return size
    return MAX_JOURNAL_BLOCKS


@lru_cache(maxsize=4096)
def _sizes(device_bytes: int) -> tuple[int, int, int]:
    """Bytes as shown in total, of tables and journal, and kept back from ordinary users."""
    blocks = device_bytes // BLOCK
    groups = -(-blocks // BLOCKS_PER_GROUP)
    ratio = _inode_ratio(device_bytes)
    inodes_per_group = -(-(blocks * BLOCK // ratio) // groups)
    # Inode tables fill whole blocks, and a multiple of 8 inodes.
    per_block = BLOCK // INODE_BYTES
    table_blocks = -(-inodes_per_group // per_block)
    descriptor_blocks = -(-groups * DESCRIPTOR_BYTES // BLOCK)
    supers = _supers(groups)
    growth_blocks = _growth_blocks(blocks, descriptor_blocks)
    overhead = groups * (table_blocks + 2) + supers * (1 + descriptor_blocks + growth_blocks)
    overhead += _journal_blocks(blocks)
    held_back = int(blocks * ROOT_RESERVE) + KERNEL_RESERVE_BLOCKS + FIRST_FILES_BLOCKS
    reserve = (held_back + (1 if growth_blocks else 0)) * BLOCK
    return (blocks - overhead) * BLOCK, overhead * BLOCK, reserve


def usable_bytes(device_bytes: int) -> int:
    """Bytes that an ordinary user may fill on a device of so many bytes."""
    total, _, reserve = _sizes(device_bytes)
    return total - reserve


def space(device_bytes: int) -> Space:
    """Bytes that ext4 shows on a device of so many bytes, and those an ordinary user may fill."""
    total, overhead, reserve = _sizes(device_bytes)
    return Space(
        total_bytes=total,
        usable_bytes=total - reserve,
        working=step(
            "ext4 space for files",
            total - reserve,
            "bytes",
            "device - inode tables, bitmaps, superblocks and journal - 5 % kept for root",
            step("device", device_bytes, "bytes"),
            step("tables and journal", overhead, "bytes"),
            step("kept for root", reserve, "bytes"),
            source="mke2fs defaults, e2fsprogs 1.47",
        ),
    )


EXT4 = Filesystem(
    id="ext4",
    title="ext4",
    room=lambda ground: sum(usable_bytes(v) for v in ground.volumes),
    space=on_each(lambda device, copies: space(device)),
    made="-q -F -U ",
    package="e2fsprogs",
    checked_at_start=True,
    quotas=True,
    project_quotas=True,
    made_counting="-O quota,project -E quotatype=usrquota:prjquota ",
    mounted_counting="usrquota,prjquota",
)
