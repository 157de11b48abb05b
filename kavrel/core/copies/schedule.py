"""When a job starts: exact instants from a wall-clock rule in the lab's time zone.

In the spring gap a start moves by the length of the gap (02:30 runs at 03:30); in the repeated
autumn hour it runs once, the first time. Hourly jobs follow elapsed time: they run in both.
cron does the same for fixed times; a systemd timer skips the missing hour instead.
"""

from collections.abc import Iterator
from datetime import UTC, date, datetime, time, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

from kavrel.core.plan import Schedule

ANCHOR = date(2024, 1, 1)  # a Monday: "every n" counts from here unless the job says otherwise
HOURS_IN_STEP = (1, 2, 3, 4, 6, 8, 12)
WEEKDAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")


def complaint(schedule: Schedule) -> tuple[str, str] | None:
    """The field and the reason why a schedule cannot be kept, or None."""
    if schedule.kind == "hourly" and schedule.every not in HOURS_IN_STEP:
        return "every", "hourly jobs run every 1, 2, 3, 4, 6, 8 or 12 hours"
    if schedule.kind == "weekly" and not schedule.weekdays:
        return "weekdays", "this never fires: choose at least one weekday"
    if len(set(schedule.weekdays)) != len(schedule.weekdays):
        return "weekdays", "each weekday once"
    if schedule.kind == "monthly" and schedule.day == 0:
        return "day", "days of the month count from 1; -1 is the last"
    first = schedule.start or ANCHOR
    if schedule.until and schedule.until < first:
        return "until", "this never fires: it ends before it starts"
    if next(_days(schedule, first, first + timedelta(days=366 * 40)), None) is None:
        return "day", "this never fires: no such day comes up"
    return None


def _months(day: date) -> int:
    return day.year * 12 + day.month - 1


def _days(schedule: Schedule, first: date, last: date) -> Iterator[date]:
    """Days from `first` to `last`, both included, on which the schedule fires."""
    anchor = schedule.start or ANCHOR
    if schedule.start:
        first = max(first, schedule.start)
    if schedule.until:
        last = min(last, schedule.until)
    if schedule.kind == "monthly":
        month = _months(first) + -(_months(first) - _months(anchor)) % schedule.every
        while month <= _months(last):
            found = _day_of_month(month, schedule.day)
            if found and first <= found <= last:
                yield found
            month += schedule.every
        return
    day, one = first, timedelta(days=1)
    monday = anchor - timedelta(days=anchor.weekday())
    while day <= last:
        if schedule.kind == "hourly":
            yield day
        elif schedule.kind == "daily":
            if (day - anchor).days % schedule.every == 0:
                yield day
        elif day.weekday() in schedule.weekdays and (day - monday).days // 7 % schedule.every == 0:
            yield day
        day += one


def _day_of_month(month: int, day: int) -> date | None:
    year, index = divmod(month, 12)
    if day == -1:
        following = date(year + (index == 11), (index + 1) % 12 + 1, 1)
        return following - timedelta(days=1)
    try:
        return date(year, index + 1, day)
    except ValueError:
        return None  # months without this day are skipped


@lru_cache(maxsize=2048)
def starts(schedule: Schedule, zone: str, first: date, last: date) -> tuple[float, ...]:
    """Start instants (seconds since 1970, UTC) on local days `first` to `last`, both included."""
    place = ZoneInfo(zone)
    clock = time.fromisoformat(schedule.at)
    found: set[float] = set()
    for day in _days(schedule, first, last):
        if schedule.kind != "hourly":
            found.add(datetime.combine(day, clock, place).timestamp())
            continue
        for hour in range(clock.hour % schedule.every, 24, schedule.every):
            local = datetime.combine(day, time(hour, clock.minute), place)
            found.add(local.timestamp())
            if schedule.every == 1:
                found.add(local.replace(fold=1).timestamp())
    return tuple(sorted(found))


def longest_step_days(schedule: Schedule) -> float:
    """An upper bound for the days between two starts, to size how far back to look."""
    if schedule.kind == "hourly":
        return 1.0
    if schedule.kind == "daily":
        return float(schedule.every)
    if schedule.kind == "weekly":
        return 7.0 * schedule.every
    # Day 31 comes up every second month, 29 February every fourth year.
    return 31.0 * schedule.every * (1 if schedule.day <= 28 else 2)


def in_words(schedule: Schedule) -> str:
    """The rule as people say it."""
    every = schedule.every
    if schedule.kind == "hourly":
        minute = schedule.at[3:]
        return f"every hour at :{minute}" if every == 1 else f"every {every} h at :{minute}"
    at = f"at {schedule.at}"
    if schedule.kind == "daily":
        return f"every day {at}" if every == 1 else f"every {every} days {at}"
    if schedule.kind == "weekly":
        days = ", ".join(WEEKDAYS[d] for d in sorted(schedule.weekdays))
        return f"{days} {at}" if every == 1 else f"{days} every {every} weeks {at}"
    day = "the last day" if schedule.day == -1 else f"day {schedule.day}"
    months = "every month" if every == 1 else f"every {every} months"
    return f"{day} of {months} {at}"


def rrule(schedule: Schedule) -> str:
    """The rule as an RFC 5545 RRULE, without the prefix; counts from `dtstart`."""
    parts: list[str]
    clock = time.fromisoformat(schedule.at)
    if schedule.kind == "hourly":
        hours = range(clock.hour % schedule.every, 24, schedule.every)
        parts = ["FREQ=DAILY", "BYHOUR=" + ",".join(map(str, hours)), f"BYMINUTE={clock.minute}"]
    elif schedule.kind == "daily":
        parts = ["FREQ=DAILY", f"INTERVAL={schedule.every}"]
    elif schedule.kind == "weekly":
        names = ",".join(WEEKDAYS[d][:2].upper() for d in sorted(schedule.weekdays))
        parts = ["FREQ=WEEKLY", f"INTERVAL={schedule.every}", "WKST=MO", f"BYDAY={names}"]
    else:
        parts = ["FREQ=MONTHLY", f"INTERVAL={schedule.every}", f"BYMONTHDAY={schedule.day}"]
    if schedule.until:
        parts.append(f"UNTIL={schedule.until:%Y%m%d}T235959Z")
    return ";".join(parts)


def dtstart(schedule: Schedule, zone: str) -> datetime:
    """The first start at or after the schedule's first day, in local time with its zone."""
    first = schedule.start or ANCHOR
    found = starts(schedule, zone, first, first + timedelta(days=366 * 5))
    moment = (
        datetime.fromtimestamp(found[0], UTC) if found else datetime.combine(first, time(), UTC)
    )
    return moment.astimezone(ZoneInfo(zone))
