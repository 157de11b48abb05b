"""When a job starts: exact instants from a wall-clock rule in the lab's time zone, or the job's own.

The two odd nights follow cron's rule for fixed times: a start in the spring gap runs as soon as
the gap is over (02:30 runs at 03:00); in the repeated autumn hour it runs once, the first time.
Jobs of every hour follow elapsed time: none in the gap, one in each of the repeated hours.
Source: Debian's cron(8); the exports in `formats.timers` and `formats.calendar` say the same.
"""

from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, date, datetime, time, timedelta
from functools import lru_cache
from typing import TypeVar
from zoneinfo import ZoneInfo

from kavrel.core.plan import Schedule

ANCHOR = date(2024, 1, 1)  # a Monday: "every n" counts from here unless the job says otherwise
HOURS_IN_STEP = (1, 2, 3, 4, 6, 8, 12)
MINUTES_IN_STEP = (5, 10, 15, 30)  # whole parts of any step that clocks are moved by
OFTEN = ("minutes", "hourly")
WEEKDAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")

Clock = TypeVar("Clock", time, float)


@lru_cache(maxsize=2048)
def complaint(schedule: Schedule) -> tuple[str, str] | None:
    """The field and the reason why a schedule cannot be kept, or None."""
    if schedule.kind == "after":
        return None
    if schedule.kind == "hourly" and schedule.every not in HOURS_IN_STEP:
        return "every", "hourly jobs run every 1, 2, 3, 4, 6, 8 or 12 hours"
    if schedule.kind == "minutes" and schedule.every not in MINUTES_IN_STEP:
        return "every", "every 5, 10, 15 or 30 minutes"
    if schedule.kind == "minutes" and schedule.only_from is not None:
        return "only_from", "what runs by the minute runs all day"
    by_weekday = schedule.kind == "weekly" or (schedule.kind == "monthly" and schedule.nth)
    if by_weekday and not schedule.weekdays:
        return "weekdays", "this never fires: choose at least one weekday"
    if schedule.kind == "monthly" and schedule.nth and len(schedule.weekdays) > 1:
        return "weekdays", "the nth weekday of a month: choose one weekday"
    if len(set(schedule.weekdays)) != len(schedule.weekdays):
        return "weekdays", "each weekday once"
    if schedule.kind == "monthly" and schedule.day == 0:
        return "day", "days of the month count from 1; -1 is the last"
    if (schedule.only_from is None) != (schedule.only_to is None):
        return "only_to", "give both: from which hour and until which hour"
    if schedule.kind == "hourly" and not hours_of(schedule):
        return "only_to", "this never fires: no start lies within these hours"
    first = schedule.start or ANCHOR
    if schedule.until and schedule.until < first:
        return "until", "this never fires: it ends before it starts"
    if next(iter(_days(schedule, first, first + timedelta(days=366 * 40))), None) is None:
        return "day", "this never fires: no such day comes up"
    return None


def hours_of(schedule: Schedule) -> list[int]:
    """Hours of the day at which an hourly job starts, of those in which it may."""
    clock = time.fromisoformat(schedule.at)
    hours = range(clock.hour % schedule.every, 24, schedule.every)
    if schedule.only_from is None or schedule.only_to is None:
        return list(hours)
    low, high = (time.fromisoformat(t) for t in (schedule.only_from, schedule.only_to))
    return [h for h in hours if within(time(h, clock.minute), low, high)]


def calendar_says_all(schedule: Schedule) -> bool:
    """Whether a calendar of days and hours alone, as systemd's, has its starts and no other."""
    counted = schedule.every > 1 and (
        schedule.kind in ("daily", "weekly") or (schedule.kind == "monthly" and 12 % schedule.every)
    )
    return not (counted or schedule.start or schedule.until)


def months_of(schedule: Schedule) -> list[int] | None:
    """Months of the year in which it runs, None for all (or where it counts them over years)."""
    if schedule.every == 1 or 12 % schedule.every:
        return None
    anchor = schedule.start or ANCHOR
    return [m for m in range(1, 13) if (m - anchor.month) % schedule.every == 0]


