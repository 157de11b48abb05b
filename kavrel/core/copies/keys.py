"""Where the key of an encrypted copy is, and which hazard takes it there."""

from kavrel.core.index import Index
from kavrel.core.plan import Job


def key_at(index: Index, job: Job) -> str:
    """Where the key is kept, in words; empty where the copy is not encrypted."""
    if not job.encrypted:
        return ""
    return ", ".join(index.sites[s].name for s in job.key_kept_at) or "in the box alone"


def key_taken_by(index: Index, job: Job) -> str:
    """Which hazards take the key, in words; empty where no single one does, or there is no key.

    The same as the hazards of the proof assume: a key in the box goes with it, one at the data's
    site goes in a fire there, one that is kept once can be lost.
    """
    if not job.encrypted or not job.datasets:
        return ""
    home = index.site_of_pool(index.datasets[job.datasets[0]].pool)
    found = []
    if not job.key_kept_at:
        found += ["box lost", "theft"]
    if set(job.key_kept_at or (home,)) <= {home}:
        found.append(f"fire at {index.sites[home].name}" if home else "fire")
    if len(job.key_kept_at) < 2:
        found.append("key lost")
    return ", ".join(found)
