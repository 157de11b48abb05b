"""Btrfs: data once on one device, or in several copies over many; metadata always kept twice.

Source: mkfs.btrfs of btrfs-progs 6.2, and measured file systems of 0.5 to 20 TB; two and three
copies over 4, 4, 8 and 12 TB filled until they were full. Checksums: crc32c, 4 bytes for each 4 KiB
of data, in metadata, which is kept twice on one device and as often as the data on several.
"""

from kavrel.core.filesystems.filesystem import Filesystem, on_each
from kavrel.core.filesystems.space import Space
from kavrel.core.working import step

BLOCK = 4096
CHECKSUM = 4
# 2 x 1 GiB metadata, 2 x 8 MiB system, 1 MiB at the start, and what the first trees hold back.
FIRST_CHUNKS = 2_165_334_016
# With copies the metadata chunk (1 GiB) and the system chunk (8 MiB) are kept as often as data,
# and the last chunks do not come out even.
FIRST_CHUNKS_COPIED = 1024 * 2**20 + 8 * 2**20 + 4 * 2**20


def held_bytes(device_bytes: int, copies: int = 0) -> int:
    """Bytes that metadata and system chunks take (a small device gives up a smaller share)."""
    return min(FIRST_CHUNKS_COPIED if copies else FIRST_CHUNKS, device_bytes // 5)


def shown_bytes(device_bytes: int, copies: int = 0) -> int:
    """What is free on the empty file system, of one copy of the data where there are `copies`."""
    return (device_bytes - held_bytes(device_bytes, copies)) // BLOCK * BLOCK


def usable_bytes(device_bytes: int, copies: int = 0) -> int:
    """Bytes for files: what is free, less the checksums that come with them."""
    # On one device the checksums are kept twice; else as often as the data is, so once a copy.
    share = CHECKSUM / BLOCK * (1 if copies else 2)
    return int(shown_bytes(device_bytes, copies) / (1 + share)) // BLOCK * BLOCK


def space(device_bytes: int, copies: int = 0) -> Space:
    """Bytes for files with their working; see `usable_bytes`."""
    usable = usable_bytes(device_bytes, copies)
    free = shown_bytes(device_bytes, copies)
    name = f"room for data kept {copies} times" if copies else "device"
    formula = "largest x with sum(min(disk, x)) >= copies x x" if copies else ""
    return Space(
        total_bytes=device_bytes,
        usable_bytes=usable,
        working=step(
            "Btrfs space for files",
            usable,
            "bytes",
            "device - metadata and system chunks - checksums of the data",
            step(name, device_bytes, "bytes", formula),
            step("metadata and system chunks", held_bytes(device_bytes, copies), "bytes"),
            step("checksums, 4 bytes for 4 KiB", free - usable, "bytes"),
            source="mkfs.btrfs defaults, and file systems measured from 0.5 to 20 TB",
        ),
    )


_LIST = "on {at.box}, list the points: `ls {at.beside}/.points/{at.leaf}`"

BTRFS = Filesystem(
    id="btrfs",
    title="Btrfs",
    room=lambda ground: sum(usable_bytes(v, ground.copies) for v in ground.volumes),
    space=on_each(space),
    copy_on_write=True,
    snapshots=True,
    checksums=True,
    profiles=True,
    subvolumes=True,
    thick_files=True,
    quotas=True,
    scrubs_used=True,
    made="-q -f -U ",
    package="btrfs-progs",
    mounted="noatime",
    points_here=(
        _LIST,
        "take files out of the read-only subvolume, into a new folder: `cp -a --reflink=auto FILE NEW`",
    ),
    points_sent=(
        _LIST,
        "{at.start}send one back: `{at.from_far}btrfs send {at.beside}/.points/{at.leaf}/POINT | "
        "{at.to_home}btrfs receive {at.home_root}`",
        "it arrives read-only, in {at.home_root}/POINT; put it into place: "
        "`mv {at.folder} {at.folder}-damaged`, where that is still there; `btrfs subvolume snapshot "
        "{at.home_root}/POINT {at.folder}`; then `sh setup.sh` sets its limits and rights again",
        "once nobody misses anything any more, the damaged one gives its room back: "
        "`btrfs subvolume delete {at.folder}-damaged`",
    ),
)