def within(clock: Clock, low: Clock, high: Clock) -> bool:
    """Whether a time of day lies from `low` up to, not at, `high`.

    The span may pass midnight; from an hour to the same is the whole day. Times may be hours, too.
    """
    if low < high:
        return low <= clock < high
    return low == high or clock >= low or clock < high


def _months(day: date) -> int:
    return day.year * 12 + day.month - 1


def _days(schedule: Schedule, first: date, last: date) -> Iterable[int]:
    """Proleptic ordinals of the days from `first` to `last`, both included, on which it fires."""
    anchor = schedule.start or ANCHOR
    if schedule.start:
        first = max(first, schedule.start)
    if schedule.until:
        last = min(last, schedule.until)
    if schedule.kind == "monthly":
        return _by_the_month(schedule, anchor, first, last)
    begin, end = first.toordinal(), last.toordinal() + 1
    if schedule.kind in (*OFTEN, "after"):
        return range(begin, end)
    if schedule.kind == "daily":
        return range(begin + (anchor.toordinal() - begin) % schedule.every, end, schedule.every)
    monday = anchor.toordinal() - anchor.weekday()
    due = [d for d in schedule.weekdays if 0 <= d <= 6]
    weeks = range(begin - (begin - monday) % 7, end, 7)
    return (
        day
        for week in weeks
        if (week - monday) // 7 % schedule.every == 0
        for day in (week + d for d in sorted(due))
        if begin <= day < end
    )


def _by_the_month(schedule: Schedule, anchor: date, first: date, last: date) -> Iterator[int]:
    month = _months(first) + -(_months(first) - _months(anchor)) % schedule.every
    while month <= _months(last):
        when = (
            _nth_weekday(month, schedule.weekdays[0], schedule.nth)
            if schedule.nth
            else _day_of_month(month, schedule.day)
        )
        if when and first <= when <= last:
            yield when.toordinal()
        month += schedule.every


def _day_of_month(month: int, day: int) -> date | None:
    year, index = divmod(month, 12)
    if day == -1:
        following = date(year + (index == 11), (index + 1) % 12 + 1, 1)
        return following - timedelta(days=1)
    try:
        return date(year, index + 1, day)
    except ValueError:
        return None  # months without this day are skipped


def _nth_weekday(month: int, weekday: int, nth: int) -> date | None:
    """The nth such weekday of the month, from the end where nth is -1; a fifth may be missing."""
    if nth < 0:
        last = _day_of_month(month, -1)
        assert last is not None
        return last - timedelta(days=(last.weekday() - weekday) % 7)
    first = _day_of_month(month, 1)
    assert first is not None
    return _day_of_month(month, 1 + (weekday - first.weekday()) % 7 + 7 * (nth - 1))


def gap_end(local: datetime) -> float | None:
    """Where a wall time does not exist, the instant (epoch s) at which the gap ends; else None."""
    moved = local.replace(fold=0).timestamp()
    earlier = local.replace(fold=1).timestamp()
    if earlier >= moved:
        return None  # it exists: once, or twice in autumn
    # Between the two readings of a missing time lies the one instant at which clocks go on.
    zone = local.tzinfo
    before = datetime.fromtimestamp(earlier, zone).utcoffset()
    low, high = earlier, moved
    while high - low > 0.5:
        middle = (low + high) / 2
        if datetime.fromtimestamp(middle, zone).utcoffset() == before:
            low = middle
        else:
            high = middle
    return float(round(high))


