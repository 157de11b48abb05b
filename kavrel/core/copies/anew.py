"""Jobs whose first copy the plan takes as made, although a pool of theirs was made since."""

from collections.abc import Iterator, Mapping
from datetime import date

from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import FirstCopy, Job


def to_begin_anew(index: Index, made: Mapping[str, date]) -> Iterator[tuple[Job, FirstCopy, date]]:
    """Each with the way of its first copy that supposes least, and the day on which its pool was made.

    `made`: the day of each pool that was made empty. A run that went well since is a first copy.
    """
    for job in index.plan.jobs:
        kind = KINDS[job.kind]
        ends = {index.datasets[d].pool for d in job.datasets} | {job.target_pool or ""}
        days = [day for pool, day in made.items() if pool in ends]
        if not kind.uses("first_copy") or job.first_copy != "done" or not days:
            continue
        runs = (e for e in index.plan.log if e.about_kind == "job" and e.about == job.id)
        if not any(e.result == "ok" and e.on >= max(days) for e in runs):
            yield job, "over_link" if not kind.by_hand else "side_by_side", max(days)
