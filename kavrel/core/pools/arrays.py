"""Linux md arrays and LVM volumes: device bytes before any file system.

Source: mdadm 4.2 with metadata 1.2 (data starts 129 MiB in; 512 KiB chunks), LVM2 (4 MiB
extents, 1 MiB of metadata, a start on whole stripes of the array below, lvm.conf(5)
data_alignment_detection); measured on real arrays.
"""

from collections.abc import Sequence

from kavrel.core.quantities import MIB

MD_DATA_OFFSET = 129 * MIB
MD_HEADROOM = 128 * MIB
MD_MIRROR_ROUND = 64 * 1024
MD_CHUNK = 512 * 1024
LVM_EXTENT = 4 * MIB
LVM_START = MIB
LUKS_HEADER = 16 * MIB  # of LUKS2 as cryptsetup 2 makes it; cryptsetup-luksFormat(8)


def _md_member(disk_bytes: int, rounding: int) -> int:
    headroom = MD_HEADROOM
    while headroom * 1024 > disk_bytes and headroom > MIB:
        headroom //= 2  # mdadm keeps less room for the bitmap on small disks
    offset = headroom + MD_DATA_OFFSET - MD_HEADROOM
    return max(disk_bytes - offset, 0) // rounding * rounding


def md_mirror(disks: Sequence[int]) -> int:
    """Device bytes of md raid1: the smallest member."""
    return _md_member(min(disks), MD_MIRROR_ROUND)


def md_stripe(disks: Sequence[int]) -> int:
    """Device bytes of md raid0: all of every member (zones over unequal disks)."""
    return sum(_md_member(d, MD_CHUNK) for d in disks)


def md_parity(disks: Sequence[int], parity: int) -> int:
    """Device bytes of md raid5 (`parity` 1) or raid6 (2): n - parity times the smallest."""
    return (len(disks) - parity) * _md_member(min(disks), MD_CHUNK)


def md_striped_mirrors(groups: Sequence[Sequence[int]]) -> int:
    """Device bytes of a stripe over mirrors: each is an array by itself, below another one's head."""
    return md_stripe([md_mirror(g) for g in groups])


def md_raid10(disks: Sequence[int]) -> int:
    """Device bytes of md raid10 with near=2 over any number of disks: half of n x the smallest."""
    member = _md_member(min(disks), MD_CHUNK) // MD_CHUNK
    return len(disks) * member // 2 * MD_CHUNK


def lvm_linear(devices: Sequence[int], stripes: Sequence[int] = ()) -> int:
    """Device bytes of one LVM volume over all devices: whole extents of each.

    `stripes`: the bytes of data in a whole stripe of each, 0 where it has none.
    """
    extents = 0
    for size, stripe in zip(devices, stripes or [0] * len(devices), strict=True):
        start = -(-LVM_START // stripe) * stripe if stripe else LVM_START
        extents += max(size - start, 0) // LVM_EXTENT * LVM_EXTENT
    return extents
