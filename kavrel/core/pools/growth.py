"""Years ahead: when a pool passes 80 and 90 %, and what each way of growing gives and costs then.

Datasets grow by their own yearly growth, and with them their copies on other pools. Prices drift
by a share a year. Widening a RAIDZ group leaves old blocks at their old ratio of data to parity:
only what is free is gained at the new one.
Source of the marks: common practice, no source (see the assumptions).
"""

from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import date, timedelta

from pydantic import BaseModel, ConfigDict

from kavrel.core.bench.bays import bays, misfit
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.filesystems.zfs import efficiency
from kavrel.core.index import Index
from kavrel.core.plan import Offer, Pool
from kavrel.core.pools import room
from kavrel.core.pools.facts import DiskFacts
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.layout import Layout
from kavrel.core.pools.passes import pass_hours
from kavrel.core.pools.pool import disk_facts, pool_conditions
from kavrel.core.pools.taken import Need, Stored, trees
from kavrel.core.quantities import YEAR_DAYS
from kavrel.core.working import Working, step

MONTHS_A_YEAR = 12


class FillPoint(BaseModel):
    """Bytes needed so many years from now, and their share of the room."""

    model_config = ConfigDict(frozen=True)

    years: float
    on: date
    need_bytes: int
    fill: float


class Enlargement(BaseModel):
    """One way to grow at the date when it is due: room after it, money then, hours, next date."""

    model_config = ConfigDict(frozen=True)

    what: str
    usable_bytes: int
    gained_bytes: int
    cost_minor: int
    hours: float
    disks_bought: int
    lasts_until: date | None
    caution: str
    working: Working


class Growth(BaseModel):
    """A pool's years ahead. Dates are None where the mark is not reached within ten years."""

    model_config = ConfigDict(frozen=True)

    pool: str
    usable_bytes: int
    now_bytes: int
    a_year_bytes: int
    points: tuple[FillPoint, ...]
    warn_on: date | None
    slow_on: date | None
    full_on: date | None
    enlargements: tuple[Enlargement, ...]
    working: Working


def need_of(index: Index, pool: Pool, stored: Stored) -> Need:
    """What the datasets of a pool and the copies on it need."""
    return Need(stored.now_bytes, stored.a_year_bytes, trees(index, pool.id))


def drifted(price_minor: int, drift: float, years: float) -> int:
    """A price so many years from now."""
    return round(price_minor * float((1 + drift) ** years))


def growth(
    index: Index, pool: Pool, layout: Layout, stored: Stored, today: date, years: int
) -> Growth:
    """The years ahead of a pool, up to ten."""
    known = index.assumptions
    need = need_of(index, pool, stored)
    usable = layout.usable_bytes
    marks = [known["fill_warn_share"], known["fill_slow_share"], 1.0]
    passed = [need.until(usable * m) for m in marks]
    dates = [_date(today, p) for p in passed]
    due = passed[0] if passed[0] is not None and passed[0] <= years else None
    points = [
        FillPoint(
            years=m / MONTHS_A_YEAR,
            on=today + timedelta(days=m * YEAR_DAYS / MONTHS_A_YEAR),
            need_bytes=need.at(m / MONTHS_A_YEAR),
            fill=need.at(m / MONTHS_A_YEAR) / usable if usable else 0.0,
        )
        for m in range(0, years * MONTHS_A_YEAR + 1, 3)
    ]
    return Growth(
        pool=pool.id,
        usable_bytes=usable,
        now_bytes=need.at(0.0),
        a_year_bytes=need.at(1.0) - need.at(0.0),
        points=tuple(points),
        warn_on=dates[0],
        slow_on=dates[1],
        full_on=dates[2],
        enlargements=tuple(_enlargements(index, pool, layout, need, today, due or 0.0)),
        working=step(
            f"past {marks[0]:.0%} full",
            dates[0].isoformat() if dates[0] else "not within ten years",
            "",
            "(room x mark - needed now) / growth a year",
            step("room", usable, "bytes"),
            step("needed now, with what is kept and copies of others", need.at(0.0), "bytes"),
            step("growth in the first year", need.at(1.0) - need.at(0.0), "bytes"),
            known.step("fill_warn_share"),
            known.step("fill_slow_share"),
            known.step("price_drift"),
        ),
    )


