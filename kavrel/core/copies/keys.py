"""Whether a copy is encrypted at its source, where its key is, and which hazard takes it there."""

from dataclasses import dataclass

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Dataset, Job


def natively_encrypted(index: Index, dataset: Dataset) -> bool:
    """Whether the file system itself encrypts a dataset, so that a raw send carries what no key here opens."""
    pool = index.pools[dataset.pool]
    able = FILESYSTEMS[pool.filesystem].encrypts
    return able and (pool.encrypted or dataset.encrypted)


def locked_after_start(index: Index, dataset: Dataset) -> bool:
    """Whether a dataset cannot be read after a start until somebody has typed its passphrase."""
    pool = index.pools[dataset.pool]
    return pool.waits or (
        dataset.encrypted and not pool.encrypted and natively_encrypted(index, dataset)
    )


def encrypted_at_source(index: Index, job: Job) -> bool:
    """Whether what a job carries off is unreadable without its key.

    A tool of files encrypts by itself. A replication sends blocks as they lie: encrypted only where
    the datasets are (zfs-send(8), --raw); everything else it would send plain.
    """
    if not job.encrypted or not KINDS[job.kind].sends_raw:
        return job.encrypted
    return all(natively_encrypted(index, index.datasets[d]) for d in job.datasets)


@dataclass(frozen=True)
class Key:
    """Where the key of a copy is: at these sites, or where there are none in the box alone, at `home`."""

    sites: tuple[str, ...]
    home: str

    @property
    def in_box_alone(self) -> bool:
        """Whether it goes with the box that made the copy."""
        return not self.sites

    @property
    def in_one_place(self) -> bool:
        """Whether it can be lost: what is kept twice is not lost twice."""
        return len(set(self.sites)) < 2

    def burns_at(self, site: str) -> bool:
        """Whether nothing of it is left after a fire there."""
        return set(self.sites or (self.home,)) <= {site}

    def where(self, index: Index) -> str:
        """The places in words."""
        return ", ".join(index.sites[s].name for s in self.sites) or "in the box alone"


def key_of(index: Index, job: Job, dataset: str | None = None) -> Key | None:
    """The key of a copy, of one dataset in it where one is named; None where there is none.

    All that asks what takes a key asks this: hazards, lifetimes, cautions, papers.
    """
    if not encrypted_at_source(index, job):
        return None
    of = dataset or next(iter(job.datasets), None)
    home = index.site_of_pool(index.datasets[of].pool) if of else ""
    return Key(job.key_kept_at, home)


def key_at(index: Index, job: Job) -> str:
    """Where the key is kept, in words; empty where the copy is not encrypted."""
    key = key_of(index, job)
    return key.where(index) if key else ""


def key_taken_by(index: Index, job: Job) -> str:
    """Which hazards take the key, in words; empty where no single one does, or there is no key."""
    key = key_of(index, job)
    if not key or not job.datasets:
        return ""
    takers = ["box lost", "theft"] if key.in_box_alone else []
    if key.burns_at(key.home):
        takers.append(f"fire at {index.sites[key.home].name}")
    if key.in_one_place:
        takers.append("key lost")
    return ", ".join(takers)
