"""Whether the lock of a bucket protects the points of a job, and not only its newest objects."""

from kavrel.core.copies.book import CopyBook
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Job


def lock_holds(book: CopyBook, job: Job, days: float) -> bool:
    """Whether nobody can delete what a point needs until so many days after it was made.

    Where only changes are sent a point needs objects as old as the first copy: they are locked only
    if each run locks anew what its points still need. What sends everything each time needs objects
    no older than its last run.
    """
    bucket = book.index.buckets.get(job.target_bucket or "")
    if bucket is None or bucket.locked_days <= days:
        return False
    if bucket.locks_renewed:
        return True
    return KINDS[job.kind].sends == "everything" and book.step_days(job) + days < bucket.locked_days