def _date(today: date, years: float | None) -> date | None:
    if years is None or years > 10:
        return None
    return today + timedelta(days=years * YEAR_DAYS)


def offer_facts(index: Index, offer: Offer) -> DiskFacts:
    """An offered disk's figures, as if it were bought."""
    known = index.assumptions
    family = "hdd" if offer.kind == "hdd" else "ssd"
    rate = known[f"{family}_failure_rate"]
    if offer.condition == "refurbished":
        rate = min(0.99, rate * known["refurbished_factor"])
    return DiskFacts(
        id=offer.id,
        label=offer.label,
        capacity_bytes=offer.capacity_bytes,
        mb_per_s=offer.mb_per_s,
        yearly_failure_rate=rate,
        bits_per_read_error=known[f"{family}_bits_per_read_error"],
        price_minor=offer.price_minor,
        kind=offer.kind,
        condition=offer.condition,
        shingled=offer.recording == "smr",
        iops=known[f"{offer.kind}_iops"],
        latent_errors_per_year=known[
            "latent_errors_per_year" if family == "hdd" else "ssd_latent_errors_per_year"
        ],
        weibull_shape=known["ssd_weibull_shape"] if family == "ssd" else None,
        watts=known[f"{offer.kind}_watts"],
        idle_watts=known[f"{offer.kind}_idle_watts"],
    )


def offers_for(index: Index, pool: Pool) -> list[DiskFacts]:
    """What could be bought for a pool: the price list, or a disk like its own largest."""
    members = [disk_facts(index, index.disks[d]) for d in pool.disks]
    kinds = {d.kind for d in members}
    found = [
        offer_facts(index, o)
        for o in index.plan.offers
        if o.kind in kinds and o.condition != "refurbished"
    ]
    if found:
        return found
    largest = max(members, key=lambda d: d.capacity_bytes)
    return [replace(largest, id="same", label=f"disk like {largest.label}")]


def free_bays(index: Index, pool: Pool) -> int:
    """Bays of a pool's box that are empty and take disks like its own."""
    host = index.hosts[pool.host]
    taken = {d.bay for d in index.plan.disks if d.host == host.id}
    like = max((index.disks[d] for d in pool.disks), key=lambda d: d.capacity_bytes)
    return sum(1 for b in bays(host) if b not in taken and misfit(like, b) is None)


