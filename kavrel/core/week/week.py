"""The week: every run as long as it will really take beside the others, and what goes wrong."""

from collections.abc import Iterator, Mapping, Sequence
from datetime import date, datetime, time, timedelta
from functools import lru_cache
from typing import Literal
from zoneinfo import ZoneInfo

from pydantic import BaseModel, ConfigDict

from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.flow import Flow
from kavrel.core.copies.resource import Printed, Resource
from kavrel.core.made import made
from kavrel.core.week.fluid import Task, TaskRun
from kavrel.core.week.nights import month
from kavrel.core.week.tasks import CapKey, Held, flowed
from kavrel.core.week.verdict import kept_busy, meetings, outside, seeds, too_early

WEEK_MINUTES = 7 * 1440


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
    zone = ZoneInfo(book.index.plan.zone)
    begin, end = _bounds(book, day)
    held, caps, until = month(book, day)
    flows, runs = _runs(held, caps, until, begin, end)
    by_id = {t.id: t for t in held.tasks}
    known = book.index.assumptions
    return Week(
        monday=begin.date(),
        zone=book.index.plan.zone,
        runs=runs,
        clashes=tuple(_clashes(book, runs, flows, by_id)),
        misses=tuple(_misses(book, flows, begin, zone)),
        quiet_from_hour=known["quiet_from_hour"],
        quiet_to_hour=known["quiet_to_hour"],
    )


def week_flows(book: CopyBook, day: date) -> tuple[TaskRun, ...]:
    """The runs of that week, as they were simulated."""
    return _runs(*month(book, day), *_bounds(book, day))[0]


def moved_bytes(book: CopyBook, day: date, run: TaskRun) -> int:
    """Bytes that one of these runs carries."""
    held, _, _ = month(book, day)
    task = next(t for t in held.tasks if t.id == run.task)
    return _moved(run, task, held.flows[run.task])


def _bounds(book: CopyBook, day: date) -> tuple[datetime, datetime]:
    """The Mondays at whose midnights the week of a day begins and ends."""
    monday, zone = day - timedelta(days=day.weekday()), ZoneInfo(book.index.plan.zone)
    begin, end = (datetime.combine(monday + timedelta(days=n), time(), zone) for n in (0, 7))
    return begin, end


@lru_cache(maxsize=16)
def _runs(
    held: Held, caps: CapKey, until: float, begin: datetime, end: datetime
) -> tuple[tuple[TaskRun, ...], tuple[Run, ...]]:
    """Runs from `begin` to `end` as the fluid has them, and the same to be shown, in order."""
    since, before = begin.timestamp(), end.timestamp()
    flows = tuple(r for r in flowed(held, caps, until) if r.end > since and r.begin < before)
    tasks = {t.id: t for t in held.tasks}
    runs = [
        _run(r, _moved(r, tasks[r.task], held.flows[r.task]), kept_busy(r, tasks[r.task]), begin)
        for r in flows
    ]
    return flows, tuple(sorted(runs, key=lambda r: (r.starts_at, r.job)))


def _moved(run: TaskRun, task: Task, flow: Flow) -> int:
    if not flow.parts:
        return 0
    return flow.whole_bytes if seeds(run, task) else flow.changed_bytes(run.gap_days)


@lru_cache(maxsize=8192)
def _run(run: TaskRun, moved: int, busy: tuple[Printed, ...], begin: datetime) -> Run:
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
        moved_bytes=moved,
        resources=busy,
    )


def _minutes(begin: datetime, moment: datetime) -> float:
    """Wall-clock minutes since the week began, as the eye reads them off the axis.

    Both in one zone: Python subtracts such by their clocks, whatever their offsets.
    """
    return (moment - begin).total_seconds() / 60


def _clashes(
    book: CopyBook, runs: Sequence[Run], flows: Sequence[TaskRun], tasks: Mapping[str, Task]
) -> list[Clash]:
    """Runs that meet on a resource, and runs that have not ended when they are due again."""
    names = book.index.jobs
    # What is shown begins at whole microseconds.
    shown = {(r.job, round(r.starts_at.timestamp())): r for r in runs}
    clashes = []
    for first, second, resource in meetings(flows, tasks):
        one, two = (shown[r.task, round(r.begin)] for r in (first, second))
        clashes.append(
            Clash(
                resource=resource,
                first=one.job,
                second=two.job,
                from_minute=two.from_minute,
                to_minute=min(one.to_minute, two.to_minute),
                why=f"{names[one.job].name} and {names[two.job].name} share "
                f"{resource_name(book, resource)}",
            )
        )
    for flow in flows:
        run = shown[flow.task, round(flow.begin)]
        again = [run.from_minute] if flow.late else []
        left_out = (run.from_minute + (due - flow.begin) / 60 for due in flow.left_out)
        again += [minute for minute in left_out if minute < WEEK_MINUTES]
        clashes += [
            Clash(
                resource=run.resources[0],
                first=run.job,
                second=run.job,
                from_minute=minute,
                to_minute=run.to_minute,
                why=f"{names[run.job].name} has not ended when it is due again",
            )
            for minute in again
            if run.resources
        ]
    return sorted(clashes, key=lambda c: (c.from_minute, c.first, c.second))


def _misses(
    book: CopyBook, flows: Sequence[TaskRun], begin: datetime, zone: ZoneInfo
) -> Iterator[Mishap]:
    """Runs that leave their window, or begin before the run that they read from has ended."""
    early = {(run.task, run.begin): source for run, source in too_early(flows, book.index.jobs)}
    for run in flows:
        job = book.index.jobs[run.task]
        at = _minutes(begin, datetime.fromtimestamp(run.begin, zone))
        if run.late:
            why = (
                f"{job.name} starts {_hours(run.begin - run.due)} late: its last run had not ended"
            )
            yield Mishap(job=job.id, trouble="late", from_minute=at, why=why)
        for due in run.left_out:
            why = f"{job.name} leaves a start out: its last run had not ended"
            minute = _minutes(begin, datetime.fromtimestamp(due, zone))
            if 0 <= minute < WEEK_MINUTES:
                yield Mishap(job=job.id, trouble="late", from_minute=minute, why=why)
        reason = outside(job, run.begin, run.end, zone)
        if reason:
            yield Mishap(job=job.id, trouble="window", from_minute=at, why=f"{job.name} {reason}")
        source = early.get((run.task, run.begin))
        if source:
            why = (
                f"{job.name} starts while {source.name} is still writing what it reads: it takes "
                "the state before"
            )
            yield Mishap(job=job.id, trouble="order", from_minute=at, why=why)


def _hours(seconds: float) -> str:
    return f"{seconds / 3600:.1f} h" if seconds >= 3600 else f"{seconds / 60:.0f} min"


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
