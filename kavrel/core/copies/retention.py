"""Which points stay and until when, and by which rule.

A point is kept while any rule keeps it; the newest always stays. Pruning goes run by run, as the
tools do it: what is once let go does not come back. Three schools, each as its tool prunes:

- *Counted beyond one another*: the rules of hours, days, weeks, months and years keep one point of
  each of n periods, and each coarser rule counts beyond what the finer ones keep, so that 7 daily +
  2 weekly + 1 monthly + 1 yearly are eleven points.
- *Each on its own*: the same rules, but one point may serve several at once. The same four numbers
  come to as few as seven points.
- *Windows of age*: one point an hour while it is younger than a day, one a day for a month, one a
  week until it is too old.

Of a period the last or the first point is kept; periods are those of the lab's time zone, weeks
from Monday. While a period runs, its last point is the newest one *then*. `all_days` keeps
everything that is younger. `thin` keeps at most n: each time there is one too many, that point
goes whose two neighbours lie closest together against its age, so that the points stand dense near
and sparse far; the oldest stays. `trash_days` is the trash can of a mirror: what a run replaces or
deletes stays so much longer. Source: common practice, no source.
"""

import math
from bisect import bisect_left, bisect_right, insort
from collections.abc import Callable, Iterator, Sequence
from datetime import date, datetime, time
from typing import NamedTuple, overload
from zoneinfo import ZoneInfo

import numpy as np

from kavrel.core.copies.rules import windows_in_words
from kavrel.core.local_days import ordinals_and_hours
from kavrel.core.plan import Retention
from kavrel.core.quantities import DAY

FOREVER = float("inf")


class Point(NamedTuple):
    """A copy as of `data_time`, complete from `available_at`, pruned at `expires_at` (epoch s)."""

    data_time: float
    available_at: float
    expires_at: float


class Points(Sequence[Point]):
    """Points in order of time, held as columns: there are thousands, and few are looked at singly.

    `data`, `done`, `until`: when each is of, complete and pruned (epoch s).
    """

    def __init__(self, data: np.ndarray, done: np.ndarray, until: np.ndarray) -> None:
        self.data, self.done, self.until = data, done, until

    @staticmethod
    def of(points: Sequence[Point]) -> "Points":
        """Any points as columns."""
        return points if isinstance(points, Points) else Points(*np.array(points).reshape(-1, 3).T)

    def __len__(self) -> int:
        return len(self.data)

    @overload
    def __getitem__(self, at: int) -> Point: ...
    @overload
    def __getitem__(self, at: slice | np.ndarray) -> "Points": ...
    def __getitem__(self, at: int | slice | np.ndarray) -> "Point | Points":
        if isinstance(at, slice | np.ndarray):
            return Points(self.data[at], self.done[at], self.until[at])
        return Point(float(self.data[at]), float(self.done[at]), float(self.until[at]))

    def __iter__(self) -> Iterator[Point]:
        return map(Point, self.data.tolist(), self.done.tolist(), self.until.tolist())


Buckets = Callable[[np.ndarray, np.ndarray], np.ndarray]
EPOCH_ORDINAL = date(1970, 1, 1).toordinal()


def _calendar(unit: str) -> Buckets:
    return lambda day, hour: (day - EPOCH_ORDINAL).astype("M8[D]").astype(f"M8[{unit}]").astype(int)


PERIODS: dict[str, Buckets] = {
    # The buckets that local days and hours fall into.
    "hourly": lambda day, hour: day * 24 + hour,
    "daily": lambda day, hour: day,
    "weekly": lambda day, hour: (day - 1) // 7,
    "monthly": _calendar("M"),
    "yearly": _calendar("Y"),
}


Rule = tuple[str, float]  # in words, and until when (epoch s) it keeps a point


