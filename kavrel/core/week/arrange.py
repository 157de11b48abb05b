"""Arrange for me: start times moved within what the user has fixed, so that nothing clashes.

Each job has a window (its own, else the quiet hours). Jobs that share disks, the LAN or a link must
not run at once on any day of the coming five weeks; a job that reads another's copy starts after
that one has ended, and as soon after it as it can, so that what it carries on is fresh. A start
that is right stays where it is, others move as little as they can. Fixed starts, hourly jobs, jobs
that follow another and what is done by hand stay. Several orders of placing are tried, the best is
kept; where that leaves somebody out and no more than eight jobs can move, it is solved exactly, so
that what has no place truly has none. The fluid of the whole month then says whether it really fits.
"""

from bisect import bisect_left, insort
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta
from functools import cached_property, lru_cache
from zoneinfo import ZoneInfo

import numpy as np
from pydantic import BaseModel, ConfigDict

from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.resource import Resource
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Job, Plan
from kavrel.core.pools.pool import pool_states
from kavrel.core.progress import Tell, nobody
from kavrel.core.schedule import OFTEN, starts
from kavrel.core.week.counts import Counts, counts
from kavrel.core.week.exact import MOST_JOBS, solve
from kavrel.core.week.nights import MONTH_DAYS, scheduled_book
from kavrel.core.week.tasks import cap_steps
from kavrel.core.week.verdict import narrowest_first, outside
from kavrel.core.week.week import resource_name

GRID_MINUTES = 5
DAY_MINUTES = 1440
# Between one run and the next: clocks differ, and a night is never quite the night before.
GAP_SECONDS = 120.0
ORDERS = 40
MOST_HOURS_LONGER = 6
SEED = 7


class _View(BaseModel):
    model_config = ConfigDict(frozen=True)


class Move(_View):
    """A start that moves, with why."""

    job: str
    before: str
    after: str
    why: str


class Unfit(_View):
    """A job for which there is no place, why exactly, and what would make one."""

    job: str
    why: str
    remedies: tuple[str, ...]


class Arrangement(_View):
    """What would move, what does not fit, and the month before and after."""

    moves: tuple[Move, ...]
    unfit: tuple[Unfit, ...]
    before: Counts
    after: Counts
    jobs: tuple[Job, ...]  # the jobs that change, whole


@dataclass(frozen=True)
class _Piece:
    """A job to be placed: its days (midnights, epoch s), what each run takes, its window.

    `seconds` of a run are those with everything to itself, of which `linked` are on a link; `shares`
    is what limits by day leave of that link: (minute of the day from which, share).
    """

    job: Job
    midnights: tuple[float, ...]
    seconds: tuple[float, ...]
    linked: tuple[float, ...]
    fixed: float
    shares: tuple[tuple[int, float], ...]
    resources: tuple[Resource, ...]
    low: int  # minute of the day at which the window opens
    length: int  # minutes that it is open
    movable: bool

    @property
    def now(self) -> int:
        """Its present start, in minutes of the day."""
        return minutes(self.job.schedule.at)

    @cached_property
    def inside(self) -> tuple[int, ...]:
        """Starts on the grid, and the present one, from which all runs end within the window."""
        grid = [(self.low + k) % DAY_MINUTES for k in range(0, self.length, GRID_MINUTES)]
        return tuple(m for m in (*grid, self.now) if self._within(m))

    def _within(self, minute: int) -> bool:
        opened = (minute - self.low) % DAY_MINUTES
        if opened >= self.length:
            return False
        need = max((self.lasting(minute, n) for n in range(len(self.seconds))), default=0.0)
        return opened * 60 + need <= self.length * 60

    @cached_property
    def longest(self) -> float:
        """Seconds of the longest run where it starts now."""
        return max((self.lasting(self.now, n) for n in range(len(self.seconds))), default=0.0)

    def runs(self, minute: int) -> list[tuple[float, float]]:
        """Begin and end of each run when it starts at this minute."""
        return [
            (m + minute * 60, m + minute * 60 + self.lasting(minute, n))
            for n, m in enumerate(self.midnights)
        ]

    def lasting(self, minute: int, n: int) -> float:
        """Seconds of a run from this minute on, slower where a limit by day holds."""
        if not self.shares:
            return self.fixed + self.seconds[n]
        return self.fixed + capped_seconds(
            self.seconds[n], self.linked[n], self.shares, minute * 60 + self.fixed
        )


