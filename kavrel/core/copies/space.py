"""The space that points in time hold, what removing one frees, and when the pool is full of it.

The model of change: every day `deleted_bytes_per_day` go and as much comes, `change_bytes_per_day`
are rewritten in place, of which `repeat_share` are the same places every day; the rest is spread.
After n days, n >= 1, gone(n) = deleted x n + change x ((1 - repeat) x n + repeat), at most the whole.
A version of a block is held by the last point that has it, so a row of points holds the sum of
gone() over the gaps between them and to now; taking one out joins two gaps.
Source: inclusion and exclusion over copy-on-write blocks; the rates are the plan's own.
"""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta
from functools import lru_cache
from itertools import pairwise
from zoneinfo import ZoneInfo

from pydantic import BaseModel, ConfigDict

from kavrel.core.copies.book import CopyBook
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Dataset, Job
from kavrel.core.pools.taken import Need, Stored, reserved_bytes, trees
from kavrel.core.quantities import DAY, YEAR_DAYS
from kavrel.core.working import Working, step


class _View(BaseModel):
    model_config = ConfigDict(frozen=True)


def gone(dataset: Dataset, days: float) -> float:
    """Bytes of a state that no longer exist after so many days."""
    again = dataset.change_bytes_per_day * dataset.repeat_share
    spread = dataset.change_bytes_per_day - again + dataset.deleted_bytes_per_day
    return min(spread * days + again * min(days, 1.0), float(dataset.size_bytes))


@lru_cache(maxsize=1024)
def held(dataset: Dataset, times: tuple[float, ...], now: float) -> float:
    """Bytes that points at these times (epoch s, in order) hold beyond what is live now."""
    marks = [*times, max(now, times[-1])] if times else []
    return sum(gone(dataset, (b - a) / DAY) for a, b in pairwise(marks))


def frees(dataset: Dataset, times: Sequence[float], now: float, which: int) -> float:
    """Bytes that come back when this one point goes."""
    after = times[which + 1] if which + 1 < len(times) else now
    here = gone(dataset, max(after - times[which], 0.0) / DAY)
    if which == 0:
        return here
    before = gone(dataset, (times[which] - times[which - 1]) / DAY)
    joined = gone(dataset, (after - times[which - 1]) / DAY)
    return max(here + before - joined, 0.0)


def freed(book: CopyBook, job: Job, times: Sequence[float], now: float, which: int) -> Working:
    """Bytes that come back on the store when one point of a job goes, with their working."""
    name = "freed when this point goes"
    if KINDS[job.kind].whole_points(job):
        whole = book.first_bytes(job)
        return step(name, whole, "bytes", "a whole archive: all that is copied, as it is stored")
    datasets = [book.index.datasets[d] for d in job.datasets]
    shares = [frees(d, times, now, which) * book.stored_share(job, d) for d in datasets]
    after = times[which + 1] if which + 1 < len(times) else now
    days = max(after - times[which], 0.0) / DAY
    gaps = [step("to the next point, or to now", days, "days")]
    if which:
        gaps.insert(
            0, step("from the point before", (times[which] - times[which - 1]) / DAY, "days")
        )
    return step(
        name,
        int(sum(shares)),
        "bytes",
        "what only this point holds: gone from it to the next + gone from the one before to it - gone from the "
        "one before to the next"
        if which
        else "the oldest: what is gone from it to the next",
        *gaps,
        *(
            step(
                d.name,
                int(freed),
                "bytes",
                "what is changed or deleted in those days, at most all of it, x share that is stored",
                step("changed a day", d.change_bytes_per_day, "bytes"),
                step("of which it is the same again and again", d.repeat_share, "of it"),
                step("deleted a day", d.deleted_bytes_per_day, "bytes"),
                step("stored of each byte", book.stored_share(job, d), "of it"),
            )
            for d, freed in zip(datasets, shares, strict=True)
        ),
    )


def held_bytes(book: CopyBook, job: Job, day: date) -> float:
    """Bytes that a job's points hold beside the newest state, on its own store."""
    return book.once(lambda: _held_bytes(book, job, day), "held_bytes", job.id, day)


def _held_bytes(book: CopyBook, job: Job, day: date) -> float:
    if not KINDS[job.kind].copies:
        return 0.0
    times = tuple(p.data_time for p in book.points_on(job, day))
    if not times:
        return 0.0
    if KINDS[job.kind].whole_points(job):
        return float(book.first_bytes(job) * (len(times) - 1))
    now = times[-1]
    if KINDS[job.kind].in_place:  # here the live state is the dataset itself
        zone = ZoneInfo(book.index.plan.zone)
        now = datetime.combine(day + timedelta(days=1), time(), zone).timestamp()
    return sum(
        held(d, times, now) * book.stored_share(job, d)
        for d in (book.index.datasets[key] for key in job.datasets)
    )


