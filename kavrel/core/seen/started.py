"""What other people's crontabs and timers start: scrubs as jobs, copies as something to be entered by hand."""

import re

from kavrel.core.plan import Schedule
from kavrel.core.seen.machine import SeenTask

FIELDS = re.compile(
    r"^(\d{1,2}) (\d{1,2}) (\*|\d{1,2}) \* (\*|[0-7]|sun|mon|tue|wed|thu|fri|sat)$", re.IGNORECASE
)
SHORT = {
    "@daily": "0 0 * * *",
    "@midnight": "0 0 * * *",
    "@weekly": "0 0 * * 0",
    "@monthly": "0 0 1 * *",
}
DAYS = ("sun", "mon", "tue", "wed", "thu", "fri", "sat")
# What copies something away, in the words of the tools: common practice, no source.
COPIES = re.compile(
    r"\b(rsync|zfs send|btrfs send|scp|sftp|tar|dump\w*|\w*backup\w*|\w*sync)\b", re.IGNORECASE
)
# A timer that Debian's dpkg brings along: it keeps its own lists, nobody's data.
OF_THE_SYSTEM = frozenset({"dpkg-db-backup"})
SCRUB = re.compile(r"\bzpool scrub (?:-\w+ )*([\w.-]+)|\bbtrfs scrub start (?:-\w+ )*(/\S+)")


def cron_schedule(on: str) -> Schedule | None:
    """The schedule of a crontab's line where it is daily, weekly or monthly at a time; None for others."""
    match = FIELDS.match(SHORT.get(on.lower(), on))
    if match is None:
        return None
    minute, hour, day, weekday = match.groups()
    if int(minute) > 59 or int(hour) > 23:
        return None
    at = f"{int(hour):02}:{int(minute):02}"
    if weekday != "*":
        if day != "*":
            return None  # cron takes either of the two
        number = DAYS.index(weekday.lower()) if not weekday.isdecimal() else int(weekday) % 7
        return Schedule(kind="weekly", at=at, weekdays=((number - 1) % 7,))
    if day == "*":
        return Schedule(kind="daily", at=at)
    return Schedule(kind="monthly", at=at, day=int(day)) if 1 <= int(day) <= 31 else None


def scrubbed_by(task: SeenTask) -> str:
    """The pool, or the folder, that a task scrubs; empty where it scrubs none."""
    match = SCRUB.search(task.command)
    return (match.group(1) or match.group(2)) if match else ""


def copies(task: SeenTask) -> bool:
    """Whether it looks like a copy of something."""
    if task.name in OF_THE_SYSTEM:
        return False
    return bool(COPIES.search(task.command or task.name))