@lru_cache(maxsize=65_536)
def capped_seconds(
    alone: float, linked: float, shares: tuple[tuple[int, float], ...], begin: float
) -> float:
    """Seconds of work that begins at a second of the day and shares its link with the limits."""
    left, now = 1.0, begin
    for _ in range(64 * len(shares)):
        minute = now / 60 % DAY_MINUTES
        passed = [i for i, (at, _) in enumerate(shares) if at <= minute + 1e-6]
        current = passed[-1] if passed else len(shares) - 1
        following = shares[(current + 1) % len(shares)][0]
        room = ((following - minute) % DAY_MINUTES or DAY_MINUTES) * 60
        rate = min(1 / max(alone, 1e-9), shares[current][1] / max(linked, 1e-9))
        if left / rate <= room:
            return now + left / rate - begin
        left -= rate * room
        now += room
    return float("inf")


def minutes(clock: str) -> int:
    """HH:MM as minutes of the day."""
    parsed = time.fromisoformat(clock)
    return parsed.hour * 60 + parsed.minute


def clock(minute: int) -> str:
    """Minutes of the day as HH:MM."""
    return f"{minute // 60 % 24:02}:{minute % 60:02}"


def arrange(plan: Plan, today: date, tell: Tell = nobody) -> Arrangement:
    """Moves start times so that nothing clashes, or says exactly what cannot fit."""
    index = Index(plan)
    book = scheduled_book(index, pool_states(index), today)
    pieces = [_piece(book, j, today) for j in plan.jobs]
    set_down = [p for p in pieces if p is not None]
    unfit = [u for p in set_down if (u := _too_long(book, p))]
    movable = [p for p in set_down if p.movable and p.job.id not in {u.job for u in unfit}]
    standing = [p for p in set_down if p not in movable]
    best: tuple[float, dict[str, int], list[_Piece]] | None = None
    luck = np.random.default_rng(SEED)
    for n in range(ORDERS):
        order = _order(index, movable, n, luck)
        placed, left, cost = _place(index, order, standing)
        if best is None or (len(left), cost) < (len(best[2]), best[0]):
            best = (cost, placed, left)
        if not tell((n + 1) / ORDERS, f"{n + 1} orders tried") or (not left and not cost):
            break
    assert best is not None
    _, placed, left = best
    if left and len(movable) <= MOST_JOBS:
        proven = _exactly(movable, standing)
        if proven is not None and len(proven) >= len(movable) - len(left):
            placed = {p.job.id: p.now for p in standing} | proven
            left = [p for p in movable if p.job.id not in proven]
    unfit += [_no_place(book, p, set_down, movable, standing) for p in left]
    changed = {
        p.job.id: p.job.model_copy(
            update={"schedule": p.job.schedule.model_copy(update={"at": clock(placed[p.job.id])})}
        )
        for p in movable
        if p.job.id in placed and placed[p.job.id] != p.now
    }
    after = plan.model_copy(update={"jobs": tuple(changed.get(j.id, j) for j in plan.jobs)})
    return Arrangement(
        moves=tuple(_move(book, p, placed, set_down) for p in movable if p.job.id in changed),
        unfit=tuple(unfit),
        before=counts(plan, today),
        after=counts(after, today),
        jobs=tuple(changed.values()),
    )


