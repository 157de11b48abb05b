"""The mover: takes new files from the fast tier to the pool."""

from kavrel.core.kinds.kind import Kind, Reckoner
from kavrel.core.plan import Job
from kavrel.core.quantities import YEAR_DAYS


def _seconds(lab: Reckoner, job: Job) -> float:
    """Writing a day's new data to the pool's disks."""
    if not job.pool:
        return 0.0
    on = [d for d in lab.index.plan.datasets if d.pool == job.pool]
    new = sum(d.change_bytes_per_day + d.growth_bytes_per_year / YEAR_DAYS for d in on)
    return new / (lab.pool_speeds(job.pool).write_mb_per_s * 1e6)


MOVER = Kind(
    id="mover",
    title="mover",
    target="none",
    does="moves what has landed on the fast tier",
    needs="a pool with a fast tier",
    locks="files that are open stay",
    takes="what is new over the disks' writing speed",
    protects="new files, which are only as safe as the tier until then",
    does_not="anything else",
    on="pool",
    copies=False,
    versions=False,
    sends="nothing",
    by_tool=True,
    moves_tier=True,
    floor=_seconds,
)
