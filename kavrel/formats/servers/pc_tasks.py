"""Tasks of a PC's own scheduler as files: what is run, and when, in the words of its system.

Sources: systemd.timer(5), systemd.time(7); launchd.plist(5), schtasks and batch files: value from memory.
"""

import plistlib
from collections.abc import Callable, Iterator
from datetime import date, time

from kavrel.core.index import Index
from kavrel.core.plan import Plan, Schedule
from kavrel.core.schedule import WEEKDAYS, hours_of, months_of
from kavrel.core.works.pc import PcTask, can_be_entered, pc_tasks
from kavrel.formats.servers.template import plain
from kavrel.formats.timers import on_calendar

Files = Iterator[tuple[str, str]]
NTH = {1: "FIRST", 2: "SECOND", 3: "THIRD", 4: "FOURTH", -1: "LAST"}
MONTHS = ("JAN", "FEB", "MAR", "APR", "MAY", "JUN", "JUL", "AUG", "SEP", "OCT", "NOV", "DEC")


def pc_files(plan: Plan, host: str, origin: str, today: date) -> dict[str, str]:
    """File name to its text, for each copy whose times its scheduler can be told."""
    index = Index(plan)
    box = index.hosts[host]
    return {
        f"tasks/{name}": text
        for task in pc_tasks(index, box)
        if can_be_entered(box.system, task.job.schedule)
        for name, text in MAKES[box.system](task, plan.zone, plain(origin), today)
    }


def _script(task: PcTask, origin: str) -> tuple[str, str]:
    once = f"# Before it, once: {plain(task.before)}\n" if task.before else ""
    head = f"#!/bin/sh\n# {plain(task.job.name)}, written by Kavrel from {origin}\n{once}"
    return f"{task.name}.sh", f"{head}{task.program}\n"


def _linux(task: PcTask, zone: str, origin: str, today: date) -> Files:
    yield _script(task, origin)
    said = f"# {plain(task.job.name)}, written by Kavrel from {origin}\n"
    title = plain(task.job.name).replace("%", "%%")
    yield (
        f"{task.name}.service",
        f"{said}[Unit]\nDescription={title}\n\n[Service]\nType=oneshot\nNice=10\n"
        f"ExecStart=/bin/sh %E/systemd/user/{task.name}.sh\n",
    )
    times = "".join(f"OnCalendar={c}\n" for c in on_calendar(task.job.schedule, zone, today))
    kept = "true" if task.job.catch_up else "false"
    yield (
        f"{task.name}.timer",
        f"{said}[Unit]\nDescription={title}\n\n[Timer]\n{times}Persistent={kept}\n\n"
        "[Install]\nWantedBy=timers.target\n",
    )


def _macos(task: PcTask, zone: str, origin: str, today: date) -> Files:
    yield _script(task, origin)
    told = {
        "Label": task.name,
        "ProgramArguments": ["/bin/sh", "-c", f'exec /bin/sh "$HOME/Library/LaunchAgents/{task.name}.sh"'],
        "StartCalendarInterval": calendar_intervals(task.job.schedule),
    }  # fmt: skip
    yield f"{task.name}.plist", plistlib.dumps(told).decode()


def calendar_intervals(schedule: Schedule) -> list[dict[str, int]]:
    """Each start of a schedule that counts nothing, as launchd matches the clock: absent keys are any."""
    at = time.fromisoformat(schedule.at)
    clock = {"Hour": at.hour, "Minute": at.minute}
    if schedule.kind == "minutes":
        return [{"Minute": m} for m in range(0, 60, schedule.every)]
    if schedule.kind == "hourly":
        return [{"Hour": h, "Minute": at.minute} for h in hours_of(schedule)]
    if schedule.kind == "weekly":
        return [{"Weekday": (d + 1) % 7, **clock} for d in sorted(schedule.weekdays)]
    if schedule.kind == "monthly":
        months = months_of(schedule)
        day = {"Day": schedule.day, **clock}
        return [{"Month": m, **day} for m in months] if months else [day]
    return [clock]


def _windows(task: PcTask, zone: str, origin: str, today: date) -> Files:
    said = f"@rem {plain(task.job.name)}, written by Kavrel from {origin}\r\n"
    # In a file a percent sign is written twice, but for the variable that is meant.
    program = task.program.replace("%", "%%").replace("/LOG:%%TEMP%%", "/LOG:%TEMP%")
    yield f"{task.name}.cmd", f"{said}@chcp 65001 >nul\r\n@{program}\r\n"
    often = schtasks_words(task.job.schedule)
    run = f'\\"%USERPROFILE%\\copies\\{task.name}.cmd\\"'
    yield (
        f"{task.name}-once.cmd",
        f'{said}schtasks /Create /F /TN "{task.name}" {often} /TR "{run}"\r\n',
    )


def schtasks_words(schedule: Schedule) -> str:
    """When, as schtasks is told it."""
    at = f"/ST {schedule.at}"
    if schedule.kind == "minutes":
        return f"/SC MINUTE /MO {schedule.every} /ST 00:00"
    if schedule.kind == "hourly":
        return f"/SC HOURLY /MO {schedule.every} {at}"
    if schedule.kind == "weekly":
        days = ",".join(WEEKDAYS[d].upper() for d in sorted(schedule.weekdays))
        return f"/SC WEEKLY /D {days} {at}"
    if schedule.kind == "monthly":
        months = months_of(schedule)
        named = ",".join(MONTHS[m - 1] for m in months) if months else "*"
        if schedule.nth:
            day = WEEKDAYS[schedule.weekdays[0]].upper()
            return f"/SC MONTHLY /MO {NTH[schedule.nth]} /D {day} /M {named} {at}"
        if schedule.day == -1:
            return f"/SC MONTHLY /MO LASTDAY /M {named} {at}"
        return f"/SC MONTHLY /D {schedule.day} /M {named} {at}"
    return f"/SC DAILY {at}"


MAKES: dict[str, Callable[[PcTask, str, str, date], Files]] = {
    "linux": _linux,
    "macos": _macos,
    "windows": _windows,
}
