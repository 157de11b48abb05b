"""Lays disks out by a family's rule: bytes, survival, time, odds and the map of each disk."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from kavrel.core.assumptions import Assumptions
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.families.family import Family
from kavrel.core.pools.filesystems import btrfs, ext4, xfs, zfs
from kavrel.core.pools.filesystems.space import Space
from kavrel.core.pools.layout import DiskSlices, Layout, LayoutError
from kavrel.core.pools.odds import hourly_rate, loss_odds, read_error_odds
from kavrel.core.working import Working, step

HORIZON_YEARS = 5.0
TB = 10**12


@dataclass(frozen=True)
class DiskFacts:
    """What a layout needs to know of a disk. Speed is the average over the whole platter."""

    id: str
    label: str
    capacity_bytes: int
    mb_per_s: float
    yearly_failure_rate: float
    bits_per_read_error: float
    price_minor: int


@dataclass(frozen=True)
class Conditions:
    """What surrounds the disks: block sizes, the repair, and a spare in the hand."""

    ashift: int = 12
    record_bytes: int = 131_072
    rebuild_speed_share: float = 0.8
    notice_hours: float = 12.0
    replace_hours: float = 48.0
    replace_step: Working | None = None

    @classmethod
    def of(cls, known: Assumptions, ashift: int, record_bytes: int, spare: bool) -> "Conditions":
        """The conditions of a plan; with a `spare` nothing has to be ordered."""
        key = "fit_disk_hours" if spare else "order_disk_hours"
        return cls(
            ashift=ashift,
            record_bytes=record_bytes,
            rebuild_speed_share=known["rebuild_speed_share"],
            notice_hours=known["notice_hours"],
            replace_hours=known[key],
            replace_step=known.step(key),
        )


def lay_out(
    family_id: str,
    groups: Sequence[Sequence[DiskFacts]],
    filesystem: str,
    conditions: Conditions,
) -> Layout:
    """The layout of these groups of disks.

    Raises LayoutError where the family does not allow the groups or the file system.
    Usable bytes come from the family's arrays and the file system's own rules; see the
    modules of `families` and `filesystems` for their sources.
    """
    family = FAMILIES[family_id]
    complaint = family.check(groups)
    if complaint:
        raise LayoutError(complaint)
    if filesystem not in family.filesystems:
        allowed = ", ".join(sorted(family.filesystems))
        raise LayoutError(f"{family.title} does not go with {filesystem}: choose {allowed}")
    return _lay_out(family, tuple(tuple(g) for g in groups), filesystem, conditions)


@lru_cache(maxsize=8192)
def _lay_out(
    family: Family,
    groups: tuple[tuple[DiskFacts, ...], ...],
    filesystem: str,
    conditions: Conditions,
) -> Layout:
    sizes = [[d.capacity_bytes for d in g] for g in groups]
    disks = [d for g in groups for d in g]
    space = _space(family, sizes, filesystem, conditions)
    outlives = min(family.outlives(len(g)) for g in groups)
    slices = _slices(family, groups, space.usable_bytes)
    hours, rebuild_working = _rebuild(family, groups, conditions)
    read_error = _read_error(family, groups)
    odds, odds_working = _odds(family, groups, hours, conditions)
    slowest = min(d.mb_per_s for d in disks)
    cost = sum(d.price_minor for d in disks)
    usable = space.usable_bytes
    return Layout(
        family=family.id,
        title=_title(family, groups),
        filesystem=filesystem,
        groups=tuple(tuple(d.id for d in g) for g in groups),
        usable_bytes=usable,
        raw_bytes=sum(d.capacity_bytes for d in disks),
        stranded_bytes=sum(s.stranded_bytes for s in slices),
        survives_any=outlives,
        survives=_survives(groups, outlives),
        rebuild_hours=hours,
        read_error_odds=read_error,
        loss_odds_5y=odds,
        read_mb_per_s=slowest * sum(family.read_disks(len(g)) for g in groups),
        write_mb_per_s=slowest * sum(family.write_disks(len(g)) for g in groups),
        cost_minor=cost,
        cost_per_tb_minor=round(cost * TB / usable) if usable and cost else None,
        grows=family.grows,
        disks=slices,
        working=space.working,
        rebuild_working=rebuild_working,
        odds_working=odds_working,
    )


def _title(family: Family, groups: Sequence[Sequence[DiskFacts]]) -> str:
    widths = [len(g) for g in groups]
    if len(widths) == 1:
        return family.title if widths[0] == 1 else f"{family.title}, {widths[0]} wide"
    return f"{family.title}, {len(widths)} x {widths[0]}"


def _survives(groups: Sequence[Sequence[DiskFacts]], outlives: int) -> str:
    if outlives == 0:
        return "none"
    if len(groups) == 1:
        return f"any {outlives}"
    return f"any {outlives}, up to {outlives} a group"


def _space(
    family: Family, sizes: Sequence[Sequence[int]], filesystem: str, conditions: Conditions
) -> Space:
    if filesystem == "zfs":
        return zfs.space(family.vdevs(sizes), conditions.ashift, conditions.record_bytes)
    device = family.device_bytes(sizes)
    if filesystem == "none":
        return Space(
            total_bytes=device,
            usable_bytes=device,
            working=step(
                "bare array",
                device,
                "bytes",
                "members after metadata, without a file system",
                step("disks", sum(map(sum, sizes)), "bytes"),
                source="mdadm 4.2 and LVM2 defaults",
            ),
        )
    return {"ext4": ext4.space, "xfs": xfs.space, "btrfs": btrfs.space}[filesystem](device)


def _slices(
    family: Family, groups: Sequence[Sequence[DiskFacts]], usable: int
) -> tuple[DiskSlices, ...]:
    """Shares the usable bytes over the disks; each disk's four parts add up to its capacity."""
    placed: list[tuple[DiskFacts, int, int, int]] = []  # disk, room for data, redundancy, stranded
    for group in groups:
        smallest = min(d.capacity_bytes for d in group)
        width = len(group)
        outlives = family.outlives(width)
        for place, disk in enumerate(group):
            used = smallest if family.smallest_rules else disk.capacity_bytes
            stranded = disk.capacity_bytes - used
            redundancy = used * outlives // width
            if family.one_copy_of:
                redundancy = used if place else 0
            placed.append((disk, used - redundancy, redundancy, stranded))
    room = sum(p[1] for p in placed)
    result = []
    shared = passed = 0
    for disk, data_room, redundancy, stranded in placed:
        passed += data_room
        upto = usable * passed // room if room else 0
        # Allocation can be kinder than the plain ratio only by rounding; never beyond the room.
        data = min(upto - shared, data_room)
        shared = upto
        result.append(
            DiskSlices(
                disk=disk.id,
                data_bytes=data,
                redundancy_bytes=redundancy,
                reserve_bytes=data_room - data,
                stranded_bytes=stranded,
            )
        )
    return tuple(result)