def _rules(
    data: np.ndarray, available: np.ndarray, retention: Retention, zone: str, begun: np.ndarray
) -> list[tuple[str, np.ndarray]]:
    """Each rule in words, with until when it keeps each point; -infinity where it does not.

    Nobody prunes between runs: what is too old goes with the run that finds it so when it begins.
    """
    rules: list[tuple[str, np.ndarray]] = []

    def swept(old: np.ndarray) -> np.ndarray:
        return np.append(available, FOREVER)[np.searchsorted(begun, old, side="left")]

    if retention.last:
        n = retention.last
        said = "the newest" if n == 1 else f"one of the last {n}"
        rules.append((said, _later(available, n)))
    if retention.all_days:
        young = swept(data + retention.all_days * DAY)
        rules.append((f"younger than {retention.all_days} days", young))
    wanted = [(n, getattr(retention, n)) for n in PERIODS if getattr(retention, n)]
    local = ordinals_and_hours(zone, data) if wanted or retention.windows else (data, data)
    # Until when the finer rules keep each point; with `beyond`, coarser rules count from then.
    ruled = np.maximum.reduce([c for _, c in rules]) if rules else None
    done = available.tolist()
    for name, number in wanted:
        runs = _Buckets(PERIODS[name](*local))
        first = retention.of_period == "first"
        if retention.counting == "each":
            each = np.array(_on_its_own(runs, done, number, first))
            rules.append((f"{name}, one of {number}", each))
            continue
        here = _beyond(runs, available, number, first, ruled)
        before = np.full(len(data), -FOREVER) if ruled is None else ruled
        rules.append((f"{name}, one of {number}", np.where(here > before, here, -FOREVER)))
        ruled = np.maximum(here, before)
    if retention.windows:
        kept = np.array(_windowed(data.tolist(), done, local, retention, swept))
        rules.append((windows_in_words(retention), kept))
    if retention.thin:
        kept = np.array(_thinned(data.tolist(), done, retention.thin))
        rules.append((f"spread over at most {retention.thin}", kept))
    # The newest point stays whatever the rules say; a trash can keeps what it replaced.
    said = f"trash can, {retention.trash_days} days" if retention.trash_days else ""
    newest = _later(available, 1)
    if retention.trash_days:
        # A day of the trash can has the name of the run that filled it.
        newest = swept(_later(begun, 1) + retention.trash_days * DAY)
    rules.append((said or "newest until the next", newest))
    if retention.hold_until:
        held = datetime.combine(retention.hold_until, time(), ZoneInfo(zone)).timestamp()
        said = f"held until {retention.hold_until}"
        rules.append((said, np.where(available < held, swept(np.array(held)), -FOREVER)))
    return rules


def _later(available: np.ndarray, count: int) -> np.ndarray:
    """When so many newer points are complete."""
    return np.append(available[count:], np.full(min(count, len(available)), FOREVER))


Moments = Sequence[tuple[float, float]] | tuple[np.ndarray, ...]


