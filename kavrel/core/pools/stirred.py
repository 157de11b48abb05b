"""What is deleted or changed in a day on a pool: what parity over files does not know until the next one."""

from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Pool


def stirred_bytes_per_day(index: Index, pool: Pool) -> int:
    """Bytes that people, and the copies that land there, delete or change in a day."""
    sets = {d.id: d for d in index.plan.datasets}
    here = [d for d in sets.values() if d.pool == pool.id]
    for job in index.plan.jobs:
        if job.target_pool == pool.id and KINDS[job.kind].copies:
            here += [sets[d] for d in job.datasets]
    return sum(d.change_bytes_per_day + d.deleted_bytes_per_day for d in here)