def in_the_making(book: CopyBook, job: Job) -> int:
    """Bytes that a run writes before an old point goes: a whole archive; what only changed is little.

    Common practice, no source: a tool prunes once the new archive is there.
    """
    whole = job.target_pool and KINDS[job.kind].whole_points(job)
    return book.first_bytes(job) if whole else 0


def stored_on(book: CopyBook) -> dict[str, Stored]:
    """Pool to what others' newest copies and all points on it take, now and more each year.

    Room for the archives that are being made is part of it.
    """
    return book.once(lambda: _stored_on(book), "stored_on")


def _stored_on(book: CopyBook) -> dict[str, Stored]:
    index = book.index
    now: dict[str, float] = defaultdict(float)
    a_year: dict[str, float] = defaultdict(float)
    for job in index.plan.jobs:
        pool = book.place(job).pool
        if not pool or not KINDS[job.kind].copies:
            continue
        now[pool] += held_bytes(book, job, book.as_of) + in_the_making(book, job)
        if job.target_pool:
            now[pool] += book.first_bytes(job)
            a_year[pool] += growing(book, job)
    return {p: Stored(int(now[p]), int(a_year[p])) for p in now}


def crowded_out(book: CopyBook, job: Job) -> tuple[int, int] | None:
    """Bytes needed and there on the pool of a copy whose runs end half-way once its points are as planned.

    None where they go on: what only others need while they make an archive is not counted, nor are
    copies of which not even the newest state goes in.
    """
    pool = job.target_pool
    if not pool or not KINDS[job.kind].copies:
        return None
    state = book.states[pool]
    need = state.taken_bytes + _kept_on(book)[pool] + in_the_making(book, job)
    there = state.layout.usable_bytes
    return (int(need), there) if need > there else None


def crowded_quota(book: CopyBook, index: Index, job: Job) -> tuple[Dataset, int, int] | None:
    """The dataset that a copy lands in, where its quota is full with all points; bytes needed, and the quota.

    What PCs back up by their own program makes room itself when its quota is full: there the newest
    state has to go in.
    """
    lands, kind = index.lands_on(job), KINDS[job.kind]
    if lands is None or lands.quota_bytes is None or not kind.copies:
        return None
    # What lies in a place for copies are the copies.
    need = in_the_making(book, job) + (0 if lands.id in index.landing else lands.size_bytes)
    for other in index.plan.jobs:
        if index.lands_on(other) is lands and KINDS[other.kind].copies:
            points = 0.0 if KINDS[other.kind].by_pc else held_bytes(book, other, book.as_of)
            need += book.first_bytes(other) + int(points)
    return (lands, need, lands.quota_bytes) if need > lands.quota_bytes else None


def _kept_on(book: CopyBook) -> dict[str, float]:
    """Pool to what copies that go in, and all points, take on it."""

    def reckoned() -> dict[str, float]:
        kept: dict[str, float] = defaultdict(float)
        for job in book.index.plan.jobs:
            pool, room = book.place(job).pool, book.room_for(job)
            if not pool or not KINDS[job.kind].copies or (room and room[0] > room[1]):
                continue
            kept[pool] += held_bytes(book, job, book.as_of)
            kept[pool] += book.first_bytes(job) if job.target_pool else 0
        return kept

    return book.once(reckoned, "kept_on")


def growing(book: CopyBook, job: Job) -> float:
    """Bytes that the newest state of a copy grows by in a year: what is left out does not come."""
    datasets = (book.index.datasets[d] for d in job.datasets)
    return sum(d.growth_bytes_per_year * book.stored_share(job, d) for d in datasets)


class Layer(_View):
    """What lies on a pool for one reason: live data, points of a job, a copy of another pool."""

    name: str
    kind: str
    bytes: int


class Mark(_View):
    """How full a pool is at a month's begin."""

    day: date
    live_bytes: int
    points_bytes: int
    copies_bytes: int


class QuotaMark(_View):
    """The day on which a dataset with its snapshots meets its quota."""

    dataset: str
    day: date


class PoolSpace(_View):
    """A pool over the years: its layers now, every month, and the days on which marks are passed.

    `warn_on`, `full_on`: where it passes the planned fill and its end; None: not in these years.
    """

    pool: str
    usable_bytes: int
    layers: tuple[Layer, ...]
    marks: tuple[Mark, ...]
    warn_on: date | None
    full_on: date | None
    quota_on: tuple[QuotaMark, ...]
    working: Working


