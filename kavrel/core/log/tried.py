"""When something was last brought back from a copy: each copy is tried by itself, and for a while.

A restore that is logged about a dataset says not from which copy it came: it counts only where there
is no other that it could have come from. Common practice, no source.
"""

from datetime import date, timedelta

from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.log.last import last_good
from kavrel.core.plan import Job


def last_tried(index: Index, job: Job, dataset: str | None = None) -> date | None:
    """Day of the newest good restore from a job's copy; of one dataset in it, where one is named."""
    tests = [j.id for j in index.readers_of.get(job.id, ()) if KINDS[j.kind].tries]
    days = [last_good(index, "restore_test", "job", about) for about in (job.id, *tests)]
    for each in (dataset,) if dataset else job.datasets:
        kept = [
            j
            for j in index.jobs_of.get(each, ())
            if KINDS[j.kind].copies and (KINDS[j.kind].target != "none" or job.id == j.id)
        ]
        if kept == [job]:
            days.append(last_good(index, "restore_test", "dataset", each))
    return max((d for d in days if d), default=None)


def still_tried(index: Index, job: Job, dataset: str | None, today: date) -> bool:
    """Whether that was no longer ago than restores are to be tried."""
    day = last_tried(index, job, dataset)
    every = timedelta(days=index.assumptions["restore_test_days"])
    return day is not None and today - day <= every
