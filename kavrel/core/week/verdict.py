"""What goes wrong when jobs run as they are planned: one verdict for the week, the counts and arrange."""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime, time, timedelta
from typing import NamedTuple
from zoneinfo import ZoneInfo

from kavrel.core.copies.resource import Resource
from kavrel.core.plan import Job
from kavrel.core.schedule import within
from kavrel.core.week.fluid import Task, TaskRun
from kavrel.core.week.sharing import Demand

LEAST_OVERLAP_SECONDS = 60.0  # shorter meetings bother nobody
LIGHT_SECONDS = 1.0  # whoever needs a resource for less does not keep it busy


class Meeting(NamedTuple):
    """Two runs on one resource at once; the earlier comes first."""

    first: TaskRun
    second: TaskRun
    resource: Resource


def seeds(run: TaskRun, task: Task) -> bool:
    """Whether a run makes the first whole copy."""
    return task.first is not None and run.alone == task.fixed + task.first.alone


def asked(run: TaskRun, task: Task) -> Demand:
    """What a run asks of its resources: all of it the first time, what changed afterwards."""
    return task.first if task.first and seeds(run, task) else task.demand(run.gap_days)


def kept_busy(run: TaskRun, task: Task) -> tuple[Resource, ...]:
    """The resources that a run keeps busy for more than a moment."""
    return tuple(r for r, s in asked(run, task).loads if s > LIGHT_SECONDS)  # type: ignore[misc]


def narrowest_first(resources: Iterable[Resource]) -> list[Resource]:
    """Resources in the order in which people name what two runs share."""
    order = ("link", "lan", "pool", "disk")
    return sorted(resources, key=lambda r: (order.index(r.kind), r.id))


def meetings(runs: Sequence[TaskRun], tasks: Mapping[str, Task]) -> list[Meeting]:
    """Runs of two jobs that are on one resource at once, each pair once, in order of time.

    A pair that meets on several is named by the narrowest: link, LAN, disks.
    """
    held: dict[Resource, list[TaskRun]] = defaultdict(list)
    for run in runs:
        for resource in kept_busy(run, tasks[run.task]):
            held[resource].append(run)
    met: dict[tuple[float, str, str], Meeting] = {}
    for resource in narrowest_first(held):
        ordered = sorted(held[resource], key=lambda r: (r.begin, r.task))
        for n, first in enumerate(ordered):
            for second in ordered[n + 1 :]:
                if second.begin >= first.end - LEAST_OVERLAP_SECONDS:
                    break
                together = min(first.end, second.end) - second.begin
                if first.task == second.task or together < LEAST_OVERLAP_SECONDS:
                    continue
                key = (second.begin, first.task, second.task)
                met.setdefault(key, Meeting(first, second, resource))
    return [met[key] for key in sorted(met)]


def too_early(runs: Sequence[TaskRun], jobs: Mapping[str, Job]) -> list[tuple[TaskRun, Job]]:
    """Runs that begin while what they read is being written, each with the job that writes it."""
    by_job: dict[str, list[TaskRun]] = defaultdict(list)
    for run in runs:
        by_job[run.task].append(run)
    early = []
    for run in runs:
        job = jobs[run.task]
        if not job.reads_from or job.reads_from == job.after:
            continue
        if any(r.begin <= run.begin < r.end for r in by_job[job.reads_from]):
            early.append((run, jobs[job.reads_from]))
    return early


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
