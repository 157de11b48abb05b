"""What is due: intervals of upkeep from the plan, counted from the last good entry of the log."""

from datetime import date, datetime
from zoneinfo import ZoneInfo

from pydantic import BaseModel, ConfigDict

from kavrel.core.index import Index
from kavrel.core.kinds import KINDS, jobs_that
from kavrel.core.log.last import last_good
from kavrel.core.log.tried import last_tried
from kavrel.core.plan import AboutKind, Job, LogKind
from kavrel.core.quantities import later
from kavrel.core.schedule import starts


class Due(BaseModel):
    """One thing to do: `last` is the last good entry; `overdue_days` is negative until due."""

    model_config = ConfigDict(frozen=True)

    kind: LogKind
    about_kind: AboutKind
    about: str
    name: str
    due_on: date
    last: date | None
    overdue_days: int
    why: str


def due(index: Index, today: date) -> list[Due]:
    """Everything that the plan asks for, the most overdue first."""
    known = index.assumptions
    plan = index.plan
    waiting: list[Due] = []

    def every(
        kind: LogKind, about_kind: AboutKind, about: str, name: str, key: str, why: str
    ) -> None:
        last = last_good(index, kind, about_kind, about)
        when = later(last, known[key]) if last else today
        waiting.append(_due(kind, about_kind, about, name, when, last, today, why))

    for disk in plan.disks:
        if last_good(index, "disk_check", "disk", disk.id) is None:
            why = "every disk is surface-checked before it carries data"
            waiting.append(_due("disk_check", "disk", disk.id, disk.label, today, None, today, why))
        if disk.host:
            why = f"SMART long test every {known['smart_days']:.0f} days"
            every("smart_reading", "disk", disk.id, disk.label, "smart_days", why)
    for pool in plan.pools:
        why = f"scrub or parity check every {known['scrub_days']:.0f} days, in quiet hours"
        every("scrub", "pool", pool.id, pool.name, "scrub_days", why)
    planned = {j.reads_from for j in jobs_that(index, lambda kind: kind.tries)}
    for job in plan.jobs:
        kind = KINDS[job.kind]
        if kind.copies and kind.target != "none" and job.id not in planned:
            why = (
                f"restore one item from it every {known['restore_test_days']:.0f} days and time it"
            )
            last = last_tried(index, job)
            when = later(last, known["restore_test_days"]) if last else today
            waiting.append(_due("restore_test", "job", job.id, job.name, when, last, today, why))
    copied = {d for j in plan.jobs if KINDS[j.kind].copies for d in j.datasets}
    for site in plan.sites:
        homes = {index.site_of_pool(index.datasets[d].pool) for d in copied}
        if site.id in homes:
            why = f"a night that may come is exercised every {known['exercise_days']:.0f} days"
            every("exercise", "site", site.id, site.name, "exercise_days", why)
    for host in plan.hosts:
        why = f"updates every {known['update_days']:.0f} days"
        every("update", "host", host.id, host.name, "update_days", why)
        if not host.default_passwords_changed:
            why = "default passwords (web, root shell, file service) are changed first of all"
            waiting.append(
                _due("password_change", "host", host.id, host.name, today, None, today, why)
            )
    for job in plan.jobs:
        if KINDS[job.kind].by_hand:
            waiting.append(_by_hand(index, job, today))
    return sorted(waiting, key=lambda d: (d.due_on, d.kind, d.name, d.about))


def _by_hand(index: Index, job: Job, today: date) -> Due:
    """A job done by hand: the first start by its schedule after it was last done."""
    zone = index.plan.zone
    declared = KINDS[job.kind]
    kind = declared.logged_as
    why = "the copy done by hand"
    if job.reads_from and declared.tries:
        why = f"restore one item from {index.jobs[job.reads_from].name}, open it, note the minutes"
    last = last_good(index, kind, "job", job.id)
    begin = later(last, 1) if last else today
    begins = starts(job.schedule, zone, begin, later(begin, 366 * 5))
    when = datetime.fromtimestamp(begins[0], ZoneInfo(zone)).date() if begins else today
    if last is None and declared.copies:
        when = today
    return _due(kind, "job", job.id, job.name, when, last, today, why)


def _due(
    kind: LogKind,
    about_kind: AboutKind,
    about: str,
    name: str,
    when: date,
    last: date | None,
    today: date,
    why: str,
) -> Due:
    return Due(
        kind=kind,
        about_kind=about_kind,
        about=about,
        name=name,
        due_on=when,
        last=last,
        overdue_days=(today - when).days,
        why=why,
    )
