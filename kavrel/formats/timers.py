"""A plan's jobs as a crontab and as systemd timers, which start at the same moments.

Both run /usr/local/sbin/lab-job NAME; see `lab_jobs`. What neither can say in
its calendar (every n days, the nth weekday, from and until a date) is a guard before the command.
On the odd nights cron runs a start from the spring gap when the gap is over; systemd would skip
it, so the timer names those moments of the coming years one by one.
Source: crontab(5) and cron(8) of Debian, systemd.time(7).
"""

import io
import zipfile
from collections.abc import Mapping
from datetime import UTC, date, time, timedelta

from kavrel.core.copies.schedule import ANCHOR, WEEKDAYS, hours_of, in_words, odd_starts
from kavrel.core.index import Index
from kavrel.core.plan import Job, Plan, Schedule
from kavrel.core.shares.names import job_names
from kavrel.formats.lab_jobs import jobs_on, lab_jobs, script
from kavrel.formats.servers.bundle import MOMENT
from kavrel.formats.servers.template import plain, render

SCRIPT = "/usr/local/sbin/lab-job"
ODD_YEARS = 10
OVERDUE = f"0 9 * * * {SCRIPT} overdue"
DAY_NUMBER = "$(( $(date -u -d $(date +%F) +%s) / 86400 ))"


def guard(schedule: Schedule) -> str:
    """A shell test that holds on the days of the schedule; empty where the calendar says all."""
    tests = []
    anchor = schedule.start or ANCHOR
    if schedule.start:
        tests.append(f"[ $(date +%Y%m%d) -ge {schedule.start:%Y%m%d} ]")
    if schedule.until:
        tests.append(f"[ $(date +%Y%m%d) -le {schedule.until:%Y%m%d} ]")
    every = schedule.every
    if schedule.kind == "daily" and every > 1:
        first = (anchor - date(1970, 1, 1)).days
        tests.append(f"[ $(( ({DAY_NUMBER} - {first}) % {every} )) -eq 0 ]")
    if schedule.kind == "weekly" and every > 1:
        monday = (anchor - timedelta(days=anchor.weekday()) - date(1970, 1, 1)).days
        tests.append(f"[ $(( ({DAY_NUMBER} - {monday}) / 7 % {every} )) -eq 0 ]")
    if schedule.kind == "monthly" and 12 % every:
        months = anchor.year * 12 + anchor.month - 1
        now = "$(date +%Y) * 12 + $(date +%-m) - 1"
        tests.append(f"[ $(( ({now} - {months}) % {every} )) -eq 0 ]")
    return " && ".join(tests)


def _months(schedule: Schedule) -> list[int] | None:
    """Months of the year in which it runs, None for all (or where a guard counts them)."""
    if schedule.every == 1 or 12 % schedule.every:
        return None
    anchor = schedule.start or ANCHOR
    return [m for m in range(1, 13) if (m - anchor.month) % schedule.every == 0]


def cron_fields(schedule: Schedule) -> tuple[str, str]:
    """The five fields, and what has to hold beside them (a shell test, or nothing)."""
    clock = time.fromisoformat(schedule.at)
    tests = [guard(schedule)]
    hour, days, months, weekdays = str(clock.hour), "*", "*", "*"
    if schedule.kind == "hourly":
        all_hours = schedule.every == 1 and schedule.only_from is None
        hour = "*" if all_hours else ",".join(map(str, hours_of(schedule)))
    elif schedule.kind == "weekly":
        weekdays = ",".join(str((d + 1) % 7) for d in sorted(schedule.weekdays))
    elif schedule.kind == "monthly":
        named = _months(schedule)
        months = ",".join(map(str, named)) if named else "*"
        if schedule.nth:
            # With both a day and a weekday cron takes either: the weekday is tested instead.
            low = 7 * schedule.nth - 6
            days = "22-31" if schedule.nth < 0 else f"{low}-{min(low + 6, 31)}"
            tests.append(f"[ $(date +%u) -eq {schedule.weekdays[0] + 1} ]")
            if schedule.nth < 0:
                tests.append('[ "$(date -d "$(date +%F) +7 days" +%m)" != "$(date +%m)" ]')
        elif schedule.day == -1:
            days = "28-31"
            tests.append('[ "$(date -d "$(date +%F) +1 day" +%d)" = 01 ]')
        else:
            days = str(schedule.day)
    fields = f"{clock.minute} {hour} {days} {months} {weekdays}"
    return fields, " && ".join(t for t in tests if t)