def _rebuild(
    family: Family, groups: Sequence[Sequence[DiskFacts]], conditions: Conditions
) -> tuple[float | None, Working]:
    """Hours to rebuild the slowest disk, whole: its used bytes over the speed that is left."""
    worst: tuple[float, int, DiskFacts] | None = None
    for group in groups:
        if not family.outlives(len(group)):
            continue
        used = min(d.capacity_bytes for d in group)
        pace = min(group, key=lambda d: d.mb_per_s)
        hours = used / (pace.mb_per_s * 1e6 * conditions.rebuild_speed_share) / 3600
        if worst is None or hours > worst[0]:
            worst = (hours, used, pace)
    if worst is None:
        return None, step("rebuild", None, "h", "no redundancy: nothing to rebuild from")
    hours, used, pace = worst
    return hours, step(
        "rebuild of one disk",
        hours,
        "h",
        "bytes on the disk / (slowest disk's speed x share left)",
        step("bytes on the disk", used, "bytes"),
        step(f"speed of {pace.label}, the slowest", pace.mb_per_s, "MB/s"),
        step(
            "share of speed left",
            conditions.rebuild_speed_share,
            "of full speed",
            assumption="rebuild_speed_share",
        ),
    )


def _read_error(family: Family, groups: Sequence[Sequence[DiskFacts]]) -> float | None:
    """Worst odds over the groups of an unrecoverable error when nothing else is left to help."""
    odds = [_group_read_error(family, g) for g in groups if family.outlives(len(g))]
    return max(odds) if odds else None


def _group_read_error(family: Family, group: Sequence[DiskFacts]) -> float:
    readers = 1 if family.one_copy_of else len(group) - family.outlives(len(group))
    read = readers * min(d.capacity_bytes for d in group)
    return read_error_odds(read, min(d.bits_per_read_error for d in group))


def _odds(
    family: Family,
    groups: Sequence[Sequence[DiskFacts]],
    rebuild_hours: float | None,
    conditions: Conditions,
) -> tuple[float, Working]:
    repair = conditions.notice_hours + conditions.replace_hours + (rebuild_hours or 0.0)
    kept = 1.0
    parts = []
    for number, group in enumerate(groups, 1):
        rate = sum(hourly_rate(d.yearly_failure_rate) for d in group) / len(group)
        read_error = _group_read_error(family, group)
        outlives = family.outlives(len(group))
        odds = loss_odds(len(group), outlives, rate, repair, read_error, HORIZON_YEARS)
        kept *= 1 - odds
        steps = [
            step("disks", len(group)),
            step("may die", outlives),
            step("failures of one disk", rate * 8766, "a year", assumption="hdd_failure_rate"),
        ]
        if outlives:
            steps.append(
                step(
                    "read error in the last rebuild",
                    read_error,
                    "odds",
                    "1 - (1 - 1/bits per error)^bits read",
                    assumption="hdd_bits_per_read_error",
                )
            )
        parts.append(step(f"group {number}", odds, "odds", "Markov chain", *steps))
    window = step(
        "window after a failure",
        repair,
        "h",
        "notice + replacement + rebuild",
        step("notice", conditions.notice_hours, "h", assumption="notice_hours"),
        conditions.replace_step or step("replacement", conditions.replace_hours, "h"),
        step("rebuild", rebuild_hours, "h"),
    )
    lost = 1 - kept
    return lost, step(
        f"loses data within {HORIZON_YEARS:.0f} years",
        lost,
        "odds",
        "1 - product over groups of (1 - odds)",
        *parts,
        window,
        source="Markov chain after Patterson, Gibson and Katz 1988",
    )
