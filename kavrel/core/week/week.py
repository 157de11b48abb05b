"""The week: every run as long as it will really take, and what it shares with others."""

from collections import defaultdict
from collections.abc import Iterator
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from pydantic import BaseModel, ConfigDict

from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.kinds import KINDS
from kavrel.core.copies.retention import DAY
from kavrel.core.copies.schedule import longest_step_days, starts

# Two runs that touch for less than this do not get in each other's way.
LEAST_OVERLAP_SECONDS = 60.0


class Run(BaseModel):
    """One run: instants in local time with offset, and minutes of wall time from Monday 00:00."""

    model_config = ConfigDict(frozen=True)

    job: str
    starts_at: datetime
    ends_at: datetime
    from_minute: float
    to_minute: float
    seconds: float
    moved_bytes: int
    resources: tuple[str, ...]


class Clash(BaseModel):
    """Two runs on one disk set, LAN or link at once, or a job that is still running when due."""

    model_config = ConfigDict(frozen=True)

    resource: str
    first: str
    second: str
    from_minute: float
    to_minute: float
    why: str


class Week(BaseModel):
    """A week of runs from a Monday."""

    model_config = ConfigDict(frozen=True)

    monday: date
    zone: str
    runs: tuple[Run, ...]
    clashes: tuple[Clash, ...]
    quiet_from_hour: float
    quiet_to_hour: float


def week(book: CopyBook, day: date) -> Week:
    """The week that holds `day`, in the plan's zone, with runs that began the week before."""
    monday = day - timedelta(days=day.weekday())
    zone = ZoneInfo(book.index.plan.zone)
    begin = datetime.combine(monday, time(), zone)
    end = datetime.combine(monday + timedelta(days=7), time(), zone)
    runs = [run for job in book.index.plan.jobs for run in _runs(book, job.id, begin, end)]
    runs.sort(key=lambda r: (r.starts_at, r.job))
    known = book.index.assumptions
    return Week(
        monday=monday,
        zone=book.index.plan.zone,
        runs=tuple(runs),
        clashes=tuple(_clashes(book, runs)),
        quiet_from_hour=known["quiet_from_hour"],
        quiet_to_hour=known["quiet_to_hour"],
    )


def _runs(book: CopyBook, job_id: str, begin: datetime, end: datetime) -> list[Run]:
    job = book.index.jobs[job_id]
    zone = begin.tzinfo
    # Far enough back for the run before, whose distance decides how much has changed.
    back = int(2 * longest_step_days(job.schedule)) + 8
    times = starts(
        job.schedule, book.index.plan.zone, begin.date() - timedelta(days=back), end.date()
    )
    is_snapshot = KINDS[job.kind].target == "none"
    resources = () if is_snapshot else book.way(job).resources
    found = []
    usual = book.mean_interval_days(job)
    for i, start in enumerate(times):
        days = (start - times[i - 1]) / DAY if i else usual
        seconds = book.run_seconds(job, days)
        if seconds == float("inf") or start >= end.timestamp():
            continue
        if start + seconds <= begin.timestamp():
            continue
        starts_at = datetime.fromtimestamp(start, zone)
        ends_at = datetime.fromtimestamp(start + seconds, zone)
        found.append(
            Run.model_construct(
                job=job.id,
                starts_at=starts_at,
                ends_at=ends_at,
                from_minute=_minutes(begin, starts_at),
                to_minute=_minutes(begin, ends_at),
                seconds=seconds,
                moved_bytes=0 if is_snapshot else book.changed_bytes(job, days),
                resources=resources,
            )
        )
    return found


def _minutes(begin: datetime, moment: datetime) -> float:
    """Wall-clock minutes since the week began, as the eye reads them off the axis."""
    wall = moment.replace(tzinfo=None) - begin.replace(tzinfo=None)
    return wall.total_seconds() / 60


def _clashes(book: CopyBook, runs: list[Run]) -> list[Clash]:
    by_resource: dict[str, list[tuple[float, float, Run]]] = defaultdict(list)
    for run in runs:
        begin = run.starts_at.timestamp()
        for resource in run.resources:
            by_resource[resource].append((begin, begin + run.seconds, run))
    # A pair that meets on several resources is one clash, named by the narrowest: link, LAN, disks.
    narrowest = ("link", "lan", "pool", "disk")
    seen: dict[tuple[str, str, float], Clash] = {}
    for resource in sorted(by_resource, key=lambda r: narrowest.index(r.partition(":")[0])):
        for (_, first_end, first), (begin, end, second) in _meetings(by_resource[resource]):
            if min(first_end, end) - begin < LEAST_OVERLAP_SECONDS:
                continue
            key = (first.job, second.job, begin)
            if key in seen:
                continue
            names = book.index.jobs
            why = (
                f"{names[first.job].name} has not ended when it is due again"
                if first.job == second.job
                else f"{names[first.job].name} and {names[second.job].name} share "
                f"{resource_name(book, resource)}"
            )
            seen[key] = Clash(
                resource=resource,
                first=first.job,
                second=second.job,
                from_minute=second.from_minute,
                to_minute=min(first.to_minute, second.to_minute),
                why=why,
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


def resource_name(book: CopyBook, resource: str) -> str:
    """A resource in words: `pool:x` is the disks of pool x."""
    kind, _, key = resource.partition(":")
    index = book.index
    if kind == "pool":
        return f"the disks of {index.pools[key].name}"
    if kind == "disk":
        return f"disk {index.disks[key].label}"
    if kind == "lan":
        return f"the LAN of {index.sites[key].name}"
    link = next(x for x in index.plan.links if x.id == key)
    return f"the link {index.sites[link.a].name} - {index.sites[link.b].name}"
