"""The schedule and the retention that points which exist look like: a guess, and said to be one."""

from collections.abc import Callable, Sequence
from datetime import date, datetime, timedelta
from itertools import pairwise
from statistics import median
from zoneinfo import ZoneInfo

from kavrel.core.plan import Retention, Schedule

HOUR, DAY = 3600.0, 86_400.0
FEWEST = 3  # points before a rhythm can be seen
STEPS = (5, 10, 15, 30)


def schedule_of(times: Sequence[float], zone: str) -> Schedule | None:
    """The schedule by the gap that most points have; None where there are too few."""
    if len(times) < FEWEST:
        return None
    # Old points are thinned: the newest gaps are those of the rhythm.
    newest = sorted(times)[-8:]
    gap = median(b - a for a, b in pairwise(newest))
    last = datetime.fromtimestamp(newest[-1], ZoneInfo(zone))
    at = f"{last:%H:%M}"
    if gap < 45 * 60:
        return Schedule(kind="minutes", every=min(STEPS, key=lambda m: abs(m * 60 - gap)))
    if gap < 18 * HOUR:
        hours = max(1, round(gap / HOUR))
        return Schedule(kind="hourly", every=hours, at=f"{last.hour % hours:02}:{last.minute:02}")
    if gap < 5 * DAY:
        days = max(1, round(gap / DAY))
        return Schedule(kind="daily", every=days, at=at)
    if gap < 21 * DAY:
        weeks = max(1, round(gap / (7 * DAY)))
        return Schedule(kind="weekly", every=weeks, at=at, weekdays=(last.weekday(),))
    months = max(1, round(gap / (30.4 * DAY)))
    return Schedule(kind="monthly", every=months, at=at, day=min(last.day, 28))


def retention_of(times: Sequence[float], zone: str) -> Retention:
    """So many hours, days, weeks, months and years back there is a point in each; finer ones cover coarser.

    Each rule counts on its own, the last point of a period stands for it; empty for a single point.
    """
    place = ZoneInfo(zone)
    local = [datetime.fromtimestamp(t, place) for t in sorted(times)]
    if len(local) < 2:
        return Retention(last=len(local))
    rules: tuple[tuple[str, Callable[[datetime], int], float], ...] = (
        ("hourly", lambda t: int(t.timestamp() // HOUR), HOUR),
        ("daily", lambda t: t.date().toordinal(), DAY),
        ("weekly", lambda t: _monday(t.date()).toordinal() // 7, 7 * DAY),
        ("monthly", lambda t: t.year * 12 + t.month, 30.4 * DAY),
        ("yearly", lambda t: t.year, 365.25 * DAY),
    )
    kept: dict[str, int] = {}
    covered = 0.0
    for name, period, length in rules:
        there = {period(t) for t in local}
        newest, count = max(there), 0
        while newest - count in there:
            count += 1
        # One period says nothing, and what a finer rule keeps needs no coarser one.
        if count >= 2 and (count - 1) * length > covered * 1.1:
            kept[name] = min(count, 500)
            covered = count * length
    if not kept:
        return Retention(last=len(local))
    return Retention.model_validate({**kept, "counting": "each"})


def _monday(day: date) -> date:
    return day - timedelta(days=day.weekday())
