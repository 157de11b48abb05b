"""Lays disks out by a family's rule: bytes, survival, time, odds and the map of each disk."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import Any

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.pools import room
from kavrel.core.pools.facts import Conditions, DiskFacts
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.families.family import Family
from kavrel.core.pools.layout import DiskSlices, Layout, LayoutError, Speeds
from kavrel.core.pools.loss import latent_error, loss, rated_error, redundancy_sets, repair_of
from kavrel.core.pools.passes import pass_hours
from kavrel.core.pools.survival import outlives, survival
from kavrel.core.working import Working, step

TB = 10**12
Disks = Sequence[Sequence[DiskFacts]]
Groups = tuple[tuple[DiskFacts, ...], ...]


def lay_out(
    family_id: str,
    groups: Disks,
    filesystem: str,
    conditions: Conditions,
) -> Layout:
    """The layout of these groups of disks.

    Raises LayoutError where the family does not allow the groups, the sizes or the file system.
    Usable bytes come from the family's arrays and the file system's own rules; see the
    modules of `families` and `filesystems` for their sources.
    """
    family = FAMILIES[family_id]
    complaint = family.check(groups) or family.complaint(
        [[d.capacity_bytes for d in g] for g in groups]
    )
    if complaint:
        raise LayoutError(complaint)
    # An older plan may have another one below a tree; its bytes are what they are.
    if filesystem not in family.filesystems and not family.apart:
        allowed = ", ".join(sorted(family.filesystems))
        raise LayoutError(f"{family.title} does not go with {filesystem}: choose {allowed}")
    bare = tuple(tuple([d.priceless for d in g]) for g in groups)
    return _priced(_lay_out(family, bare, filesystem, conditions), groups)


def _priced(layout: Layout, groups: Disks) -> Layout:
    """The layout with what its disks cost; nothing else follows from prices."""
    prices = {d.id: (d.price_minor, d.capacity_bytes) for g in groups for d in g}
    cost = sum(price for price, _ in prices.values())
    if not cost:
        return layout
    stranded = (prices[s.disk] + (s.stranded_bytes,) for s in layout.disks)
    usable = layout.usable_bytes
    return layout.model_copy(
        update={
            "stranded_cost_minor": sum(price * bytes_ // of for price, of, bytes_ in stranded),
            "cost_minor": cost,
            "cost_per_tb_minor": round(cost * TB / usable) if usable else None,
        }
    )


@lru_cache(maxsize=8192)
def _lay_out(family: Family, groups: Groups, filesystem: str, conditions: Conditions) -> Layout:
    if conditions.fill != 1.0:
        # How full it is changes its odds and nothing else.
        laid = _lay_out(family, groups, filesystem, replace(conditions, fill=1.0))
        hours = laid.rebuild_hours
        return laid.model_copy(update=_odds(family, groups, filesystem, hours, conditions))
    sizes = tuple(tuple(d.capacity_bytes for d in g) for g in groups)
    widths = [len(g) for g in groups]
    disks = [d for g in groups for d in g]
    ashift, record, locked = conditions.ashift, conditions.record_bytes, conditions.locked
    space = room.space(family, sizes, filesystem, ashift, record, locked)
    usable = space.usable_bytes
    slices = _slices(family, groups, usable)
    repair = repair_of(family, groups, filesystem, conditions)
    any_disks = outlives(family, widths)
    whole = max(_pass(d, conditions) for d in disks)
    return Layout(
        **_at_work(family, groups, filesystem, usable, conditions),
        **_odds(family, groups, filesystem, repair.rebuild_hours, conditions),
        family=family.id,
        title=title(family, widths),
        filesystem=filesystem,
        groups=tuple(tuple(d.id for d in g) for g in groups),
        usable_bytes=usable,
        holds_bytes=int(usable * conditions.compression_ratio),
        raw_bytes=sum(d.capacity_bytes for d in disks),
        stranded_bytes=sum(s.stranded_bytes for s in slices),
        stranded_cost_minor=0,  # see _priced
        one_set=family.one_set,
        survives_any=any_disks,
        survives=_survives(family, groups, any_disks),
        survival=survival(family, widths),
        remains=family.remains,
        rebuild_hours=repair.rebuild_hours,
        rebuilds=repair.rebuilds,
        surface_hours=whole,
        sync_hours=repair.sync_hours,
        scrub_hours=whole / conditions.rebuild_speed_share if any_disks else None,
        cost_minor=0,
        cost_per_tb_minor=None,
        grows=family.grows,
        grows_by=family.grows_by,
        disks=slices,
        working=space.working,
        rebuild_working=repair.working,
    )


def _odds(
    family: Family,
    groups: Groups,
    filesystem: str,
    rebuild_hours: float | None,
    conditions: Conditions,
) -> dict[str, Any]:
    """Of a loss, and of a bad sector in a rebuild, each with its working."""
    sets = redundancy_sets(family, groups)
    has = outlives(family, [len(g) for g in groups])
    odds = loss(family, groups, filesystem, rebuild_hours, conditions)

    def worst(error: Callable[..., float]) -> float | None:
        return max(error(family, g, conditions) for g in sets) if has else None

    return {
        "read_error_odds": worst(latent_error),
        "read_error_at_most": worst(rated_error),
        "loss_odds_5y": odds.lost,
        "damage_odds_5y": odds.damaged,
        "damage_at_most_5y": odds.damaged_at_most,
        "odds_working": odds.lost_working,
        "damage_working": odds.damaged_working,
    }


def _at_work(
    family: Family,
    groups: Groups,
    filesystem: str,
    usable: int,
    conditions: Conditions,
) -> dict[str, Any]:
    """What it does and takes while it works: speeds, memory, power, each with its working."""
    disks = [d for g in groups for d in g]
    speeds, speed_working = _speeds(family, groups, conditions)
    ram, ram_working = _memory(filesystem, usable, conditions)
    return {
        "read_mb_per_s": speeds.read_mb_per_s,
        "write_mb_per_s": speeds.write_mb_per_s,
        "speeds": speeds,
        "speed_working": speed_working,
        "ram_gib": ram,
        "ram_working": ram_working,
        "idle_watts": sum(d.idle_watts for d in disks),
        "active_watts": sum(d.watts for d in disks),
        "power_working": _power_working(disks),
    }


def _power_working(disks: Sequence[DiskFacts]) -> Working:
    return step(
        "power of the disks at work",
        sum(d.watts for d in disks),
        "W",
        "sum over the disks",
        *(step(d.label, d.watts, "W") for d in disks),
        step("when idle", sum(d.idle_watts for d in disks), "W"),
    )


def title(family: Family, widths: Sequence[int]) -> str:
    """The family's name with its groups."""
    if family.one_set:
        return f"{family.title}, {widths[0]} + {widths[1]}"
    if len(widths) == 1:
        return family.title if widths[0] == 1 else f"{family.title}, {widths[0]} wide"
    if len(set(widths)) == 1:
        return f"{family.title}, {len(widths)} x {widths[0]}"
    return f"{family.title}, {' + '.join(map(str, widths))}"