@lru_cache(maxsize=2048)
def starts(schedule: Schedule, zone: str, first: date, last: date) -> tuple[float, ...]:
    """Start instants (seconds since 1970, UTC) on local days `first` to `last`, both included."""
    import numpy as np  # a rule can be read and looked at without it

    from kavrel.core.local_days import local_days

    place = schedule.zone or zone
    if schedule.kind == "minutes":
        return tuple(_by_the_minute(schedule, ZoneInfo(place), first, last))
    clock = time.fromisoformat(schedule.at)
    hours = hours_of(schedule) if schedule.kind == "hourly" else [clock.hour]
    days = list(_days(schedule, first, last))
    if not days:
        return ()
    begins, straight = local_days(place, days)
    seconds = begins[:, None] + (np.array(hours) * 3600.0 + clock.minute * 60.0)
    pieces, done = [], 0
    for odd in np.flatnonzero(~straight).tolist():
        day = date.fromordinal(days[odd])
        pieces += seconds[done:odd].ravel().tolist()
        pieces += _on_an_odd_day(day, hours, clock.minute, ZoneInfo(place))
        done = odd + 1
    return (*pieces, *seconds[done:].ravel().tolist())


def _on_an_odd_day(day: date, hours: Sequence[int], minute: int, place: ZoneInfo) -> list[float]:
    """Starts of a day on which clocks change."""
    every_hour = len(hours) == 24
    fires: set[float] = set()
    for hour in hours:
        local = datetime.combine(day, time(hour, minute), place)
        moved, again = local.timestamp(), local.replace(fold=1).timestamp()
        if moved == again:
            fires.add(moved)
        elif again < moved:  # in the spring gap
            if not every_hour:
                fires.add(gap_end(local) or moved)
        else:  # in the repeated hour
            fires.add(moved)
            if every_hour:
                fires.add(again)
    return sorted(fires)


def _by_the_minute(schedule: Schedule, place: ZoneInfo, first: date, last: date) -> Iterator[float]:
    """Starts by elapsed time, so many to the hour."""
    days = list(_days(schedule, first, last))
    if days:
        low, high = date.fromordinal(days[0]), date.fromordinal(days[-1] + 1)
        at, end = (datetime.combine(d, time(), place).timestamp() for d in (low, high))
        while at < end:
            yield at
            at += schedule.every * 60


def longest_step_days(schedule: Schedule) -> float:
    """An upper bound for the days between two starts, to size how far back to look."""
    if schedule.kind == "minutes":
        return schedule.every / 1440
    if schedule.kind in ("hourly", "after"):
        return 1.0
    if schedule.kind == "daily":
        return float(schedule.every)
    if schedule.kind == "weekly":
        return 7.0 * schedule.every
    # Day 31 comes up every second month, 29 February every fourth year, a fifth Sunday in four.
    often = schedule.nth <= 4 if schedule.nth else schedule.day <= 28
    return (31.0 * schedule.every + 6 * bool(schedule.nth)) * (1 if often else 4)


ORDINALS = {1: "first", 2: "second", 3: "third", 4: "fourth", 5: "fifth", -1: "last"}


def in_words(schedule: Schedule) -> str:
    """The rule as people say it."""
    every = schedule.every
    place = f" ({schedule.zone})" if schedule.zone else ""
    if schedule.kind == "after":
        return "after another job"
    if schedule.kind == "minutes":
        return f"all the time, within {every} min"
    if schedule.kind == "hourly":
        minute = schedule.at[3:]
        said = f"every hour at :{minute}" if every == 1 else f"every {every} h at :{minute}"
        if schedule.only_from:
            said += f", {schedule.only_from} to {schedule.only_to}"
        return said + place
    at = f"at {schedule.at}{place}"
    if schedule.kind == "daily":
        return f"every day {at}" if every == 1 else f"every {every} days {at}"
    if schedule.kind == "weekly":
        days = ", ".join(WEEKDAYS[d] for d in sorted(schedule.weekdays))
        return f"{days} {at}" if every == 1 else f"{days} every {every} weeks {at}"
    if schedule.nth:
        day = f"the {ORDINALS[schedule.nth]} {WEEKDAYS[schedule.weekdays[0]]}"
    else:
        day = "the last day" if schedule.day == -1 else f"day {schedule.day}"
    months = {1: "every month", 3: "every quarter", 12: "every year"}
    return f"{day} of {months.get(every, f'every {every} months')} {at}"