def crontab(plan: Plan, host: str, origin: str) -> str:
    """The crontab of one host, in the lab's time zone."""
    name, names = Index(plan).hosts[host].name, job_names(plan)
    lines = [
        f"# crontab of {plain(name)}, written by Kavrel from {plain(origin)}",
        f"# Times are those of {plan.zone}: the host's own zone has to be the same.",
        f"# {SCRIPT} reads /etc/lab-jobs.json; both are papers of Kavrel. Mail on failure only.",
        "",
    ]
    followers: dict[str, list[Job]] = {}
    mine = jobs_on(plan, host)
    for job in mine:
        if job.after:
            followers.setdefault(job.after, []).append(job)
    for job in mine:
        if job.after:
            continue
        said = f"# {plain(job.name)}: {in_words(job.schedule)}"
        if job.schedule.zone and job.schedule.zone != plan.zone:
            lines += [
                said,
                f"# {names[job.id]} keeps the time of {job.schedule.zone}: use its timer",
                "",
            ]
            continue
        fields, test = cron_fields(job.schedule)
        command = _chain(job, followers, names)
        whole = f"{test} && {command}" if test else command
        lines += [said, f"{fields} {whole.replace('%', chr(92) + '%')}", ""]
    if any(j.alarm_days is not None for j in mine):
        lines += ["# somebody is told when a job has not gone well for too long", OVERDUE, ""]
    return "\n".join(lines)


def _chain(job: Job, followers: dict[str, list[Job]], names: Mapping[str, str]) -> str:
    """The job's command, then those that follow it once it has gone well."""
    command = f"{SCRIPT} {names[job.id]}"
    for follower in followers.get(job.id, []):
        command += f" && {_chain(follower, followers, names)}"
    return command


def on_calendar(schedule: Schedule, zone: str, today: date) -> list[str]:
    """Lines of OnCalendar: the rule, then the moments of coming odd nights that it leaves out."""
    clock = time.fromisoformat(schedule.at)
    at = f"{clock:%H:%M}:00"
    day = "*-*-*"
    if schedule.kind == "hourly":
        hours = ",".join(f"{h:02}" for h in hours_of(schedule))
        at = f"{hours}:{clock.minute:02}:00"
    elif schedule.kind == "weekly":
        day = ",".join(WEEKDAYS[d] for d in sorted(schedule.weekdays)) + " *-*-*"
    elif schedule.kind == "monthly":
        named = _months(schedule)
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


def timer_units(plan: Plan, host: str, origin: str, today: date) -> dict[str, str]:
    """Unit name to its text: a service for each job, and a timer where it has a time of its own."""
    index, names = Index(plan), job_names(plan)
    found: dict[str, str] = {}
    mine = jobs_on(plan, host)
    for job in mine:
        stem = f"lab-{names[job.id]}"
        common = {"host": index.hosts[host], "origin": origin, "what": f"{job.name} ({job.kind})"}
        after = [f"lab-{names[j.id]}.service" for j in mine if j.after == job.id]
        found[f"{stem}.service"] = render(
            "job_service_unit.j2",
            unit=f"{stem}.service",
            guard=guard(job.schedule).replace("%", "%%"),
            command=f"{SCRIPT} {names[job.id]}",
            after=after,
            **common,
        )
        if not job.after:
            found[f"{stem}.timer"] = render(
                "job_timer_unit.j2",
                unit=f"{stem}.timer",
                calendars=on_calendar(job.schedule, plan.zone, today),
                **common,
            )
    if any(j.alarm_days is not None for j in mine):
        told = {"host": index.hosts[host], "origin": origin, "what": "jobs that are overdue"}
        found["lab-overdue.service"] = render(
            "job_service_unit.j2",
            unit="lab-overdue.service",
            guard="",
            command=f"{SCRIPT} overdue",
            after=[],
            **told,
        )
        found["lab-overdue.timer"] = render(
            "job_timer_unit.j2",
            unit="lab-overdue.timer",
            calendars=[f"*-*-* 09:00:00 {plan.zone}"],
            **told,
        )
    return found


def timers_zip(plan: Plan, host: str, origin: str, today: date) -> bytes:
    """The units of a host, with the script and its file; the same plan and day give the same bytes."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        kept = {"lab-job": script(), "lab-jobs.json": lab_jobs(plan, host, origin)}
        for name, text in (kept | timer_units(plan, host, origin, today)).items():
            entry = zipfile.ZipInfo(name, MOMENT)
            entry.external_attr = (0o100755 if name == "lab-job" else 0o100644) << 16
            entry.compress_type = zipfile.ZIP_DEFLATED
            packed.writestr(entry, text)
    return out.getvalue()
