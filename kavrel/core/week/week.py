"""The week: every run as long as it will really take beside the others, and what goes wrong."""

from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from datetime import date, datetime, time, timedelta
from functools import lru_cache
from typing import Literal
from zoneinfo import ZoneInfo

from pydantic import BaseModel, ConfigDict

from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.flow import Flow
from kavrel.core.copies.resource import Printed, Resource
from kavrel.core.made import made
from kavrel.core.plan import Job
from kavrel.core.schedule import within
from kavrel.core.week.fluid import Task, TaskRun
from kavrel.core.week.tasks import CapKey, Held, flowed, prepared

# Two runs that touch for less than this do not get in each other's way.
LEAST_OVERLAP_SECONDS = 60.0


class Run(BaseModel):
    """One run: instants in local time with offset, and minutes of wall time from Monday 00:00.

    `alone_seconds` is what it would take if nothing else ran.
    """

    model_config = ConfigDict(frozen=True)

    job: str
    starts_at: datetime
    ends_at: datetime
    from_minute: float
    to_minute: float
    seconds: float
    alone_seconds: float
    moved_bytes: int
    resources: tuple[Printed, ...]


class Clash(BaseModel):
    """Two runs on one disk set, LAN or link at once, or a job that is still running when due."""

    model_config = ConfigDict(frozen=True)

    resource: Printed
    first: str
    second: str
    from_minute: float
    to_minute: float
    why: str


Trouble = Literal["late", "window", "order", "first"]


class Mishap(BaseModel):
    """A run that does not keep to the plan: late, outside its window, or too early to read."""

    model_config = ConfigDict(frozen=True)

    job: str
    trouble: Trouble
    from_minute: float
    why: str


class Week(BaseModel):
    """A week of runs from a Monday."""

    model_config = ConfigDict(frozen=True)

    monday: date
    zone: str
    runs: tuple[Run, ...]
    clashes: tuple[Clash, ...]
    misses: tuple[Mishap, ...]
    quiet_from_hour: float
    quiet_to_hour: float


def week(book: CopyBook, day: date) -> Week:
    """The week that holds `day`, in the plan's zone, with runs that began the week before."""
    monday = day - timedelta(days=day.weekday())
    zone = ZoneInfo(book.index.plan.zone)
    begin = datetime.combine(monday, time(), zone)
    held, caps, until = prepared(book, monday, monday + timedelta(days=6))
    found, runs = _runs(held, caps, until, begin)
    known = book.index.assumptions
    return Week(
        monday=monday,
        zone=book.index.plan.zone,
        runs=runs,
        clashes=tuple(_clashes(book, runs, found)),
        misses=tuple(_misses(book, found, begin, zone)),
        quiet_from_hour=known["quiet_from_hour"],
        quiet_to_hour=known["quiet_to_hour"],
    )


@lru_cache(maxsize=16)
def _runs(
    held: Held, caps: CapKey, until: float, begin: datetime
) -> tuple[tuple[TaskRun, ...], tuple[Run, ...]]:
    """Runs from `begin` on as the fluid has them, and the same to be shown, in order."""
    found = tuple(r for r in flowed(held, caps, until) if r.end > begin.timestamp())
    tasks = {t.id: t for t in held.tasks}
    runs = [_run(r, tasks[r.task], held.flows[r.task], begin) for r in found]
    return found, tuple(sorted(runs, key=lambda r: (r.starts_at, r.job)))


def _run(run: TaskRun, task: Task, flow: Flow, begin: datetime) -> Run:
    seeding = task.first is not None and run.alone == task.fixed + task.first.alone
    moved = flow.whole_bytes if seeding else flow.changed_bytes(run.gap_days)
    asked = task.first if seeding and task.first else task.demand(run.gap_days)
    starts_at = datetime.fromtimestamp(run.begin, begin.tzinfo)
    ends_at = datetime.fromtimestamp(run.end, begin.tzinfo)
    return made(
        Run,
        job=run.task,
        starts_at=starts_at,
        ends_at=ends_at,
        from_minute=_minutes(begin, starts_at),
        to_minute=_minutes(begin, ends_at),
        seconds=run.end - run.begin,
        alone_seconds=run.alone,
        moved_bytes=moved if flow.parts else 0,
        resources=tuple(r for r, _ in asked.loads),
    )


def _minutes(begin: datetime, moment: datetime) -> float:
    """Wall-clock minutes since the week began, as the eye reads them off the axis."""
    wall = moment.replace(tzinfo=None) - begin.replace(tzinfo=None)
    return wall.total_seconds() / 60