def _survives(family: Family, groups: Disks, any_disks: int) -> str:
    if any_disks == 0:
        return "none"
    if len(groups) == 1 or family.one_set:
        return f"any {any_disks}"
    return f"any {any_disks}, up to {any_disks} a group"


def _pass(disk: DiskFacts, conditions: Conditions) -> float:
    inner = conditions.inner_share if disk.kind == "hdd" else 1.0
    return pass_hours(disk.capacity_bytes, disk.mb_per_s, inner)


def _slices(family: Family, groups: Disks, usable: int) -> tuple[DiskSlices, ...]:
    """Shares the usable bytes over the disks; each disk's four parts add up to its capacity."""
    rooms = family.rooms([[d.capacity_bytes for d in g] for g in groups])
    total = sum(r.data for group in rooms for r in group)
    result = []
    shared = passed = 0
    for group, parts in zip(groups, rooms, strict=True):
        for disk, part in zip(group, parts, strict=True):
            passed += part.data
            upto = usable * passed // total if total else 0
            # Allocation can be kinder than the plain ratio only by rounding; never beyond the room.
            data = min(upto - shared, part.data)
            shared = upto
            result.append(
                DiskSlices(
                    disk=disk.id,
                    data_bytes=data,
                    redundancy_bytes=part.redundancy,
                    reserve_bytes=part.data - data,
                    stranded_bytes=part.stranded,
                )
            )
    return tuple(result)


