"""ZFS: what a pool of given groups has available, block by block.

Source: OpenZFS 2.1, vdev_raidz_asize (allocation), vdev_metaslab_set_size (metaslabs),
spa_get_slop_space (reserve), vdev_label.h (labels). Within 2 MB of 33 real pools.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from kavrel.core.filesystems.filesystem import Filesystem, Vdev
from kavrel.core.filesystems.space import Space
from kavrel.core.working import step

LABEL_BYTES = 4_718_592  # 4.5 MiB: four labels and the boot block
ALIGN = 262_144
SECTOR_SHIFT = 9
REFERENCE_BLOCK = 131_072  # the block size ZFS itself uses to state free space
MIN_SHIFT, DEFAULT_SHIFT, MAX_SHIFT = 24, 29, 34
LEAST_METASLABS, WANTED_METASLABS = 16, 200
LEAST_FOR_LOG = 64  # with no more metaslabs than that, none is set aside for the log
SLOP_DIVISOR, SLOP_MIN, SLOP_MAX = 32, 128 * 2**20, 128 * 2**30


def allocated_bytes(block_bytes: int, width: int, parity: int, ashift: int) -> int:
    """Bytes that a block takes on a RAIDZ group: data, parity and padding.

    Source: OpenZFS vdev_raidz_asize. `width` counts all disks of the group.
    """
    sector = 1 << ashift
    data = -(-block_bytes // sector)
    total = data + parity * -(-data // (width - parity))
    return -(-total // (parity + 1)) * (parity + 1) * sector


def efficiency(block_bytes: int, width: int, parity: int, ashift: int) -> float:
    """Share of the allocated bytes that is data, 0 to 1."""
    return block_bytes / allocated_bytes(block_bytes, width, parity, ashift)


def _deflated(vdev: Vdev, raw_bytes: int, ashift: int, block_bytes: int) -> int:
    """Data bytes that raw space of a group can hold, in ZFS's own integer arithmetic."""
    if not vdev.parity:
        return raw_bytes
    taken = allocated_bytes(block_bytes, len(vdev.disks), vdev.parity, ashift)
    return (raw_bytes >> SECTOR_SHIFT) * (block_bytes // (taken >> SECTOR_SHIFT))


def _metaslab_shift(asize: int) -> int:
    if asize >> DEFAULT_SHIFT < LEAST_METASLABS:
        return max(MIN_SHIFT, (asize // LEAST_METASLABS).bit_length())
    if asize >> DEFAULT_SHIFT <= WANTED_METASLABS:
        return DEFAULT_SHIFT
    return min(MAX_SHIFT, (asize // WANTED_METASLABS).bit_length())


@dataclass(frozen=True)
class PoolSizes:
    """Bytes of a pool: whole metaslabs, data they hold at 128 KiB, reserve, and what is free.

    `record_share` is what the pool's own records make of `available` on RAIDZ: smaller ones than
    128 KiB leave less, larger ones may give more, each group by its own width.
    """

    size: int
    data: int
    slop: int
    available: int
    record_share: float

    @property
    def usable(self) -> int:
        """Bytes that files of the pool's record size can fill."""
        return int(self.available * self.record_share)


def pool_sizes(vdevs: Sequence[Vdev], ashift: int, record_bytes: int) -> PoolSizes:
    """The sizes of a pool of these groups."""
    size = data = log = 0
    by_record = 0.0
    for vdev in vdevs:
        leaf = max(min(vdev.disks) // ALIGN * ALIGN - LABEL_BYTES, 0)
        asize = leaf * (len(vdev.disks) if vdev.parity else 1)
        shift = _metaslab_shift(asize)
        whole = asize >> shift << shift
        one = (1 << shift) if whole >> shift > LEAST_FOR_LOG else 0
        size += whole
        here = _deflated(vdev, whole - one, ashift, REFERENCE_BLOCK)
        data += here
        by_record += here * _record_share(vdev, ashift, record_bytes)
        log += _deflated(vdev, one, ashift, REFERENCE_BLOCK)
    slop = min(data // SLOP_DIVISOR, SLOP_MAX)
    slop -= min(log, slop // 2)
    slop = max(slop, min(SLOP_MIN, data // 2))
    return PoolSizes(size, data, slop, data - slop, by_record / data if data else 1.0)


def _record_share(vdev: Vdev, ashift: int, record_bytes: int) -> float:
    """What a group holds in records of a size, against the 128 KiB blocks that ZFS counts in."""
    if not vdev.parity:
        return 1.0
    width = len(vdev.disks)
    own = efficiency(record_bytes, width, vdev.parity, ashift)
    return own / efficiency(REFERENCE_BLOCK, width, vdev.parity, ashift)


def space(vdevs: Sequence[Vdev], ashift: int, record_bytes: int) -> Space:
    """What `zfs list` shows as available on the empty pool, and what records of a size can use.

    ZFS states free space for 128 KiB blocks. Smaller records on RAIDZ waste more and larger ones
    less, so `usable_bytes` scales by the ratio of the efficiencies, weighed over the groups.
    """
    room = pool_sizes(vdevs, ashift, record_bytes)
    inputs = [
        step("disks, less 4.5 MiB of labels each, in whole metaslabs", room.size, "bytes"),
        step("space for 128 KiB blocks, without the embedded log", room.data, "bytes"),
        step("reserve (1/32 of it, 128 MiB to 128 GiB)", room.slop, "bytes"),
    ]
    if room.record_share != 1:
        inputs.append(
            step(
                f"what records of {record_bytes // 1024} KiB make of it",
                room.record_share,
                "times",
                "their efficiency / that of 128 KiB, weighed over the groups",
            )
        )
    return Space(
        total_bytes=room.size,
        usable_bytes=room.usable,
        working=step(
            "ZFS space for files",
            room.usable,
            "bytes",
            "space for blocks - reserve",
            *inputs,
            source="OpenZFS 2.1 allocation, metaslab and reserve rules",
        ),
    )


ZFS = Filesystem(
    id="zfs",
    title="ZFS",
    room=lambda ground: pool_sizes(ground.vdevs, ground.ashift, ground.record_bytes).usable,
    space=lambda ground: space(ground.vdevs, ground.ashift, ground.record_bytes),
    copy_on_write=True,
    snapshots=True,
    checksums=True,
    repairs=True,
    whole_disks=True,
    lacks="a sparse file in its place, taken offline at once",
    by_name=True,
    encrypts=True,
    reserves=True,
    thick_files=True,
    quotas=True,
    guest_replication=True,
    big_cache=True,
    sector_shift=True,
    records=True,
    scrubs_used=True,
    points_here=(
        "on {at.box}, list the points: `zfs list -t snapshot -o name,creation -r {at.zfs_name}`",
        "files: copy them out of {at.folder}/.zfs/snapshot/POINT, into a new folder",
        "all of it: `zfs clone {at.zfs_name}@POINT {at.zfs_back}`; a rollback would throw away "
        "whatever is newer",
    ),
    points_sent=(
        "on {at.box}, list the points: `zfs list -t snapshot -o name,creation -r {at.zfs_copy}`",
        "{at.start}send one back under a new name: `{at.from_far}zfs send{at.raw} {at.zfs_copy}@POINT | "
        "{at.to_home}zfs receive -u {at.zfs_back}`",
        "{at.unlock}",
        "look at it: `zfs mount {at.zfs_back}`; leave the far end as it is until all of it is there",
        "put it into place: `zfs rename {at.zfs_name} {at.zfs_name}-damaged`, where that is still there, with "
        "what lies in it; `zfs rename {at.zfs_back} {at.zfs_name}`; then `sh setup.sh` sets its limits and "
        "rights again",
        "before its job runs again: on {at.far_box} `zfs rollback -r {at.zfs_copy}@POINT`, which lets go what "
        "came after that point; the next run refuses else, for it has nothing newer in common with the copy",
        "once nobody misses anything any more, the damaged one gives its room back, with its points: "
        "`zfs destroy -r {at.zfs_name}-damaged`",
    ),
)
