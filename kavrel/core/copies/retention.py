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

from bisect import bisect_left, insort
from collections.abc import Callable, Iterator, Sequence
from datetime import datetime, time
from itertools import pairwise
from typing import NamedTuple
from zoneinfo import ZoneInfo

from kavrel.core.plan import Retention

DAY = 86_400.0
FOREVER = float("inf")


class Point(NamedTuple):
    """A copy as of `data_time`, complete from `available_at`, pruned at `expires_at` (epoch s)."""

    data_time: float
    available_at: float
    expires_at: float


PERIODS: dict[str, tuple[Callable[[datetime], int], float]] = {
    # The bucket a local time falls into, and the longest such period in days.
    "hourly": (lambda t: t.toordinal() * 24 + t.hour, 1 / 24),
    "daily": (lambda t: t.toordinal(), 1.0),
    "weekly": (lambda t: (t.toordinal() - 1) // 7, 7.0),
    "monthly": (lambda t: t.year * 12 + t.month, 31.0),
    "yearly": (lambda t: t.year, 366.0),
}


# Points that thinning lets stand reach back as far as anybody looks.
THIN_SPAN_DAYS = 1500.0


# What says how the rules count, and keeps nothing by itself.
MANNERS = ("counting", "of_period")


def rules_of(retention: Retention) -> list[str]:
    """Names of the fields that keep something."""
    return [n for n in Retention.model_fields if n not in MANNERS and getattr(retention, n)]


def keeps_nothing(retention: Retention) -> bool:
    """Whether no rule keeps anything."""
    return not rules_of(retention)


def complaint(retention: Retention) -> tuple[str, str] | None:
    """The field and the reason why no tool can keep to these rules, or None."""
    windows = retention.windows
    if any(a.days >= b.days for a, b in pairwise(windows)):
        return "windows", "each window reaches further back than the one before it"
    order = list(PERIODS)
    if any(order.index(a.every) >= order.index(b.every) for a, b in pairwise(windows)):
        return "windows", "each window is coarser than the one before it"
    beside = [n for n in rules_of(retention) if n != "windows"]
    if windows and beside:
        said = "windows of age stand alone: a point that another rule keeps would serve them too"
        return beside[0], said
    return None


def span_days(retention: Retention, step_days: float) -> float:
    """How many days back the oldest kept point can lie, at most."""
    spans = [
        float(retention.all_days),
        retention.last * step_days,
        THIN_SPAN_DAYS if retention.thin or retention.hold_until else 0.0,
        float(retention.trash_days),
        float(retention.windows[-1].days if retention.windows else 0),
    ]
    for name, (_, days) in PERIODS.items():
        count = getattr(retention, name)
        spans.append((count + 1) * max(days, step_days) if count else 0.0)
    return max(spans) + step_days


Rule = tuple[str, float]  # in words, and until when (epoch s) it keeps a point


def _rules(
    moments: Sequence[tuple[float, float]], retention: Retention, zone: str
) -> list[tuple[str, list[float]]]:
    """Each rule in words, with until when it keeps each point; -infinity where it does not."""
    count = len(moments)
    available = [m[1] for m in moments]
    found: list[tuple[str, list[float]]] = []
    if retention.last:
        n = retention.last
        later = [available[i + n] if i + n < count else FOREVER for i in range(count)]
        found.append(("the newest" if n == 1 else f"one of the last {n}", later))
    if retention.all_days:
        span = retention.all_days * DAY
        young = [data + span for data, _ in moments]
        found.append((f"younger than {retention.all_days} days", young))
    wanted = [(n, getattr(retention, n)) for n in PERIODS if getattr(retention, n)]
    place = ZoneInfo(zone)
    local = [datetime.fromtimestamp(m[0], place) for m in moments] if wanted else []
    # Until when the finer rules keep each point; with `beyond`, coarser rules count from then.
    ruled = [max(column) for column in zip(*(c for _, c in found), strict=True)] or None
    for name, number in wanted:
        runs = _Buckets([PERIODS[name][0](t) for t in local])
        first = retention.of_period == "first"
        if retention.counting == "each":
            found.append((f"{name}, one of {number}", _on_its_own(runs, available, number, first)))
            continue
        here = _beyond(runs, available, number, first, ruled)
        before = ruled or [-FOREVER] * count
        found.append(
            (
                f"{name}, one of {number}",
                [u if u > b else -FOREVER for u, b in zip(here, before, strict=True)],
            )
        )
        ruled = [max(u, b) for u, b in zip(here, before, strict=True)]
    if retention.windows:
        local = [datetime.fromtimestamp(m[0], place) for m in moments]
        found.append((windows_in_words(retention), _windowed(moments, local, retention)))
    if retention.thin:
        found.append((f"spread over at most {retention.thin}", _thinned(moments, retention.thin)))
    # The newest point stays whatever the rules say; a trash can keeps what it replaced.
    trash = retention.trash_days * DAY
    newest = [*(a + trash for a in available[1:]), FOREVER]
    said = f"trash can, {retention.trash_days} days" if trash else "newest until the next"
    found.append((said, newest))
    if retention.hold_until:
        held = datetime.combine(retention.hold_until, time(), ZoneInfo(zone)).timestamp()
        found.append(
            (
                f"held until {retention.hold_until}",
                [held if a < held else -FOREVER for a in available],
            )
        )
    return found


def keep(
    moments: Sequence[tuple[float, float]], retention: Retention, zone: str
) -> tuple[Point, ...]:
    """Points with their expiry from (data time, available time) pairs in order of time.

    A point leaves when the later point that makes it superfluous is complete, or when its age
    passes `all_days`, whichever rule lets go last.
    """
    if not moments:
        return ()
    columns = [column for _, column in _rules(moments, retention, zone)]
    untils = columns[0] if len(columns) == 1 else map(max, *columns)
    return tuple(
        Point(data, done, until) for (data, done), until in zip(moments, untils, strict=True)
    )


def rulings(
    moments: Sequence[tuple[float, float]], retention: Retention, zone: str
) -> list[list[Rule]]:
    """For each (data time, available time), in order of time, every rule that keeps it and how long.

    The calendar's rules are listed where they keep a point beyond the finer ones.
    """
    columns = _rules(moments, retention, zone) if moments else []
    return [
        [(name, column[i]) for name, column in columns if column[i] > -FOREVER]
        for i in range(len(moments))
    ]


def _thinned(moments: Sequence[tuple[float, float]], most: int) -> list[float]:
    """Until when thinning keeps each point."""
    until = [FOREVER] * len(moments)
    standing: list[int] = []
    for i, (_, now) in enumerate(moments):
        standing.append(i)
        if len(standing) <= most:
            continue
        if most == 1:
            goes = 0
        elif most == 2:
            goes = 1
        else:
            times = [moments[j][0] for j in standing]
            # Ages from the newest point on; the neighbours' distance against the age of the middle.
            goes = min(
                range(1, len(times) - 1),
                key=lambda k: (times[k + 1] - times[k - 1]) / (times[-1] - times[k]),
            )
        until[standing.pop(goes)] = now
    return until


class _Buckets:
    """Points by the period that they fall into: the first and the last of each, in order."""

    def __init__(self, buckets: Sequence[int]) -> None:
        self.first: list[int] = []
        self.last: list[int] = []
        for i, bucket in enumerate(buckets):
            if i and bucket == buckets[i - 1]:
                self.last[-1] = i
            else:
                self.first.append(i)
                self.last.append(i)


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
    available: Sequence[float],
    wanted: int,
    first: bool,
    ruled: Sequence[float] | None,
) -> list[float]:
    """Until when a rule keeps each point that counts only periods beyond the finer rules.

    `ruled` is until when those keep each point, None where there are none. A period counts from
    when they let its point go. With the last of each period, that of the period that still runs is
    the newest point, which finer rules always have: it counts from when its period is over.
    """
    until = [-FOREVER] * len(available)
    counts: list[float] = []
    for k, (low, high) in enumerate(zip(runs.first, runs.last, strict=True)):
        if ruled is None:
            counts.append(available[low])
        elif first:
            counts.append(max(available[low], ruled[low]))
        else:
            over = available[runs.first[k + 1]] if k + 1 < len(runs.first) else FOREVER
            counts.append(max(over, ruled[high]))
    # From the newest period back: a point goes when `wanted` newer periods count, whichever.
    newer: list[float] = []
    for low, high, from_ in zip(
        reversed(runs.first), reversed(runs.last), reversed(counts), strict=True
    ):
        chosen = low if first else high
        until[chosen] = newer[wanted - 1] if len(newer) >= wanted else FOREVER
        if ruled is None and not first:
            for i in range(low, high):
                until[i] = available[i + 1]
        insort(newer, from_)
    return until