def _enlargements(
    index: Index, pool: Pool, layout: Layout, need: Need, today: date, due: float
) -> list[Enlargement]:
    family = FAMILIES[pool.family]
    conditions = pool_conditions(index, pool)
    drift = index.assumptions["price_drift"]
    warn = index.assumptions["fill_warn_share"]
    groups = [[disk_facts(index, index.disks[d]) for d in g] for g in pool.groups]
    sizes = tuple(tuple(d.capacity_bytes for d in g) for g in groups)
    found: list[Enlargement] = []
    free = free_bays(index, pool)

    def usable(changed: Sequence[Sequence[int]], family_id: str = pool.family) -> int:
        return room.usable_bytes(
            family_id,
            tuple(tuple(g) for g in changed),
            pool.filesystem,
            conditions.ashift,
            conditions.record_bytes,
        )

    def add(
        what: str,
        after: int,
        disk: DiskFacts,
        count: int,
        hours: float,
        caution: str = "",
        in_place: bool = False,
    ) -> None:
        """One way to grow; without a bay for each disk it cannot be, unless old ones make way."""
        if after <= layout.usable_bytes or (count > free and not in_place):
            return
        each = drifted(disk.price_minor, drift, due)
        found.append(
            Enlargement(
                what=what,
                usable_bytes=after,
                gained_bytes=after - layout.usable_bytes,
                cost_minor=each * count,
                hours=hours,
                disks_bought=count,
                lasts_until=_date(today, need.until(after * warn)),
                caution=caution,
                working=step(
                    what,
                    after,
                    "bytes",
                    "usable with the disks added",
                    step("usable now", layout.usable_bytes, "bytes"),
                    step(f"price of {disk.label} in {due:.1f} years", each, "money"),
                    step("disks bought", count),
                    step("price drift", drift, "a year", assumption="price_drift"),
                ),
            )
        )

    def pass_of(disk: DiskFacts) -> float:
        inner = conditions.inner_share if disk.kind == "hdd" else 1.0
        hours = pass_hours(disk.capacity_bytes, disk.mb_per_s, inner)
        return hours / conditions.rebuild_speed_share

    for disk in _worthwhile(offers_for(index, pool)):
        size = disk.capacity_bytes
        smallest = min(min(g) for g in sizes)
        if family.grows_by == "disk":
            wider = [[*sizes[0], size], *sizes[1:]]
            if not family.check(wider) and not family.complaint(wider):
                joins = family.reshapes
                hours = (
                    pass_of(disk) * (len(sizes[0]) if joins else 1) if layout.survives_any else 0.25
                )
                caution = "a reshape rewrites every disk: have the copy first" if joins else ""
                if not joins or size >= smallest:
                    add(f"add one {disk.label}", usable(wider), disk, 1, hours, caution)
        widths = [len(g) for g in sizes]
        if family.grows_by == "group" and FILESYSTEMS[pool.filesystem].whole_disks:
            width = widths[0]
            target = family.of_more_groups or pool.family
            more = [*sizes, tuple([size] * width)]
            add(f"add a group of {width} x {disk.label}", usable(more, target), disk, width, 0.25)
        if (
            (family.grows_by in ("group", "disk", "replace") and family.smallest_rules)
            or widths == [1]
        ) and size > smallest:
            larger = [[max(size, s) if s < size else s for s in g] for g in sizes[:1]]
            larger += [list(g) for g in sizes[1:]]
            count = sum(1 for s in sizes[0] if s < size)
            add(
                f"replace {count} one by one with {disk.label}",
                usable(larger),
                disk,
                count,
                pass_of(groups[0][0]) * count,
                (
                    "the room appears after the last; with a bay free the old disk stays in until its "
                    "successor is filled, so nothing is ever less redundant"
                    if free
                    else "the room appears after the last; each swap is a rebuild with one disk less"
                )
                if layout.survives_any
                else "copied to the new disk with the pool out of use",
                in_place=True,
            )
        if family.widens and size >= min(sizes[0]):
            after = widened_bytes(pool, sizes, usable, need.at(due))
            # Every used byte of the group is read once and written once, over all its disks.
            total = usable([list(g) for g in sizes])
            full = min(need.at(due) / total, 1.0) if total else 1.0
            shown = total + usable([sizes[0]]) // widths[0]
            add(
                f"widen a group by one {disk.label}",
                after,
                disk,
                1,
                2 * full * max(pass_of(d) for d in groups[0]),
                "old blocks keep the old ratio until they are written anew; zfs list goes on counting by "
                f"that ratio and shows about {shown / 1e12:.1f} TB",
            )
    return sorted(found, key=lambda e: e.cost_minor / e.gained_bytes)


def widened_bytes(
    pool: Pool,
    sizes: Sequence[Sequence[int]],
    usable: Callable[[Sequence[Sequence[int]]], int],
    used_bytes: int,
) -> int:
    """Usable bytes after a disk joins a RAIDZ group that already holds data.

    The used share of the first group stays as wide as it was; the rest is at the new ratio.
    """
    first, rest = list(sizes[0]), [list(g) for g in sizes[1:]]
    parity = int(pool.family[-1])
    width = len(first)
    before, after = usable([first]), usable([[*first, min(first)]])
    total = usable([first, *rest])
    here = min(used_bytes * before // total, before) if total else 0
    block, shift = pool.record_kib * 1024, pool.ashift
    old = efficiency(block, width, parity, shift)
    new = efficiency(block, width + 1, parity, shift)
    # What the old blocks would take at the new ratio is less than they do take.
    lost = int(here * (new / old - 1))
    return total - before + after - max(lost, 0)


def _worthwhile(offers: Sequence[DiskFacts]) -> list[DiskFacts]:
    """No offer that another one beats in both size and price."""
    return [
        a
        for a in offers
        if not any(
            b is not a
            and b.capacity_bytes >= a.capacity_bytes
            and b.price_minor <= a.price_minor
            and (b.capacity_bytes, -b.price_minor) != (a.capacity_bytes, -a.price_minor)
            for b in offers
        )
    ]
