"""Whether a copy is encrypted at its source, where its key is, and which hazard takes it there."""

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Dataset, Job


def natively_encrypted(index: Index, dataset: Dataset) -> bool:
    """Whether the file system itself encrypts a dataset, so that a raw send carries what no key here opens."""
    pool = index.pools[dataset.pool]
    able = FILESYSTEMS[pool.filesystem].encrypts
    return able and (pool.encrypted or dataset.encrypted)


def encrypted_at_source(index: Index, job: Job) -> bool:
    """Whether what a job carries off is unreadable without its key.

    A tool of files encrypts by itself. A replication sends blocks as they lie: encrypted only where
    the datasets are (zfs-send(8), --raw); everything else it would send plain.
    """
    if not job.encrypted or not KINDS[job.kind].sends_raw:
        return job.encrypted
    return all(natively_encrypted(index, index.datasets[d]) for d in job.datasets)


def key_at(index: Index, job: Job) -> str:
    """Where the key is kept, in words; empty where the copy is not encrypted."""
    if not encrypted_at_source(index, job):
        return ""
    return ", ".join(index.sites[s].name for s in job.key_kept_at) or "in the box alone"


def key_taken_by(index: Index, job: Job) -> str:
    """Which hazards take the key, in words; empty where no single one does, or there is no key.

    The same as the hazards of the proof assume: a key in the box goes with it, one at the data's
    site goes in a fire there, one that is kept once can be lost.
    """
    if not encrypted_at_source(index, job) or not job.datasets:
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