def rrule(schedule: Schedule, zone: str) -> str:
    """The rule as an RFC 5545 RRULE, without the prefix; counts from `dtstart`."""
    parts: list[str]
    clock = time.fromisoformat(schedule.at)
    if schedule.kind == "minutes":
        hours = ",".join(map(str, range(24)))
        within_hour = ",".join(map(str, range(0, 60, schedule.every)))
        parts = ["FREQ=DAILY", f"BYHOUR={hours}", f"BYMINUTE={within_hour}"]
    elif schedule.kind == "hourly":
        hours = ",".join(map(str, hours_of(schedule)))
        parts = ["FREQ=DAILY", f"BYHOUR={hours}", f"BYMINUTE={clock.minute}"]
    elif schedule.kind == "daily":
        parts = ["FREQ=DAILY", f"INTERVAL={schedule.every}"]
    elif schedule.kind == "weekly":
        names = ",".join(WEEKDAYS[d][:2].upper() for d in sorted(schedule.weekdays))
        parts = ["FREQ=WEEKLY", f"INTERVAL={schedule.every}", "WKST=MO", f"BYDAY={names}"]
    else:
        parts = ["FREQ=MONTHLY", f"INTERVAL={schedule.every}"]
        if schedule.nth:
            name = WEEKDAYS[schedule.weekdays[0]][:2].upper()
            parts.append(f"BYDAY={schedule.nth}{name}")
        else:
            parts.append(f"BYMONTHDAY={schedule.day}")
    if schedule.until:
        # RFC 5545, 3.3.10: with a local DTSTART, UNTIL is in UTC: the end of that day here.
        place = ZoneInfo(schedule.zone or zone)
        ends = datetime.combine(schedule.until, time(23, 59, 59), place).astimezone(UTC)
        parts.append(f"UNTIL={ends:%Y%m%dT%H%M%SZ}")
    return ";".join(parts)


def dtstart(schedule: Schedule, zone: str) -> datetime:
    """The first start at or after the schedule's first day, in local time with its zone."""
    first = schedule.start or ANCHOR
    begins = starts(schedule, zone, first, first + timedelta(days=366 * 5))
    moment = (
        datetime.fromtimestamp(begins[0], UTC) if begins else datetime.combine(first, time(), UTC)
    )
    return moment.astimezone(ZoneInfo(schedule.zone or zone))


def odd_starts(schedule: Schedule, zone: str, first: date, last: date) -> tuple[datetime, ...]:
    """Starts, in local time, that a rule over wall times leaves out; exports name them one by one.

    They are moved by the spring gap, or lie in the second of the repeated autumn hours.
    """
    place = ZoneInfo(schedule.zone or zone)
    clock = time.fromisoformat(schedule.at)
    hours = hours_of(schedule) if schedule.kind == "hourly" else [clock.hour]
    if schedule.kind == "minutes":
        return _repeated_minutes(schedule, place, first, last)
    local = [datetime.fromtimestamp(t, place) for t in starts(schedule, zone, first, last)]
    return tuple(t for t in local if t.fold or t.minute != clock.minute or t.hour not in hours)


def _repeated_minutes(
    schedule: Schedule, place: ZoneInfo, first: date, last: date
) -> tuple[datetime, ...]:
    """Those of the repeated hour: looked for on the days on which clocks go back."""
    twice: list[datetime] = []
    day = first
    while day <= last:
        midnight, next_ = (
            datetime.combine(day + timedelta(days=n), time(), place).timestamp() for n in (0, 1)
        )
        if next_ - midnight > 86_400:
            local = (
                datetime.fromtimestamp(t, place) for t in _by_the_minute(schedule, place, day, day)
            )
            twice += [t for t in local if t.fold]
        day += timedelta(days=1)
    return tuple(twice)
