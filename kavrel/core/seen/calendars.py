"""Calendars of timers and crontabs: at which clock times, weekdays and days of the month they start something.

Source: crontab(5) of Debian; systemd.time(7), Calendar Events, in the normalised form that systemctl prints.
"""

import re
from dataclasses import dataclass
from datetime import time

from kavrel.core.plan import Schedule
from kavrel.core.schedule import HOURS_IN_STEP, MINUTES_IN_STEP, WEEKDAYS, hours_of
from kavrel.core.seen.machine import SeenTask

SHORT = {
    "@hourly": "0 * * * *",
    "@daily": "0 0 * * *",
    "@midnight": "0 0 * * *",
    "@weekly": "0 0 * * 0",
    "@monthly": "0 0 1 * *",
}
NAMED = {name.lower(): number for number, name in enumerate(WEEKDAYS)}
CALENDAR = re.compile(
    r"^(?:(?P<weekdays>[A-Za-z.,]+) )?\*-[\d,]*\*?(?:-(?P<days>[\d.,/*]+)|~[\d.,/]+) "
    r"(?P<hours>[\d.,/*]+):(?P<minutes>[\d.,/*]+):00(?: (?P<zone>[A-Z]\S*))?$"
)
ALL_DAY = frozenset(range(24))
ALL_WEEK = frozenset(range(7))
ALL_MONTH = frozenset(range(1, 32))


@dataclass(frozen=True)
class Starts:
    """Minutes and hours of the clock, weekdays from Monday as 0, and days of the month.

    None where a calendar cannot say it, as the last day of a month: that part is held against nothing.
    Months are not kept: who runs something every quarter counts them from a date.
    """

    minutes: frozenset[int]
    hours: frozenset[int]
    weekdays: frozenset[int] | None = ALL_WEEK
    days: frozenset[int] | None = ALL_MONTH

    def agrees(self, other: "Starts") -> bool:
        """Whether both start at the same times, as far as both say."""
        if (self.minutes, self.hours) != (other.minutes, other.hours):
            return False
        pairs = ((self.weekdays, other.weekdays), (self.days, other.days))
        return all(a is None or b is None or a == b for a, b in pairs)


def planned_starts(schedule: Schedule) -> Starts:
    """The clock times of a schedule, as a calendar of either kind has them."""
    clock = time.fromisoformat(schedule.at)
    minutes, hours = frozenset({clock.minute}), frozenset({clock.hour})
    if schedule.kind == "minutes":
        return Starts(frozenset(range(0, 60, schedule.every)), ALL_DAY)
    if schedule.kind == "hourly":
        return Starts(minutes, frozenset(hours_of(schedule)))
    if schedule.kind == "weekly":
        return Starts(minutes, hours, frozenset(schedule.weekdays))
    if schedule.kind == "monthly":
        if schedule.nth:  # cron has days, systemd both, and lab-job looks at the rest
            return Starts(minutes, hours, None, None)
        days = None if schedule.day == -1 else frozenset({schedule.day})
        return Starts(minutes, hours, days=days)
    return Starts(minutes, hours)


def starts_of(task: SeenTask, zone: str) -> Starts | None:
    """The clock times of what starts a task; None where it is not understood, or in another zone."""
    if task.by == "cron":
        return _of_cron(task.on)
    return _of_timer(task.on.partition("; ")[0], zone)


def as_schedule(starts: Starts | None) -> Schedule | None:
    """The schedule with these clock times, where the plan has one of that kind."""
    if starts is None or starts.weekdays is None or starts.days is None:
        return None
    minutes, hours = sorted(starts.minutes), sorted(starts.hours)
    plain = starts.weekdays == ALL_WEEK and starts.days == ALL_MONTH
    if len(minutes) > 1:
        step = next((s for s in MINUTES_IN_STEP if minutes == list(range(0, 60, s))), None)
        often = step and plain and starts.hours == ALL_DAY
        return Schedule(kind="minutes", every=step) if step and often else None
    if len(hours) > 1:
        at = f"{hours[0]:02}:{minutes[0]:02}"
        each = next((s for s in HOURS_IN_STEP if hours == list(range(hours[0], 24, s))), None)
        # From three hours past midnight, every eight: 3, 11, 19; from nine it would have begun at one.
        whole = each and hours[0] < each and plain
        return Schedule(kind="hourly", every=each, at=at) if each and whole else None
    at = f"{hours[0]:02}:{minutes[0]:02}"
    if plain:
        return Schedule(kind="daily", at=at)
    if starts.days == ALL_MONTH:
        return Schedule(kind="weekly", at=at, weekdays=tuple(sorted(starts.weekdays)))
    if starts.weekdays == ALL_WEEK and len(starts.days) == 1:
        return Schedule(kind="monthly", at=at, day=min(starts.days))
    return None


def _of_cron(on: str) -> Starts | None:
    fields = SHORT.get(on.lower(), on).lower().split()
    if len(fields) != 5:
        return None
    minutes, hours = _numbers(fields[0], 0, 59), _numbers(fields[1], 0, 23)
    days, named = _numbers(fields[2], 1, 31), fields[4]
    for name, number in NAMED.items():
        named = named.replace(name, str(number + 1))
    weekdays = _numbers(named, 0, 7)
    if not (minutes and hours and days and weekdays):
        return None
    # 0 and 7 are Sunday.
    week = frozenset((d - 1) % 7 for d in weekdays)
    if fields[2] != "*" and fields[4] != "*":
        return None  # cron takes either of the two
    return Starts(minutes, hours, week, days)


def _of_timer(on: str, zone: str) -> Starts | None:
    match = CALENDAR.match(on)
    if match is None or match["zone"] not in (None, zone):
        return None
    minutes, hours = _numbers(match["minutes"], 0, 59), _numbers(match["hours"], 0, 23)
    week: frozenset[int] | None = ALL_WEEK
    if match["weekdays"]:
        named = match["weekdays"].lower()
        for name, number in NAMED.items():
            named = named.replace(name, str(number))
        week = _numbers(named, 0, 6)
    days = _numbers(match["days"], 1, 31) if match["days"] else None
    if not (minutes and hours and week) or (match["days"] and not days):
        return None
    return Starts(minutes, hours, week, days)


def _numbers(text: str, least: int, most: int) -> frozenset[int] | None:
    """What `1,3`, `1-5`, `1..5`, `*`, `*/4` and `2/4` stand for; None for anything else, or out of bounds."""
    found: set[int] = set()
    for part in text.split(","):
        span, _, step = part.partition("/")
        match = re.fullmatch(r"\*|(\d{1,2})(?:(?:-|\.\.)(\d{1,2}))?", span)
        if match is None or (step and not (step.isdecimal() and int(step))):
            return None
        low = int(match[1]) if match[1] else least
        high = int(match[2]) if match[2] else most if not match[1] or step else low
        if not least <= low <= high <= most:
            return None
        found.update(range(low, high + 1, int(step or 1)))
    return frozenset(found)