def _windowed(
    moments: Sequence[tuple[float, float]], local: Sequence[datetime], retention: Retention
) -> list[float]:
    """Until when windows of age keep each point.

    In each window there is one point of each period among those that are in it at the same run;
    what leaves it for the next one is what is left.
    """
    runs = [m[1] for m in moments]
    until = [FOREVER] * len(moments)
    left = list(range(len(moments)))
    opens = 0.0
    for window in retention.windows:
        bucket_of, ends = PERIODS[window.every][0], window.days * DAY
        standing: dict[int, tuple[int, int]] = {}  # period: the point, and the run that ends it
        gone: set[int] = set()
        for i in left:
            enters = max(bisect_left(runs, moments[i][0] + opens), i)
            leaves = bisect_left(runs, moments[i][0] + ends)
            if enters >= leaves or enters >= len(runs):
                continue  # no run sees it in this window
            bucket = bucket_of(local[i])
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
    for i in left:
        until[i] = moments[i][0] + opens
    return until


def existing(points: Sequence[Point], at: float) -> list[Point]:
    """Points that are complete and not pruned at an instant (epoch s)."""
    return [p for p in points if p.available_at <= at < p.expires_at]


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
    worst, best, area, length = None, FOREVER, 0.0, 0.0
    for point, following in pairwise(points):
        low, high = point.available_at, following.available_at
        if not first <= high <= last:
            continue
        newest, oldest = low - point.data_time, high - point.data_time
        worst = oldest if worst is None or oldest > worst else worst
        best = min(best, newest)
        area += (newest + oldest) / 2 * (high - low)
        length += high - low
    if worst is None:
        return None
    return Ages(worst, area / length if length else worst, best)


