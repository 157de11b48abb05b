"""The plan's jobs as tasks of the fluid, and the caps of its links as steps of capacity."""

from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.flow import Flow
from kavrel.core.copies.kinds import KINDS
from kavrel.core.copies.path import link_mb_per_s
from kavrel.core.copies.schedule import starts, within
from kavrel.core.plan import Job
from kavrel.core.week.fluid import Steps, Task, TaskRun, flow_through
from kavrel.core.week.sharing import Demand


def tasks(book: CopyBook, first: date, last: date) -> list[Task]:
    """Tasks of all jobs that take a time of their own, due on local days `first` to `last`.

    Without slowdowns: a task asks what it would ask alone. What is done by hand waits for a person
    and is left out where nobody has to watch the disks: restore tests.
    """
    return [
        task
        for job in book.index.plan.jobs
        if job.kind != "restore_test" and (task := _task(book, job, first, last))
    ]


def _task(book: CopyBook, job: Job, first: date, last: date) -> Task | None:
    flow = book.flow(job)
    if flow.parts and flow.seconds_per_byte == float("inf"):
        return None
    due = () if job.after else starts(job.schedule, book.index.plan.zone, first, last)
    if flow.first:
        zone = ZoneInfo(book.index.plan.zone)
        opens = datetime.combine(flow.first[0], time(), zone).timestamp()
        due = tuple(t for t in due if t >= opens)

    def demand(days: float) -> Demand:
        loads = tuple((x.resource, x.seconds) for x in book.loads(job, days))
        return Demand(loads, max([flow.work_seconds(days), *(s for _, s in loads)], default=0.0))

    return Task(job.id, due, flow.usual_days, flow.fixed_seconds, demand, job.after)


def cap_steps(book: CopyBook, first: date, last: date) -> Steps:
    """For each capped link, when its capacity changes over these days, and to which share."""
    index = book.index
    zone = ZoneInfo(index.plan.zone)
    found: dict[str, list[tuple[float, float]]] = {}
    for link in index.plan.links:
        caps = [c for c in index.plan.caps if c.link == link.id]
        if not caps:
            continue
        speeds = [
            s for job in index.plan.jobs for r, s in book.way(job).loads if r == f"link:{link.id}"
        ]
        full = max(speeds, default=0.0)
        if not full:
            continue
        edges = {time.fromisoformat(at) for c in caps for at in (c.from_at, c.to_at)}
        steps = []
        day = first
        while day <= last:
            for clock in edges:
                limits = [
                    link_mb_per_s(index, link, c.mbit)
                    for c in caps
                    if within(clock, time.fromisoformat(c.from_at), time.fromisoformat(c.to_at))
                ]
                share = min([*(x / full for x in limits), 1.0])
                steps.append((datetime.combine(day, clock, zone).timestamp(), share))
            day += timedelta(days=1)
        found[f"link:{link.id}"] = sorted(steps)
    return found


def simulated(book: CopyBook, first: date, last: date) -> list[TaskRun]:
    """All runs that begin on local days `first` to `last`, and those that reach into them."""
    longest = max([book.step_days(j) for j in book.index.plan.jobs], default=1.0)
    back = first - timedelta(days=int(min(2 * longest, 62)) + 8)
    zone = ZoneInfo(book.index.plan.zone)
    until = datetime.combine(last + timedelta(days=1), time(), zone).timestamp()
    begin = datetime.combine(first, time(), zone).timestamp()
    runs = flow_through(tasks(book, back, last), cap_steps(book, back, last), until)
    return [r for r in runs if r.end > begin]


def heavy(flow: Flow) -> bool:
    """Whether a run keeps anything busy that others want."""
    return bool(flow.parts) or flow.floor_seconds > 0


def is_chore(job: Job) -> bool:
    """Whether the job makes no copy."""
    return not KINDS[job.kind].copies
