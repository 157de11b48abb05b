"""Runs as the plan has them beside one another, of what the stand-in has: bytes that travel, and no processor.

The plan's own simulation of its nights reckons with looks at every file and with disk heads that move, too.
Here it is given the same starts and ways without those, from the stand-in's first moment on: what it then says
of a run is to be what happened to it, slowed by the others as it was.
"""

from collections import defaultdict
from collections.abc import Callable
from datetime import date, datetime

from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.carrier import runs_on
from kavrel.core.copies.path import MB
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Job
from kavrel.core.quantities import DAY
from kavrel.core.schedule import starts
from kavrel.core.week.fluid import Task, TaskRun, flow_through
from kavrel.core.week.sharing import Demand
from kavrel.core.week.tasks import cap_steps
from kavrel.rig.lab import Lab


def runs_beside(lab: Lab, book: CopyBook) -> dict[str, list[TaskRun]]:
    """Runs of each job, by its id, that have ended by now, in order."""
    first, last = _lived(lab)
    tasks = [
        _task(lab, book, job, tuple(t for t in times if lab.began <= t < lab.now))
        for job in lab.plan.jobs
        if KINDS[job.kind].copies and runs_there(lab, job)
        for times in [() if job.after else starts(job.schedule, lab.plan.zone, first, last)]
    ]
    by_job: dict[str, list[TaskRun]] = defaultdict(list)
    for run in flow_through(tasks, cap_steps(book, first, last), lab.now):
        if run.end <= lab.now:
            by_job[run.task].append(run)
    return by_job


def runs_there(lab: Lab, job: Job) -> bool:
    """Whether anybody starts it in the stand-in."""
    return KINDS[job.kind].by_hand or runs_on(lab.index, job) is not None


def _lived(lab: Lab) -> tuple[date, date]:
    began, now = (datetime.fromtimestamp(m, lab.zone).date() for m in (lab.began, lab.now))
    return began, now


def _task(lab: Lab, book: CopyBook, job: Job, due: tuple[float, ...]) -> Task:
    flow, demand = book.flow(job), demanded(book, job)
    root = job
    while root.after:
        root = lab.index.jobs[root.after]
    begins = due or starts(
        root.schedule,
        lab.plan.zone,
        *(datetime.fromtimestamp(m, lab.zone).date() for m in (lab.began, lab.now)),
    )
    soonest = next((t for t in begins if t >= lab.began), lab.began)
    # The first of them comes sooner after the first copy than the others one after the other.
    since = min((soonest - lab.began) / DAY, flow.usual_days)
    looks, first = flow.looks_every_s, demand(since)
    return Task(job.id, due, flow.usual_days, looks, demand, job.after, first, flow.waits)


def demanded(book: CopyBook, job: Job) -> Callable[[float], Demand]:
    """What a run after so many days asks: its bytes, by the speeds of its way."""
    flow, way = book.flow(job), book.way(job)
    same = KINDS[job.kind].moves_nothing or KINDS[job.kind].in_place
    if same or not way.mb_per_s or book.source(job) == book.place(job):
        return lambda days: Demand((), 0.0)

    def demand(days: float) -> Demand:
        size = flow.changed_bytes(days) / MB
        loads = tuple((resource, size / speed) for resource, speed in way.loads)
        return Demand(loads, size / way.mb_per_s)

    return demand
