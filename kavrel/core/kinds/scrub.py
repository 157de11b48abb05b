"""Scrub or parity check: reads everything and mends what does not match."""

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.kinds.kind import Kind, Reckoner
from kavrel.core.plan import Job


def _seconds(lab: Reckoner, job: Job) -> float:
    """Reading every sector, or what is used where the file system knows that."""
    if not job.pool:
        return 0.0
    layout = lab.pool_speeds(job.pool)
    hours = layout.scrub_hours or layout.surface_hours
    filled = 1.0
    if FILESYSTEMS[layout.filesystem].scrubs_used:
        filled = min(lab.used_bytes(job.pool) / max(layout.usable_bytes, 1), 1.0)
    return hours * 3600 * filled


SCRUB = Kind(
    id="scrub",
    title="scrub",
    target="none",
    does="reads all that is used (ZFS, Btrfs) or every sector (others), compares, repairs",
    needs="checksums or parity",
    locks="nothing, but it slows everything on these disks",
    takes="used bytes or whole disks over the disks' speed",
    protects="against sectors that go bad unnoticed",
    does_not="bring back what has no second copy",
    on="pool",
    copies=False,
    versions=False,
    reads="everything",
    sends="nothing",
    scrubs=True,
    floor=_seconds,
)
