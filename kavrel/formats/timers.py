"""A plan's jobs as a crontab and as systemd timers, which start at the same moments.

Both run /usr/local/sbin/lab-job NAME; see `lab_jobs`. What neither can say in its calendar (every n
days, the nth weekday, from and until a date, another time zone) lab-job knows: cron starts it with
--cron, a timer's service asks `lab-job due` first. A job that follows one on another box is looked
for every few minutes. On the odd nights cron runs a start from the spring gap when the gap is over;
systemd would skip it, so the timer names those moments of the coming years one by one.
Source: crontab(5) and cron(8) of Debian, systemd.time(7), systemd.unit(5) for OnFailure.
"""

from datetime import UTC, date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from kavrel.core.copies.carrier import LOOKS_EVERY_MINUTES, chain
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.plan import Plan, Schedule
from kavrel.core.schedule import (
    WEEKDAYS,
    calendar_says_all,
    hours_of,
    in_words,
    months_of,
    odd_starts,
    starts,
)
from kavrel.core.shares.names import job_names
from kavrel.core.works.shut_in import ZFS_MOUNTS
from kavrel.formats.lab_jobs import jobs_on, lab_jobs, script, upkeep, watches
from kavrel.formats.servers.packing import packed
from kavrel.formats.servers.site import Box
from kavrel.formats.servers.template import plain, render
from kavrel.formats.servers.units import unit_name

SCRIPT = "/usr/local/sbin/lab-job"
PATH = "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin"
ODD_YEARS = 10
OVERDUE_AT = "09:00"
LOOKS = f"*/{LOOKS_EVERY_MINUTES} * * * *"


def cron_fields(schedule: Schedule) -> str:
    """The five fields: every start of the schedule is among theirs, in the schedule's own zone."""
    clock = time.fromisoformat(schedule.at)
    hour, days, months, weekdays = str(clock.hour), "*", "*", "*"
    if schedule.kind == "minutes":
        return f"*/{schedule.every} * * * *"
    if schedule.kind == "hourly":
        all_hours = schedule.every == 1 and schedule.only_from is None
        hour = "*" if all_hours else ",".join(map(str, hours_of(schedule)))
    elif schedule.kind == "weekly":
        weekdays = ",".join(str((d + 1) % 7) for d in sorted(schedule.weekdays))
    elif schedule.kind == "monthly":
        named = months_of(schedule)
        months = ",".join(map(str, named)) if named else "*"
        if schedule.nth:
            # With both a day and a weekday cron takes either: lab-job looks at the weekday.
            low = 7 * schedule.nth - 6
            days = "22-31" if schedule.nth < 0 else f"{low}-{min(low + 6, 31)}"
        else:
            days = "28-31" if schedule.day == -1 else str(schedule.day)
    return f"{clock.minute} {hour} {days} {months} {weekdays}"


def elsewhere_fields(schedule: Schedule, zone: str, today: date) -> str:
    """Fields in the plan's zone for a schedule of another: its minutes here, at every hour.

    By the hour, because cron starts what has hours of its own once in the night on which an hour comes
    twice, and the other zone may mean the second. Source: cron(8), wildcard jobs.
    """
    place = ZoneInfo(zone)
    first = max(today, schedule.start or today)
    begins = starts(schedule, zone, first, first + timedelta(days=3 * 366))
    local = [datetime.fromtimestamp(t, place) for t in begins]
    minutes = sorted({t.minute for t in local})
    return f"{','.join(map(str, minutes or [0]))} * * * *"


def crontab(plan: Plan, host: str, origin: str, today: date) -> str:
    """The crontab of one host, in the lab's time zone."""
    index, names = Index(plan), job_names(plan)
    lines = [
        f"# crontab of {plain(index.hosts[host].name)}, written by Kavrel from {plain(origin)}",
        f"# Times are those of {plan.zone}: the host's own zone has to be the same, or lab-job complains.",
        f"# {SCRIPT} reads /etc/lab-jobs.json; both are papers of Kavrel. Mail on failure only, to",
        "# root: let an alias send root's mail to somebody who reads it.",
        "SHELL=/bin/sh",
        f"PATH={PATH}",
        "MAILTO=root",
        "",
    ]
    for job in jobs_on(plan, host):
        how, command = chain(index, job), f"{SCRIPT} --cron {names[job.id]}"
        if how and how.how == "line":
            continue  # runs behind the one before it
        said = f"# {plain(job.name)}: {in_words(job.schedule)}"
        if how:
            before = plain(index.jobs[job.after or ""].name)
            said, fields = f"# {plain(job.name)}: looks whether {before} has come", LOOKS
        elif job.schedule.zone and job.schedule.zone != plan.zone:
            fields = elsewhere_fields(job.schedule, plan.zone, today)
        else:
            fields = cron_fields(job.schedule)
        lines += [said, f"{fields} {command}"]
        if job.catch_up:
            lines += [
                "# and within the hour when that was missed",
                f"{len(lines) % 60} * * * * {command}",
            ]
        lines.append("")
    for name, told in upkeep(plan, host).items():
        fields = cron_fields(Schedule.model_validate(_frozen(told["schedule"])))
        lines += [f"# {plain(told['title'])}", f"{fields} {SCRIPT} --cron {name}", ""]
    if watches(plan, host):
        said = "# somebody is told when nothing has come for too long"
        lines += [said, f"0 9 * * * {SCRIPT} overdue", ""]
    return "\n".join(lines)