def _columns(moments: Moments) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Data time, available time, and when each run began, where that is not the data time."""
    if isinstance(moments, tuple) and moments and isinstance(moments[0], np.ndarray):
        return moments[0], moments[1], moments[2] if len(moments) > 2 else moments[0]
    data, done = np.array(moments, dtype=float).reshape(-1, 2).T
    return data, done, data


def keep(moments: Moments, retention: Retention, zone: str) -> Points:
    """Points with their expiry from (data time, available time) pairs in order of time, or columns.

    A point leaves when the later point that makes it superfluous is complete, or with the run that
    finds it older than `all_days`, whichever rule lets go last.
    """
    data, done, begun = _columns(moments)
    if not len(data):
        return Points(data, done, data)
    rules = _rules(data, done, retention, zone, begun)
    return Points(data, done, np.maximum.reduce([column for _, column in rules]))


def rulings(moments: Moments, retention: Retention, zone: str) -> list[list[Rule]]:
    """For each (data time, available time), in order of time, every rule that keeps it and how long.

    The calendar's rules are listed where they keep a point beyond the finer ones.
    """
    data, done, begun = _columns(moments)
    rules = _rules(data, done, retention, zone, begun) if len(data) else []
    columns = [(name, column.tolist()) for name, column in rules]
    return [
        [(name, column[i]) for name, column in columns if column[i] > -FOREVER]
        for i in range(len(data))
    ]


def _thinned(data: Sequence[float], available: Sequence[float], most: int) -> list[float]:
    """Until when thinning keeps each point."""
    until = [FOREVER] * len(data)
    standing: list[int] = []
    for i, now in enumerate(available):
        standing.append(i)
        if len(standing) <= most:
            continue
        if most == 1:
            goes = 0
        elif most == 2:
            goes = 1
        else:
            times = [data[j] for j in standing]
            # Ages from the newest point on; the neighbours' distance against the age of the middle.
            goes = min(
                range(1, len(times) - 1),
                key=lambda k: (times[k + 1] - times[k - 1]) / (times[-1] - times[k]),
            )
        until[standing.pop(goes)] = now
    return until


class _Buckets:
    """Points by the period that they fall into: the first and the last of each, in order."""

    def __init__(self, buckets: np.ndarray) -> None:
        ends = np.flatnonzero(np.diff(buckets))
        self.first: list[int] = [0, *(ends + 1).tolist()]
        self.last: list[int] = [*ends.tolist(), len(buckets) - 1]


def _on_its_own(
    runs: _Buckets, available: Sequence[float], wanted: int, first: bool
) -> list[float]:
    """Until when a rule keeps each point that counts every period that has one."""
    until = [-FOREVER] * len(available)
    for k, (low, high) in enumerate(zip(runs.first, runs.last, strict=True)):
        pushed = runs.first[k + wanted] if k + wanted < len(runs.first) else None
        ends = FOREVER if pushed is None else available[pushed]
        if first:
            until[low] = ends
            continue
        for i in range(low, high):
            until[i] = available[i + 1]  # the last of its period, until the next comes
        until[high] = ends
    return until


def _beyond(
    runs: _Buckets,
    available: np.ndarray,
    wanted: int,
    first: bool,
    ruled: np.ndarray | None,
) -> np.ndarray:
    """Until when a rule keeps each point that counts only periods beyond the finer rules.

    `ruled` is until when those keep each point, None where there are none. A period counts from
    when they let its point go. With the last of each period, that of the period that still runs is
    the newest point, which finer rules always have: it counts from when its period is over.
    """
    until = np.full(len(available), -FOREVER)
    if ruled is None:
        counts = available[runs.first]
        if not first:
            until[:-1] = available[1:]  # the last of its period, until the next comes
    elif first:
        counts = np.maximum(available[runs.first], ruled[runs.first])
    else:
        over = np.append(available[runs.first[1:]], FOREVER)
        counts = np.maximum(over, ruled[runs.last])
    until[runs.first if first else runs.last] = _when_newer_count(counts, wanted)
    return until


def _when_newer_count(counts: np.ndarray, wanted: int) -> np.ndarray:
    """For each period, when so many newer ones count, whichever; infinite where there are fewer."""
    if (counts[1:] >= counts[:-1]).all():
        return _later(counts, wanted)
    kept, newer = [], []  # type: list[float], list[float]
    for from_ in reversed(counts.tolist()):
        kept.append(newer[wanted - 1] if len(newer) >= wanted else FOREVER)
        insort(newer, from_)
    return np.array(kept[::-1])


def _windowed(
    data: Sequence[float],
    runs: Sequence[float],
    local: tuple[np.ndarray, np.ndarray],
    retention: Retention,
    swept: Callable[[np.ndarray], np.ndarray],
) -> list[float]:
    """Until when windows of age keep each point.

    `runs` are when each is complete. In each window there is one point of each period among those
    that are in it at the same run; what leaves it for the next one is what is left.
    """
    until = [FOREVER] * len(data)
    left = list(range(len(data)))
    opens = 0.0
    for window in retention.windows:
        buckets = PERIODS[window.every](*local).tolist()
        ends = window.days * DAY
        standing: dict[int, tuple[int, int]] = {}  # period: the point, and the run that ends it
        gone: set[int] = set()
        for i in left:
            enters = max(bisect_left(runs, data[i] + opens), i)
            leaves = bisect_left(runs, data[i] + ends)
            if enters >= leaves or enters >= len(runs):
                continue  # no run sees it in this window
            bucket = buckets[i]
            before = standing.get(bucket)
            if retention.of_period == "first":
                # The newest point stays anyway: it is let go at the next run at the earliest.
                asked = max(enters, i + 1)
                if before and asked < before[1]:
                    until[i] = runs[asked] if asked < len(runs) else FOREVER
                    gone.add(i)
                    continue
            elif before and enters < before[1]:
                until[before[0]] = runs[enters]
                gone.add(before[0])
            standing[bucket] = (i, leaves)
        left = [i for i in left if i not in gone]
        opens = ends
    for i, gone_at in zip(
        left, swept(np.array([data[i] for i in left]) + opens).tolist(), strict=True
    ):
        until[i] = gone_at
    return until


def existing(points: Sequence[Point], at: float) -> list[Point]:
    """Points that are complete and not pruned at an instant (epoch s)."""
    columns = Points.of(points)
    return list(columns[(columns.done <= at) & (at < columns.until)])


class Ages(NamedTuple):
    """Seconds of work lost at the worst moment, on average over time, and at the best moment.

    `never` is the share of the moments in which nothing comes back: then the worst is infinite, and
    mean and best are those of the other moments.
    """

    worst: float
    mean: float
    best: float
    never: float = 0.0

    def older(self, seconds: float) -> "Ages":
        """The same of a copy that has stood still for so long."""
        return Ages(self.worst + seconds, self.mean + seconds, self.best + seconds, self.never)


def ages(points: Sequence[Point], first: float, last: float) -> Ages | None:
    """How old the newest complete point is, over a span (epoch s); None where none completes in it.

    Between two completions the age grows with the clock: it is worst just before the next point is
    complete and best just after; the mean is that of the saw teeth, each weighed by its length.
    """
    if len(points) < 2:
        return None
    columns = Points.of(points)
    data, done = columns.data, columns.done
    low, high = done[:-1], done[1:]
    here = (first <= high) & (high <= last)
    if not here.any():
        return None
    low, high, data = low[here], high[here], data[:-1][here]
    newest, oldest, length = low - data, high - data, high - low
    worst = float(oldest.max())
    whole = math.fsum(length)
    mean = math.fsum((newest + oldest) / 2 * length) / whole if whole else worst
    return Ages(worst, mean, float(newest.min()))


class Spell(NamedTuple):
    """Damage between two moments (epoch s) brings back `good`; None: nothing."""

    begin: float
    end: float
    good: Point | None
    upcoming: Point


def losses(
    points: Sequence[Point], noticed_after: float, first: float, last: float, torn: bool = False
) -> Ages | None:
    """Seconds of work lost when damage done in a span is noticed so many seconds later.

    `torn`: what is done while a run is under way is in its point.

    Worst, mean and best are over all moments, each as long as it lasts. Worst is infinite where at
    some moment no point is left; None without points.
    """
    columns = Points.of(points)
    begin, end, good, _ = _spells(_clean(columns, torn), noticed_after, first, last)
    if not len(begin):
        return None
    length = end - begin
    lost = good < 0
    nothing, there = math.fsum(length[lost]), math.fsum(length[~lost])
    if not there:
        return Ages(FOREVER, FOREVER, FOREVER, 1.0) if nothing else None
    data = columns.data[good[~lost]]
    early, late = begin[~lost] - data, end[~lost] - data
    mean = math.fsum((early + late) / 2 * length[~lost]) / there
    worst = FOREVER if nothing else float(late.max())
    return Ages(worst, mean, float(early.min()), nothing / (there + nothing))


def spells(
    points: Sequence[Point], noticed_after: float, first: float, last: float, torn: bool = False
) -> Iterator[Spell]:
    """The span cut where another point helps against damage that is noticed so many seconds later.

    It counts the newest point from before the damage that is complete, and not pruned, when the
    damage is noticed; where points are `torn`, one that was complete when it was done.
    """
    columns = Points.of(points)
    walks = (a.tolist() for a in _spells(_clean(columns, torn), noticed_after, first, last))
    for begin, end, good, upcoming in zip(*walks, strict=True):
        yield Spell(begin, end, None if good < 0 else columns[good], columns[upcoming])


def _clean(points: Points, torn: bool) -> Points:
    """The same, each as of the moment until which damage may be in it."""
    return Points(points.done, points.done, points.until) if torn else points


Spells = tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]


def _spells(points: Points, noticed_after: float, first: float, last: float) -> Spells:
    """Where each spell begins and ends, and the places of what helps (-1: nothing) and comes next.

    Damage between two points is noticed with the older of them there in nearly every spell, or with
    nothing left at all; only the others are followed one by one.
    """
    data, done, until = points.data, points.done, points.until
    ends = data[1:]
    place = np.flatnonzero((first <= ends) & (ends <= last) & (data[:-1] < ends))
    begin, end = data[place], ends[place]
    seen = begin + noticed_after
    latest = np.maximum.accumulate(until)[place]
    hopeless = latest <= seen
    own = (done[place] <= seen) & (until[place] > seen) & (until[place] - noticed_after >= end)
    # Those that are still there when damage done just after them is noticed: mostly few of many.
    lasting = np.flatnonzero(until - noticed_after > data)
    helps = np.where(own, place, -1)
    if len(lasting):  # mostly the newest of those helps from one end of a spell to the other
        older = lasting[np.maximum(np.searchsorted(lasting, place, side="right") - 1, 0)]
        theirs = (older <= place) & (done[older] <= seen) & (until[older] - noticed_after >= end)
        helps = np.where(own | ~theirs, helps, older)
    simple = hopeless | (helps >= 0)
    helps[hopeless] = -1
    pieces = [(begin[simple], end[simple], helps[simple], place[simple] + 1)]
    followed: list[tuple[float, float, int, int]] = []
    complete, pruned, among = done[lasting].tolist(), until[lasting].tolist(), lasting.tolist()
    rest = (a[~simple].tolist() for a in (place, begin, end, latest))
    for k, since, ending, last_pruned in zip(*rest, strict=True):
        at = since
        while at < ending:
            good, here = -1, ending
            if last_pruned > at + noticed_after:  # else what was is gone, and nothing older comes
                newest = bisect_right(among, k) - 1
                good, here = _good_until(complete, pruned, newest, at, noticed_after, ending)
                good = among[good] if good >= 0 else -1
            followed.append((at, here, good, k + 1))
            at = here
    if followed:
        columns = list(zip(*followed, strict=True))
        pieces.append(tuple(np.array(c) for c in columns))  # type: ignore[arg-type]
    begins, finishes, goods, nexts = (np.concatenate(p) for p in zip(*pieces, strict=True))
    order = np.argsort(begins, kind="stable")
    return begins[order], finishes[order], goods[order], nexts[order]


def _good_until(
    complete: Sequence[float],
    pruned: Sequence[float],
    k: int,
    at: float,
    noticed_after: float,
    end: float,
) -> tuple[int, float]:
    """The place of the point that helps against damage just after `at`, and until when it does."""
    seen = at + noticed_after
    until = end
    for n in range(k, -1, -1):
        if pruned[n] <= seen:
            continue
        if complete[n] > seen:  # it is not complete yet when the damage is noticed
            until = min(until, complete[n] - noticed_after)
            continue
        return n, min(until, pruned[n] - noticed_after)
    return -1, until