def _clashes(book: CopyBook, runs: Sequence[Run], found: Sequence[TaskRun]) -> list[Clash]:
    by_resource: dict[Resource, list[tuple[float, float, Run]]] = defaultdict(list)
    for run in runs:
        begin = run.starts_at.timestamp()
        for resource in run.resources:
            by_resource[resource].append((begin, begin + run.seconds, run))
    # A pair that meets on several resources is one clash, named by the narrowest: link, LAN, disks.
    seen: dict[tuple[str, str, float], Clash] = {}
    names = book.index.jobs
    for resource in narrowest_first(by_resource):
        for (_, first_end, first), (begin, end, second) in _meetings(by_resource[resource]):
            if min(first_end, end) - begin < LEAST_OVERLAP_SECONDS:
                continue
            key = (first.job, second.job, begin)
            if key in seen or first.job == second.job:
                continue
            seen[key] = Clash(
                resource=resource,
                first=first.job,
                second=second.job,
                from_minute=second.from_minute,
                to_minute=min(first.to_minute, second.to_minute),
                why=f"{names[first.job].name} and {names[second.job].name} share "
                f"{resource_name(book, resource)}",
            )
    late = {(r.task, round(r.begin)) for r in found if r.late}
    for run in runs:
        if (run.job, round(run.starts_at.timestamp())) in late and run.resources:
            key = (run.job, run.job, run.from_minute)
            seen[key] = Clash(
                resource=run.resources[0],
                first=run.job,
                second=run.job,
                from_minute=run.from_minute,
                to_minute=run.to_minute,
                why=f"{names[run.job].name} has not ended when it is due again",
            )
    return sorted(seen.values(), key=lambda c: (c.from_minute, c.first, c.second))


def _meetings(
    held: list[tuple[float, float, Run]],
) -> Iterator[tuple[tuple[float, float, Run], tuple[float, float, Run]]]:
    """Pairs of runs on one resource that overlap; the earlier start comes first."""
    held.sort(key=lambda h: (h[0], h[2].job))
    for i, earlier in enumerate(held):
        for later in held[i + 1 :]:
            if later[0] >= earlier[1]:
                break
            yield earlier, later


def _misses(
    book: CopyBook, found: Sequence[TaskRun], begin: datetime, zone: ZoneInfo
) -> Iterator[Mishap]:
    """Runs that leave their window, or begin before the run that they read from has ended."""
    by_job: dict[str, list[TaskRun]] = defaultdict(list)
    for run in found:
        by_job[run.task].append(run)
    for run in found:
        job = book.index.jobs[run.task]
        at = _minutes(begin, datetime.fromtimestamp(run.begin, zone))
        if run.late:
            why = (
                f"{job.name} starts {_hours(run.begin - run.due)} late: its last run had not ended"
            )
            yield Mishap(job=job.id, trouble="late", from_minute=at, why=why)
        reason = outside(job, run.begin, run.end, zone)
        if reason:
            yield Mishap(job=job.id, trouble="window", from_minute=at, why=f"{job.name} {reason}")
        if job.reads_from:
            source = book.index.jobs[job.reads_from]
            going = [r for r in by_job[source.id] if r.begin <= run.begin < r.end]
            if going and source.id != job.after:
                why = (
                    f"{job.name} starts while {source.name} is still writing what it reads: it takes "
                    "the state before"
                )
                yield Mishap(job=job.id, trouble="order", from_minute=at, why=why)


def outside(job: Job, begin: float, end: float, zone: ZoneInfo) -> str | None:
    """How a run leaves the window of its job, in words; None where it keeps to it."""
    if job.window_from is None or job.window_to is None:
        return None
    low, high = time.fromisoformat(job.window_from), time.fromisoformat(job.window_to)
    first = datetime.fromtimestamp(begin, zone)
    if not within(first.time(), low, high):
        return f"starts at {first:%H:%M}, outside {job.window_from} to {job.window_to}"
    closes = datetime.combine(first.date(), high, zone)
    if closes <= first:
        closes = datetime.combine(first.date() + timedelta(days=1), high, zone)
    if end > closes.timestamp():
        last = datetime.fromtimestamp(end, zone)
        return f"ends at {last:%a %H:%M}, after its window closes at {job.window_to}"
    return None


def _hours(seconds: float) -> str:
    return f"{seconds / 3600:.1f} h" if seconds >= 3600 else f"{seconds / 60:.0f} min"


def narrowest_first(resources: Iterable[Resource]) -> list[Resource]:
    """Resources in the order in which people name what two runs share."""
    order = ("link", "lan", "pool", "disk")
    return sorted(resources, key=lambda r: (order.index(r.kind), r.id))


def resource_name(book: CopyBook, resource: Resource) -> str:
    """A resource in words, as the disks of a pool."""
    kind, key = resource
    index = book.index
    if kind == "pool":
        return f"the disks of {index.pools[key].name}"
    if kind == "disk":
        return f"disk {index.disks[key].label}"
    if kind == "lan":
        return f"the LAN of {index.sites[key].name}"
    link = next(x for x in index.plan.links if x.id == key)
    return f"the link {index.sites[link.a].name} - {index.sites[link.b].name}"