def _frozen(schedule: dict[str, Any]) -> dict[str, Any]:
    """A schedule of the job file as the plan's own."""
    return {k: tuple(v) if isinstance(v, list) else v for k, v in schedule.items()}


def on_calendar(schedule: Schedule, zone: str, today: date) -> list[str]:
    """Lines of OnCalendar: the rule, then the moments of coming odd nights that it leaves out."""
    clock = time.fromisoformat(schedule.at)
    at = f"{clock:%H:%M}:00"
    day = "*-*-*"
    if schedule.kind == "minutes":
        at = f"*:0/{schedule.every}:00"
    elif schedule.kind == "hourly":
        hours = ",".join(f"{h:02}" for h in hours_of(schedule))
        at = f"{hours}:{clock.minute:02}:00"
    elif schedule.kind == "weekly":
        day = ",".join(WEEKDAYS[d] for d in sorted(schedule.weekdays)) + " *-*-*"
    elif schedule.kind == "monthly":
        named = months_of(schedule)
        months = ",".join(f"{m:02}" for m in named) if named else "*"
        if schedule.nth:
            name = WEEKDAYS[schedule.weekdays[0]]
            low = 7 * schedule.nth - 6
            days = "~07/1" if schedule.nth < 0 else f"-{low:02}..{min(low + 6, 31):02}"
            day = f"{name} *-{months}{days}"
        elif schedule.day == -1:
            day = f"*-{months}~01"
        else:
            day = f"*-{months}-{schedule.day:02}"
    lines = [f"{day} {at} {schedule.zone or zone}"]
    last = today.replace(year=today.year + ODD_YEARS, day=1)
    for odd in odd_starts(schedule, zone, today, last):
        lines.append(f"{odd.astimezone(UTC):%Y-%m-%d %H:%M:%S} UTC")
    return lines


def _before_jobs(plan: Plan, host: str) -> list[str]:
    """Units that a job waits for while a box starts; one that is not on its way keeps nothing waiting.

    Source: systemd.unit(5), After.
    """
    box = Box(plan, host)
    folders = [*(v.folder for v in box.volumes), *(t.folder for t in box.trees)]
    mine = (p for p in plan.pools if p.host == host)
    by_name = any(FILESYSTEMS[p.filesystem].by_name for p in mine)
    mounts = [unit_name(f) for f in folders] + ([ZFS_MOUNTS] if by_name else [])
    return ["network-online.target", *mounts]


def timer_units(plan: Plan, host: str, origin: str, today: date) -> dict[str, str]:
    """Unit name to its text: a service for each job, and a timer where it has a time of its own."""
    index, names = Index(plan), job_names(plan)
    units: dict[str, str] = {}
    common = {"host": index.hosts[host], "origin": origin, "waits_for": _before_jobs(plan, host)}

    def add(name: str, what: str, command: str, calendars: list[str], **more: object) -> None:
        stem = f"lab-{name}"
        told = {"after": [], "condition": "", "catch_up": False, **common, **more, "what": what}
        service, timer = f"{stem}.service", f"{stem}.timer"
        units[service] = render("job_service_unit.j2", unit=service, command=command, **told)
        if calendars:
            units[timer] = render("job_timer_unit.j2", unit=timer, calendars=calendars, **told)

    mine = jobs_on(plan, host)
    for job in mine:
        how, name = chain(index, job), names[job.id]
        if how is None:
            calendars = on_calendar(job.schedule, plan.zone, today)
        else:
            calendars = [f"*:0/{LOOKS_EVERY_MINUTES}"] if how.how == "seen" else []
        asks = bool(calendars) and (how is not None or not calendar_says_all(job.schedule))
        add(
            name,
            f"{job.name} ({job.kind})",
            f"{SCRIPT} {name}",
            calendars,
            condition=f"{SCRIPT} due {name}" if asks else "",
            catch_up=job.catch_up,
            after=[
                f"lab-{names[j.id]}.service"
                for j in mine
                if j.after == job.id and (c := chain(index, j)) and c.how == "line"
            ],
        )
    for name, told in upkeep(plan, host).items():
        calendars = on_calendar(
            Schedule.model_validate(_frozen(told["schedule"])), plan.zone, today
        )
        add(name, told["title"], f"{SCRIPT} {name}", calendars)
    if watches(plan, host):
        what = "points that should have come"
        add("overdue", what, f"{SCRIPT} overdue", [f"*-*-* {OVERDUE_AT}:00 {plan.zone}"])
    if units:
        units["lab-tell@.service"] = render(
            "tell_unit.j2", unit="lab-tell@.service", command=f"{SCRIPT} tell %i", **common
        )
    return units


def timed_files(plan: Plan, host: str, origin: str, today: date) -> dict[str, str]:
    """What runs at night, by file name: the script, its file, and the units that start it."""
    kept = {"lab-job": script(), "lab-jobs.json": lab_jobs(plan, host, origin)}
    return kept | timer_units(plan, host, origin, today)


def timers_zip(plan: Plan, host: str, origin: str, today: date) -> bytes:
    """The units of a host, with the script and its file; the same plan and day give the same bytes."""
    return packed(timed_files(plan, host, origin, today))