def _exactly(movable: Sequence[_Piece], standing: Sequence[_Piece]) -> dict[str, int] | None:
    """Starts of all that can have one, solved exactly."""
    pieces = {p.job.id: p for p in movable}
    lasting = {p.job.id: int(p.longest // 60) for p in (*movable, *standing)}
    after = {
        p.job.id: (source, lasting[source])
        for p in movable
        if (source := p.job.reads_from) and source in pieces
    }
    return solve(pieces, standing, after, GAP_SECONDS)


def _piece(book: CopyBook, job: Job, today: date) -> _Piece | None:
    """The job as something to be placed; None where it keeps nothing busy."""
    flow = book.flow(job)
    days = book.mean_interval_days(job)
    resources = tuple(x.resource for x in book.loads(job, days) if x.seconds > 1)
    if not resources or flow.run_seconds(days) == float("inf") or job.after:
        return None
    known = book.index.assumptions
    quiet = (known["quiet_from_hour"] * 60, known["quiet_to_hour"] * 60)
    low = minutes(job.window_from) if job.window_from else int(quiet[0])
    high = minutes(job.window_to) if job.window_to else int(quiet[1])
    zone = ZoneInfo(book.index.plan.zone)
    times = starts(job.schedule, zone.key, today, today + timedelta(days=MONTH_DAYS - 1))
    midnights, seconds, linked = [], [], []
    shares = _shares(book, resources)
    for n, at in enumerate(times):
        day = datetime.fromtimestamp(at, zone).date()
        midnight = datetime.combine(day, time(), zone).timestamp()
        if job.schedule.kind in OFTEN:
            midnight = at - minutes(job.schedule.at) * 60
        midnights.append(midnight)
        gap = (at - times[n - 1]) / 86_400 if n else days
        seconds.append(flow.work_seconds(gap))
        linked.append(
            max([x.seconds for x in book.loads(job, gap) if x.resource.kind == "link"], default=0.0)
        )
    by_hand = KINDS[job.kind].by_hand
    movable = not (job.fixed or by_hand or job.schedule.kind in OFTEN or job.schedule.zone)
    length = (high - low) % DAY_MINUTES or DAY_MINUTES
    return _Piece(
        job=job,
        midnights=tuple(midnights),
        seconds=tuple(seconds),
        linked=tuple(linked),
        fixed=flow.fixed_seconds,
        shares=shares,
        resources=resources,
        low=low,
        length=length,
        movable=movable,
    )


def _shares(book: CopyBook, resources: Sequence[Resource]) -> tuple[tuple[int, float], ...]:
    """What limits by day leave of the link among these resources, from each minute of the day."""
    day = book.as_of
    steps = cap_steps(book, day, day)
    zone = ZoneInfo(book.index.plan.zone)
    shares: dict[int, float] = {}
    for resource in resources:
        for at, share in steps.get(resource, ()):
            clock_ = datetime.fromtimestamp(at, zone)
            minute = clock_.hour * 60 + clock_.minute
            shares[minute] = min(share, shares.get(minute, 1.0))
    return tuple(sorted(shares.items()))


def _order(index: Index, pieces: list[_Piece], n: int, luck: np.random.Generator) -> list[_Piece]:
    """An order of placing: sources before what reads them; tight ones first, then by chance."""

    def depth(job: Job) -> int:
        deepest = 0
        while job.reads_from:
            job = index.jobs[job.reads_from]
            deepest += 1
        return deepest

    def key(piece: _Piece) -> tuple[float, ...]:
        room = piece.length * 60 - piece.longest
        noise = float(luck.random()) if n > 1 else 0.0
        if n == 0:
            return (depth(piece.job), piece.now, 0.0)
        return (depth(piece.job), noise, room)

    return sorted(pieces, key=key)


class _Taken:
    """What is busy when: begin and end of every run on each resource."""

    def __init__(self) -> None:
        self.busy: dict[Resource, list[tuple[float, float]]] = defaultdict(list)
        self.longest: dict[Resource, float] = defaultdict(float)

    def add(self, piece: _Piece, minute: int) -> None:
        """Keeps the resources of a placed job."""
        for resource in piece.resources:
            for run in piece.runs(minute):
                insort(self.busy[resource], run)
                self.longest[resource] = max(self.longest[resource], run[1] - run[0])

    def free(self, piece: _Piece, minute: int) -> bool:
        """Whether the job's runs meet nobody when it starts at this minute."""
        for begin, end in piece.runs(minute):
            for resource in piece.resources:
                held = self.busy.get(resource)
                if not held:
                    continue
                n = bisect_left(held, (begin, begin))
                if n < len(held) and held[n][0] < end + GAP_SECONDS:
                    return False
                # Standing runs may overlap one another: any that is long enough may reach here.
                before = begin - GAP_SECONDS - self.longest[resource]
                since = bisect_left(held, (before, before))
                if any(e > begin - GAP_SECONDS for _, e in held[since:n]):
                    return False
        return True


def _place(
    index: Index, order: Sequence[_Piece], standing: Sequence[_Piece]
) -> tuple[dict[str, int], list[_Piece], float]:
    """Start minutes by job, those without a place, and minutes moved and waited in all."""
    taken, unplaced = _Taken(), _Taken()
    placed: dict[str, int] = {}
    longest = {p.job.id: p.longest for p in (*order, *standing)}
    for piece in standing:
        taken.add(piece, piece.now)
        placed[piece.job.id] = piece.now
    left: list[_Piece] = []
    cost = 0.0
    for piece in order:
        inside = list(piece.inside)
        source = piece.job.reads_from
        wanted = piece.now
        if source in placed:
            done = placed[source] + int(longest[source] // 60) + 3
            inside = [m for m in inside if _after(m, done, piece.low)]
            wanted = done % DAY_MINUTES
        inside.sort(key=lambda m, near=wanted: (_apart(m, near), m))  # type: ignore[misc]
        best = None
        for minute in inside:
            if taken.free(piece, minute):
                best = minute if best is None else best
                if unplaced.free(piece, minute):
                    best = minute
                    break
        if best is None:
            left.append(piece)  # it stays where it is, and others keep out of its way if they can
            unplaced.add(piece, piece.now)
            continue
        placed[piece.job.id] = best
        taken.add(piece, best)
        cost += _apart(best, wanted)
    return placed, left, cost


def _apart(a: int, b: int) -> int:
    """Minutes between two times of day, the shorter way round."""
    return min((a - b) % DAY_MINUTES, (b - a) % DAY_MINUTES)


def _after(minute: int, done: int, low: int) -> bool:
    """Whether a start comes after its source has ended, in the night that begins at `low`."""
    return (minute - low) % DAY_MINUTES >= (done - low) % DAY_MINUTES


def _too_long(book: CopyBook, piece: _Piece) -> Unfit | None:
    """A window that is shorter than a run."""
    need = piece.fixed + max(piece.seconds, default=0.0)
    if need <= piece.length * 60 or not piece.movable:
        return None
    closes = clock(piece.low + piece.length)
    why = (
        f"its longest run takes {need / 3600:.1f} h, and from {clock(piece.low)} to {closes} are "
        f"{piece.length / 60:.1f} h: the window is shorter than the run"
    )
    return Unfit(
        job=piece.job.id, why=why, remedies=_remedies(book, piece, need - piece.length * 60)
    )


def _remedies(book: CopyBook, piece: _Piece, missing: float) -> tuple[str, ...]:
    """What would make a place, with figures."""
    job = piece.job
    need = piece.longest
    room = max(need - missing, 60.0)
    remedies = [f"a window {missing / 3600 + 0.1:.1f} h longer"]
    way = book.way(job)
    slow = min(way.parts, key=lambda p: p[1], default=None)
    factor = need / room
    if slow and factor > 1 and not KINDS[job.kind].moves_nothing:
        remedies.append(f"{slow[0]} at {slow[1] * factor:.1f} MB/s instead of {slow[1]:.1f}")
    if KINDS[job.kind].moves_nothing:
        return tuple(remedies)
    if job.schedule.kind in ("weekly", "monthly"):
        remedies.append("running it more often, so that less has changed each time")
    elif len(piece.midnights) > 20:
        remedies.append("running it on fewer nights, so that others have theirs")
    if job.limit_mbit:
        remedies.append(f"a limit above {job.limit_mbit * factor:.0f} Mbit/s, or none at night")
    return tuple(remedies)


def _longer(
    piece: _Piece, movable: Sequence[_Piece], standing: Sequence[_Piece]
) -> tuple[float, _Piece] | None:
    """The least by which the window would have to be longer so that all have a place, in hours."""
    if len(movable) > MOST_JOBS:
        return None
    before = _exactly(movable, standing)
    placed = len(before) if before is not None else 0
    for half_hours in range(1, 2 * MOST_HOURS_LONGER + 1):
        wider = replace(piece, length=min(piece.length + 30 * half_hours, DAY_MINUTES))
        others = [wider if p is piece else p for p in movable]
        lengths = _exactly(others, standing)
        if lengths is not None and len(lengths) > placed and piece.job.id in lengths:
            return half_hours / 2, wider
        if wider.length == DAY_MINUTES:
            break
    return None


def _no_place(
    book: CopyBook,
    piece: _Piece,
    others: Sequence[_Piece],
    movable: Sequence[_Piece],
    standing: Sequence[_Piece],
) -> Unfit:
    """Which night on which resource is too full for it, and by how much."""
    computed = _longer(piece, movable, standing)
    ordered = narrowest_first(piece.resources)
    worst = (0.0, 0.0, ordered[0])
    for resource in ordered:
        for midnight, own in zip(piece.midnights, piece.seconds, strict=True):
            opens = midnight + piece.low * 60
            if piece.low + piece.length > DAY_MINUTES and piece.now < piece.low:
                opens -= 86_400  # the night began the evening before
            closes = opens + piece.length * 60
            held = own + sum(
                s
                for p in others
                if p is not piece and resource in p.resources
                for m, s in zip(p.midnights, p.seconds, strict=True)
                if opens <= m + p.now * 60 < closes
            )
            over = held - piece.length * 60
            if over > worst[0] + 1:  # the first night, the narrowest resource
                worst = (over, midnight, resource)
    over, midnight, resource = worst
    zone = ZoneInfo(book.index.plan.zone)
    if over <= 0:
        stay = [p.job.name for p in standing if set(p.resources) & set(piece.resources)]
        because = f"; {', '.join(stay[:3])} {'stays' if len(stay) == 1 else 'stay'}" if stay else ""
        why = (
            "the runs of others leave no gap that is long enough between "
            f"{clock(piece.low)} and {clock(piece.low + piece.length)}{because}"
        )
        return Unfit(job=piece.job.id, why=why, remedies=_computed(computed, piece, stay))
    day = datetime.fromtimestamp(midnight + 43_200, zone).date()
    why = (
        f"in the night to {day:%a %d %b} {(over + piece.length * 60) / 3600:.1f} h of runs would have to fit "
        f"into {piece.length / 60:.1f} h on {resource_name(book, resource)}: {over / 3600:.1f} h too many"
    )
    first = _computed(computed, piece, [])
    guessed = _remedies(book, piece, over)
    return Unfit(job=piece.job.id, why=why, remedies=(*first, *guessed[1 if first else 0 :]))


def _computed(
    longer: tuple[float, _Piece] | None, piece: _Piece, stay: Sequence[str]
) -> tuple[str, ...]:
    """Ways out that were tried out: each makes a place for it."""
    lines = []
    if longer:
        hours, wider = longer
        closes = clock(wider.low + wider.length)
        lines.append(f"a window {hours:g} h longer, until {closes}: then all have a place")
    if stay:
        lines.append(f"letting {stay[0]} move")
    if not lines and piece.length < DAY_MINUTES:
        lines.append("fewer jobs on the same disks and lines, or faster ones")
    return tuple(lines)


def _move(book: CopyBook, piece: _Piece, placed: dict[str, int], others: Sequence[_Piece]) -> Move:
    """Why the start moved: what it met before, or what it has to wait for."""
    job = piece.job
    reasons = []
    zone = ZoneInfo(book.index.plan.zone)
    runs = piece.runs(piece.now)
    leaves = next((r for b, e in runs if (r := _leaves(piece, b, e, zone))), None)
    if leaves:
        reasons.append(leaves)
    for other in others:
        shared = narrowest_first(r for r in piece.resources if r in other.resources)
        if other is piece or not shared:
            continue
        theirs = other.runs(other.now)
        met = any(b < e2 and b2 < e for b, e in runs for b2, e2 in theirs)
        if met:
            reasons.append(f"met {other.job.name} on {resource_name(book, shared[0])}")
    if job.reads_from and job.reads_from in placed:
        reasons.append(f"now begins when {book.index.jobs[job.reads_from].name} has ended")
    why = "; ".join(reasons[:3]) or "made room for others"
    return Move(job=job.id, before=job.schedule.at, after=clock(placed[job.id]), why=why)


def _leaves(piece: _Piece, begin: float, end: float, zone: ZoneInfo) -> str | None:
    as_window = piece.job.model_copy(
        update={"window_from": clock(piece.low), "window_to": clock(piece.low + piece.length)}
    )
    why = outside(as_window, begin, end, zone)
    return f"a run {why}" if why else None