def _speeds(family: Family, groups: Disks, conditions: Conditions) -> tuple[Speeds, Working]:
    """The slowest disk sets the pace of all; groups stripe, and one of them is degraded."""
    disks = [d for g in groups for d in g]
    slowest = min(disks, key=lambda d: (d.mb_per_s, d.label))
    least_iops = min(d.iops for d in disks)
    rewrite = conditions.smr_write_share if any(d.shingled for d in disks) else 1.0
    widths = [len(disks)] if family.one_set else [len(g) for g in groups]
    paces = [family.pace(width) for width in widths]

    def total(whole: str, degraded: str | None = None) -> float:
        values = [getattr(p, whole) for p in paces]
        if degraded:
            values[0] = getattr(paces[0], degraded)
        return float(sum(values))

    has = any(family.outlives(len(g)) for g in redundancy_sets(family, groups))
    speed = slowest.mb_per_s

    def lessened(whole: str, degraded: str, unit: float) -> float | None:
        return total(whole, degraded) * unit if has else None

    speeds = Speeds(
        read_mb_per_s=total("read") * speed,
        write_mb_per_s=total("write") * speed,
        read_iops=total("random_read") * least_iops,
        write_iops=total("random_write") * least_iops * rewrite,
        degraded_read_mb_per_s=lessened("read", "degraded_read", speed),
        degraded_write_mb_per_s=lessened("write", "degraded_write", speed),
        degraded_read_iops=lessened("random_read", "degraded_random_read", least_iops),
        degraded_write_iops=lessened("random_write", "degraded_random_write", least_iops * rewrite),
        slowest=slowest.label,
    )
    inputs = [
        step(f"speed of {slowest.label}, the slowest", speed, "MB/s"),
        step("disks that stream at once when reading", total("read")),
        step("disks that stream at once when writing", total("write")),
        step("random accesses of the slowest disk", least_iops, "IOPS", assumption="hdd_iops"),
        step("disks' worth of small random writes", total("random_write")),
    ]
    if rewrite < 1:
        inputs.append(
            step("left of it with shingled tracks", rewrite, "of it", assumption="smr_write_share")
        )
    working = step(
        "streaming read",
        speeds.read_mb_per_s,
        "MB/s",
        "disks that stream at once x speed of the slowest",
        *inputs,
        source="small writes of parity groups: Patterson, Gibson and Katz 1988",
    )
    return speeds, working


def _memory(filesystem: str, usable: int, conditions: Conditions) -> tuple[float, Working]:
    base = step("a plain file server", conditions.ram_gib_files, "GiB", assumption="ram_gib_files")
    if not FILESYSTEMS[filesystem].big_cache:
        return conditions.ram_gib_files, step(
            "memory advised", conditions.ram_gib_files, "GiB", "", base
        )
    wanted = max(conditions.ram_gib_files, usable / TB * conditions.ram_gib_per_tb)
    return wanted, step(
        "memory advised",
        wanted,
        "GiB",
        "usable x GiB a TB, no less than a plain file server; with less the cache is smaller",
        step("usable", usable, "bytes"),
        step("of ZFS", conditions.ram_gib_per_tb, "GiB a TB", assumption="ram_gib_per_tb"),
        base,
    )
