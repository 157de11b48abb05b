"""Which points stay and until when.

A point is kept while any rule keeps it; the newest always stays. The rules of hours, days,
weeks, months and years keep the last point of each of n periods, in the lab's time zone, weeks
from Monday. Each coarser rule counts beyond what the finer ones keep, so that 7 daily + 2 weekly
+ 1 monthly + 1 yearly are eleven points. `all_days` keeps everything that is younger.
Schools differ here: others let one point serve several rules at once, and keep fewer.
Source: common practice, no source.
"""

from bisect import insort
from collections.abc import Callable, Sequence
from datetime import datetime
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


def keeps_nothing(retention: Retention) -> bool:
    """Whether no rule keeps anything."""
    return not any(getattr(retention, name) for name in Retention.model_fields)


def span_days(retention: Retention, step_days: float) -> float:
    """How many days back the oldest kept point can lie, at most."""
    spans = [float(retention.all_days), retention.last * step_days]
    for name, (_, days) in PERIODS.items():
        count = getattr(retention, name)
        spans.append((count + 1) * max(days, step_days) if count else 0.0)
    return max(spans) + step_days


def keep(
    moments: Sequence[tuple[float, float]], retention: Retention, zone: str
) -> tuple[Point, ...]:
    """Points with their expiry from (data time, available time) pairs in order of time.

    A point leaves when the later point that makes it superfluous is complete, or when its age
    passes `all_days`, whichever rule lets go last.
    """
    if not moments:
        return ()
    count = len(moments)
    available = [m[1] for m in moments]
    # Until when the rules so far keep each point; coarser rules count beyond that.
    ruled = [-FOREVER] * count
    if retention.last:
        for i in range(count):
            later = i + retention.last
            ruled[i] = available[later] if later < count else FOREVER
    if retention.all_days:
        for i, (data_time, _) in enumerate(moments):
            ruled[i] = max(ruled[i], data_time + retention.all_days * DAY)
    rules = [(PERIODS[n][0], getattr(retention, n)) for n in PERIODS if getattr(retention, n)]
    if rules:
        place = ZoneInfo(zone)
        local = [datetime.fromtimestamp(m[0], place) for m in moments]
        for bucket_of, wanted in rules:
            _keep_periods([bucket_of(t) for t in local], available, wanted, ruled)
    superseded = [*available[1:], FOREVER]  # the newest point stays whatever the rules say
    return tuple(
        Point(data, done, max(rule, newer))
        for (data, done), rule, newer in zip(moments, ruled, superseded, strict=True)
    )


def _keep_periods(
    buckets: Sequence[int], available: Sequence[float], wanted: int, ruled: list[float]
) -> None:
    """Raises `ruled` for the last point of each bucket by the rule that keeps `wanted` of them.

    A newer bucket counts from when the finer rules let its last point go; where there are no
    finer rules, from its first point on.
    """
    first_of: list[float] = []  # when each bucket got its first point
    last_index: list[int] = []
    for i, bucket in enumerate(buckets):
        if i == 0 or bucket != buckets[i - 1]:
            first_of.append(available[i])
            last_index.append(i)
        else:
            last_index[-1] = i
    counts_from = [max(first, ruled[i]) for first, i in zip(first_of, last_index, strict=True)]
    # From the newest bucket back: a point goes when `wanted` newer buckets count, whichever.
    newer: list[float] = []
    for i, counts in zip(reversed(last_index), reversed(counts_from), strict=True):
        ruled[i] = max(ruled[i], newer[wanted - 1] if len(newer) >= wanted else FOREVER)
        insort(newer, counts)


def existing(points: Sequence[Point], at: float) -> list[Point]:
    """Points that are complete and not pruned at an instant (epoch s)."""
    return [p for p in points if p.available_at <= at < p.expires_at]


def worst_age(points: Sequence[Point], first: float, last: float) -> float | None:
    """Seconds of work lost at the worst moment in a span: just before the next point completes."""
    worst = None
    for point, following in pairwise(points):
        if first <= following.available_at <= last:
            age = following.available_at - point.data_time
            worst = age if worst is None or age > worst else worst
    return worst


def worst_loss(
    points: Sequence[Point], noticed_after: float, first: float, last: float
) -> float | None:
    """Seconds of work lost at worst when damage done in a span is noticed so many seconds later.

    For damage in the moment before each point was taken: the newest older point that still exists when
    the damage is noticed. Infinite where at some moment none does; None without points.
    """
    worst: float | None = None
    newest_expiry = -FOREVER
    for k, (point, following) in enumerate(pairwise(points)):
        newest_expiry = max(newest_expiry, point.expires_at)
        damaged = following.data_time
        if not first <= damaged <= last:
            continue
        noticed = damaged + noticed_after
        if newest_expiry < noticed:
            return FOREVER
        i = k
        while points[i].expires_at < noticed or points[i].available_at >= noticed:
            i -= 1
            if i < 0:
                return FOREVER
        lost = damaged - points[i].data_time
        worst = lost if worst is None or lost > worst else worst
    return worst


def in_words(retention: Retention) -> str:
    """The rules as people say them."""
    parts = []
    if retention.all_days:
        parts.append(f"all for {retention.all_days} days")
    if retention.last:
        parts.append("only the newest" if retention.last == 1 else f"the last {retention.last}")
    parts += [f"{getattr(retention, n)} {n}" for n in PERIODS if getattr(retention, n)]
    return " + ".join(parts) or "nothing"
