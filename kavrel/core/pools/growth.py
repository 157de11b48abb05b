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
    offers = [
        offer_facts(index, o)
        for o in index.plan.offers
        if o.kind in kinds and o.condition != "refurbished"
    ]
    if offers:
        return offers
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
    growing = _Growing(index, pool, layout, need, today, due)
    for disk in _worthwhile(offers_for(index, pool)):
        growing.one_disk(disk)
        growing.a_group(disk)
        growing.larger_ones(disk)
        growing.wider_group(disk)
    return sorted(growing.enlargements, key=lambda e: e.cost_minor / e.gained_bytes)


class _Growing:
    """The ways in which one pool can grow with one kind of disk after the other."""

    def __init__(
        self, index: Index, pool: Pool, layout: Layout, need: Need, today: date, due: float
    ) -> None:
        self.pool, self.layout, self.need, self.today, self.due = pool, layout, need, today, due
        self.family = FAMILIES[pool.family]
        self.conditions = pool_conditions(index, pool)
        self.drift = index.assumptions["price_drift"]
        self.warn = index.assumptions["fill_warn_share"]
        self.groups = [[disk_facts(index, index.disks[d]) for d in g] for g in pool.groups]
        self.sizes = tuple(tuple(d.capacity_bytes for d in g) for g in self.groups)
        self.smallest = min(min(g) for g in self.sizes)
        self.free = free_bays(index, pool)
        self.enlargements: list[Enlargement] = []

    def usable(self, changed: Sequence[Sequence[int]], family_id: str | None = None) -> int:
        """Room of the pool with groups of these sizes."""
        return room.usable_bytes(
            family_id or self.pool.family,
            tuple(tuple(g) for g in changed),
            self.pool.filesystem,
            self.conditions.ashift,
            self.conditions.record_bytes,
            self.pool.encrypted,
        )

    def add(
        self,
        what: str,
        after: int,
        disk: DiskFacts,
        count: int,
        hours: float,
        caution: str = "",
        in_place: bool = False,
    ) -> None:
        """One way to grow; without a bay for each disk it cannot be, unless old ones make way."""
        now = self.layout.usable_bytes
        if after <= now or (count > self.free and not in_place):
            return
        each = drifted(disk.price_minor, self.drift, self.due)
        self.enlargements.append(
            Enlargement(
                what=what,
                usable_bytes=after,
                gained_bytes=after - now,
                cost_minor=each * count,
                hours=hours,
                disks_bought=count,
                lasts_until=_date(self.today, self.need.until(after * self.warn)),
                caution=caution,
                working=step(
                    what,
                    after,
                    "bytes",
                    "usable with the disks added",
                    step("usable now", now, "bytes"),
                    step(f"price of {disk.label} in {self.due:.1f} years", each, "money"),
                    step("disks bought", count),
                    step("price drift", self.drift, "a year", assumption="price_drift"),
                ),
            )
        )

    def pass_of(self, disk: DiskFacts) -> float:
        """Hours to go over a whole disk while the pool is at work."""
        inner = self.conditions.inner_share if disk.kind == "hdd" else 1.0
        hours = pass_hours(disk.capacity_bytes, disk.mb_per_s, inner)
        return hours / self.conditions.rebuild_speed_share

    def one_disk(self, disk: DiskFacts) -> None:
        """One disk more in the only set there is."""
        wider = [[*self.sizes[0], disk.capacity_bytes], *self.sizes[1:]]
        if (
            self.family.grows_by != "disk"
            or self.family.check(wider)
            or self.family.complaint(wider)
        ):
            return
        joins = self.family.reshapes
        hours = 0.25
        if self.layout.survives_any:
            hours = self.pass_of(disk) * (len(self.sizes[0]) if joins else 1)
        caution = "a reshape rewrites every disk: have the copy first" if joins else ""
        if not joins or disk.capacity_bytes >= self.smallest:
            self.add(f"add one {disk.label}", self.usable(wider), disk, 1, hours, caution)

    def a_group(self, disk: DiskFacts) -> None:
        """A group more, as wide as those that stand."""
        if self.family.grows_by == "group" and FILESYSTEMS[self.pool.filesystem].whole_disks:
            width = len(self.sizes[0])
            target = self.family.of_more_groups or self.pool.family
            after = self.usable([*self.sizes, tuple([disk.capacity_bytes] * width)], target)
            self.add(f"add a group of {width} x {disk.label}", after, disk, width, 0.25)

    def larger_ones(self, disk: DiskFacts) -> None:
        """Larger disks in the place of the smaller ones of the first group."""
        size, sizes = disk.capacity_bytes, self.sizes
        able = self.family.grows_by in ("group", "disk", "replace") and self.family.smallest_rules
        if size <= self.smallest or not (able or [len(g) for g in sizes] == [1]):
            return
        larger = [[max(size, s) if s < size else s for s in g] for g in sizes[:1]]
        larger += [list(g) for g in sizes[1:]]
        count = sum(1 for s in sizes[0] if s < size)
        caution = "copied to the new disk with the pool out of use"
        if self.layout.survives_any:
            caution = (
                "the room appears after the last; with a bay free the old disk stays in until its "
                "successor is filled, so nothing is ever less redundant"
                if self.free
                else "the room appears after the last; each swap is a rebuild with one disk less"
            )
        what = f"replace {count} one by one with {disk.label}"
        hours = self.pass_of(self.groups[0][0]) * count
        self.add(what, self.usable(larger), disk, count, hours, caution, in_place=True)

    def wider_group(self, disk: DiskFacts) -> None:
        """A group widened by a disk: what is there keeps its ratio until it is written anew."""
        sizes, need = self.sizes, self.need.at(self.due)
        if not self.family.widens or disk.capacity_bytes < min(sizes[0]):
            return
        after = widened_bytes(self.pool, sizes, self.usable, need)
        # Every used byte of the group is read once and written once, over all its disks.
        total = self.usable([list(g) for g in sizes])
        full = min(need / total, 1.0) if total else 1.0
        shown = total + self.usable([sizes[0]]) // len(sizes[0])
        self.add(
            f"widen a group by one {disk.label}",
            after,
            disk,
            1,
            2 * full * max(self.pass_of(d) for d in self.groups[0]),
            "old blocks keep the old ratio until they are written anew; zfs list goes on counting by "
            f"that ratio and shows about {shown / 1e12:.1f} TB",
        )


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