class Spell(NamedTuple):
    """Damage between two moments (epoch s) brings back `good`; None: nothing."""

    begin: float
    end: float
    good: Point | None
    upcoming: Point


def spells(
    points: Sequence[Point], noticed_after: float, first: float, last: float
) -> Iterator[Spell]:
    """The span cut where another point helps against damage that is noticed so many seconds later.

    It counts the newest point from before the damage that is complete, and not pruned, when the
    damage is noticed.
    """
    latest_expiry = -FOREVER
    for k, (point, following) in enumerate(pairwise(points)):
        latest_expiry = max(latest_expiry, point.expires_at)
        at, end = point.data_time, following.data_time
        if not first <= end <= last:
            continue
        while at < end:
            good, until = None, end
            if latest_expiry > at + noticed_after:  # else what was is gone, and nothing older comes
                good, until = _good_until(points, k, at, noticed_after, end)
            yield Spell(at, until, good, following)
            at = until


def losses(points: Sequence[Point], noticed_after: float, first: float, last: float) -> Ages | None:
    """Seconds of work lost when damage done in a span is noticed so many seconds later.

    Worst, mean and best are over all moments, each as long as it lasts. Worst is infinite where at
    some moment no point is left; None without points.
    """
    worst, best, area, there, nothing = 0.0, FOREVER, 0.0, 0.0, 0.0
    for begin, end, good, _ in spells(points, noticed_after, first, last):
        if good is None:
            nothing += end - begin
            continue
        early, late = begin - good.data_time, end - good.data_time
        worst, best = max(worst, late), min(best, early)
        area += (early + late) / 2 * (end - begin)
        there += end - begin
    if not there:
        return Ages(FOREVER, FOREVER, FOREVER, 1.0) if nothing else None
    return Ages(FOREVER if nothing else worst, area / there, best, nothing / (there + nothing))


def _good_until(
    points: Sequence[Point], k: int, at: float, noticed_after: float, end: float
) -> tuple[Point | None, float]:
    """The point that helps against damage just after `at`, and until when it is that one."""
    seen = at + noticed_after
    until = end
    for n in range(k, -1, -1):
        point = points[n]
        if point.expires_at <= seen:
            continue
        if point.available_at > seen:  # it is not complete yet when the damage is noticed
            until = min(until, point.available_at - noticed_after)
            continue
        return point, min(until, point.expires_at - noticed_after)
    return None, until


ONE_A = {"hourly": "hour", "daily": "day", "weekly": "week", "monthly": "month", "yearly": "year"}


def windows_in_words(retention: Retention) -> str:
    """The windows of age as people say them."""
    said = [f"one a{'n' * (w.every == 'hourly')} {ONE_A[w.every]}" for w in retention.windows]
    ends = [f"{w.days} day{'s' * (w.days > 1)}" for w in retention.windows]
    parts = [f"{one} for {end}" for one, end in zip(said[:-1], ends[:-1], strict=True)]
    return ", ".join([*parts, f"{said[-1]} until {ends[-1]}"])


def in_words(retention: Retention) -> str:
    """The rules as people say them."""
    parts = []
    if retention.all_days:
        parts.append(f"all for {retention.all_days} days")
    if retention.last:
        parts.append("only the newest" if retention.last == 1 else f"the last {retention.last}")
    periods = [f"{getattr(retention, n)} {n}" for n in PERIODS if getattr(retention, n)]
    parts += periods
    if retention.windows:
        parts.append(windows_in_words(retention))
    if retention.thin:
        parts.append(f"thinned to {retention.thin}")
    if retention.trash_days:
        parts.append(f"trash can {retention.trash_days} days")
    if retention.hold_until:
        parts.append(f"all held until {retention.hold_until}")
    manner = []
    if retention.of_period == "first" and (periods or retention.windows):
        manner.append("the first of each")
    if retention.counting == "each" and len(periods) + bool(retention.last) > 1:
        manner.append("each rule on its own")
    said = " + ".join(parts) or "only the newest"
    return f"{said} ({', '.join(manner)})" if manner else said