@dataclass
class _CopiedHere:
    """What the jobs that copy onto a pool keep there, bytes, and what it grows by a year."""

    points: float = 0.0
    copies: float = 0.0
    growth: float = 0.0
    layers: list[Layer] = field(default_factory=list)
    parts: list[Working] = field(default_factory=list)

    def add(self, name: str, kind: str, count: float, of: Working) -> None:
        self.layers.append(Layer(name=name, kind=kind, bytes=int(count)))
        self.parts.append(of)
        if kind == "points":
            self.points += count
        else:
            self.copies += count


def _copied_here(book: CopyBook, pool: str) -> _CopiedHere:
    here = _CopiedHere()
    for job in book.index.plan.jobs:
        if not KINDS[job.kind].copies or book.place(job).pool != pool:
            continue
        if hold := held_bytes(book, job, book.as_of):
            count = len(book.points_on(job, book.as_of))
            said = step(f"points of {job.name}", hold, "bytes", f"gaps between {count} points")
            here.add(job.name, "points", hold, said)
        if new := in_the_making(book, job):
            name = f"{job.name}: the archive that a run makes before an old one goes"
            here.add(name, "points", new, step(name, new, "bytes"))
        if not KINDS[job.kind].in_place:
            whole = book.first_bytes(job)
            here.add(job.name, "copy", whole, step(f"newest state in {job.name}", whole, "bytes"))
            here.growth += growing(book, job)
    return here


def _mark(today: date, need: Need, copied: _CopiedHere, years: float) -> Mark:
    copies = copied.copies + copied.growth * years
    return Mark(
        day=today + timedelta(days=years * YEAR_DAYS),
        live_bytes=need.at(years) - int(copied.points + copies),
        points_bytes=int(copied.points),
        copies_bytes=int(copies),
    )


def pool_space(book: CopyBook, pool: str, years: int) -> PoolSpace:
    """What datasets, points and copies take on a pool now and every month for so many years.

    The points are those of a schedule that has run for a while: their number stays, what they hold
    follows the daily change, and the newest copies grow with what they are of.
    """
    index = book.index
    here = [d for d in index.plan.datasets if d.pool == pool]
    layers = [Layer(name=d.name, kind="live", bytes=d.size_bytes) for d in here]
    copied = _copied_here(book, pool)
    kept = reserved_bytes(trees(index, pool))
    if kept:
        name = "thick volumes and reservations, not filled yet"
        layers.append(Layer(name=name, kind="reserved", bytes=kept))
    layers += copied.layers
    live = sum(d.size_bytes for d in here)
    growth = sum(d.growth_bytes_per_year for d in here)
    usable = book.states[pool].layout.usable_bytes
    used = live + kept + copied.points + copied.copies
    need = Need(int(copied.points + copied.copies), int(copied.growth), trees(index, pool))

    def when(target: float) -> date | None:
        passed = need.until(target)
        if passed is None or passed > years:
            return None
        return book.as_of + timedelta(days=passed * YEAR_DAYS)

    warn = index.assumptions["fill_warn_share"]
    marks = [_mark(book.as_of, need, copied, month / 12) for month in range(12 * years + 1)]
    return PoolSpace(
        pool=pool,
        usable_bytes=usable,
        layers=tuple(sorted(layers, key=lambda x: (x.kind, -x.bytes))),
        marks=tuple(marks),
        warn_on=when(usable * warn),
        full_on=when(float(usable)),
        quota_on=tuple(_quotas(book, here, years)),
        working=step(
            "taken on the pool",
            int(used),
            "bytes",
            "live data + room kept for it + what points hold + newest states of copies",
            step("live data", live, "bytes", "sum of the datasets' sizes"),
            step("thick volumes and reservations, not filled yet", kept, "bytes"),
            *copied.parts,
            step("growth a year", int(growth + copied.growth), "bytes"),
            index.assumptions.step("fill_warn_share"),
        ),
    )


def _quotas(book: CopyBook, datasets: Sequence[Dataset], years: int) -> list[QuotaMark]:
    """Datasets with a quota, and when live data and its snapshots reach it."""
    marks = []
    for dataset in datasets:
        if dataset.quota_bytes is None or dataset.growth_bytes_per_year <= 0:
            continue
        snaps = sum(
            held(dataset, tuple(p.data_time for p in book.points_on(j, book.as_of)), _now(book))
            for j in book.index.jobs_of.get(dataset.id, [])
            if KINDS[j.kind].in_place
        )
        left = dataset.quota_bytes - dataset.size_bytes - snaps
        span = max(left, 0.0) / dataset.growth_bytes_per_year
        if span <= years:
            day = book.as_of + timedelta(days=span * YEAR_DAYS)
            marks.append(QuotaMark(dataset=dataset.id, day=day))
    return marks


def _now(book: CopyBook) -> float:
    zone = ZoneInfo(book.index.plan.zone)
    return datetime.combine(book.as_of + timedelta(days=1), time(), zone).timestamp()
