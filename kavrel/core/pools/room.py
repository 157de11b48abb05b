"""Usable bytes of a family's groups under a file system: the numbers alone, and with working."""

from functools import lru_cache

from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.families.family import Family
from kavrel.core.pools.filesystems import btrfs, ext4, xfs, zfs
from kavrel.core.pools.filesystems.space import Space
from kavrel.core.working import step

Sizes = tuple[tuple[int, ...], ...]


@lru_cache(maxsize=65_536)
def usable_bytes(family_id: str, sizes: Sizes, filesystem: str, ashift: int, record: int) -> int:
    """Bytes that ordinary users can fill; see the modules of `filesystems` for the sources."""
    family = FAMILIES[family_id]
    if filesystem == "zfs":
        return zfs.pool_sizes(family.vdevs(sizes), ashift, record).usable
    volumes = family.volumes(sizes)
    if filesystem == "none":
        return sum(volumes)
    if filesystem == "btrfs":
        return sum(btrfs.usable_bytes(v, family.copies) for v in volumes)
    each = {"ext4": ext4.usable_bytes, "xfs": xfs.usable_bytes}[filesystem]
    return sum(each(v) for v in volumes)


def space(family: Family, sizes: Sizes, filesystem: str, ashift: int, record: int) -> Space:
    """`usable_bytes` with its working."""
    if filesystem == "zfs":
        return zfs.space(family.vdevs(sizes), ashift, record)
    volumes = family.volumes(sizes)
    found = [_volume(family, v, filesystem) for v in volumes]
    if len(found) == 1:
        return found[0]
    usable = sum(s.usable_bytes for s in found)
    return Space(
        total_bytes=sum(s.total_bytes for s in found),
        usable_bytes=usable,
        working=step(
            "separately formatted disks",
            usable,
            "bytes",
            "sum over the data disks",
            *(s.working for s in found),
        ),
    )


def _volume(family: Family, device: int, filesystem: str) -> Space:
    if filesystem == "none":
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
    if filesystem == "btrfs":
        return btrfs.space(device, family.copies)
    return {"ext4": ext4.space, "xfs": xfs.space}[filesystem](device)
