"""SMART long self-test of the disks of a pool: each reads its whole surface."""

from kavrel.core.kinds.kind import Kind, Reckoner
from kavrel.core.plan import Job


def _seconds(lab: Reckoner, job: Job) -> float:
    """Reading every sector of each disk, all at once."""
    return lab.pool_speeds(job.pool).surface_hours * 3600 if job.pool else 0.0


SMART_LONG = Kind(
    id="smart_long",
    title="SMART long test",
    target="none",
    does="has each disk read itself whole",
    needs="disks that answer to SMART; hours without sleep",
    locks="nothing, but the disks are slower",
    takes="capacity over the disk's own speed",
    protects="by a warning before a rebuild meets the bad sector",
    does_not="mend anything",
    on="pool",
    copies=False,
    versions=False,
    reads="everything",
    sends="nothing",
    packages=("smartmontools",),
    told=frozenset({"serials"}),
    floor=_seconds,
)
