"""Routes: where jobs read and write, and the ways that their bytes take."""

from dataclasses import dataclass
from functools import cached_property

from kavrel.core.copies.carrier import reached_from, root_ways
from kavrel.core.copies.path import Path, Place, path
from kavrel.core.copies.remembered import Remembering, remembered
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Dataset, Job
from kavrel.core.pools.layout import Layout
from kavrel.core.pools.pool import PoolState


@dataclass(frozen=True)
class Copy:
    """What one job keeps of one dataset."""

    job: Job
    dataset: Dataset
    place: Place


class Routes(Remembering):
    """The places and ways of a plan's jobs."""

    def __init__(self, index: Index, states: dict[str, PoolState]) -> None:
        super().__init__()
        self.index = index
        self.states = states

    def source(self, job: Job) -> Place:
        """What the job reads: its first dataset's pool, another job's copy, or its own pool."""
        if job.reads_from:
            return self.place(self.index.jobs[job.reads_from])
        if job.pool:
            return Place(pool=job.pool)
        if job.datasets:
            return Place(pool=self.index.datasets[job.datasets[0]].pool)
        return Place()

    def place(self, job: Job) -> Place:
        """Where the job's copy lies: snapshots lie on the pool that they are of."""
        if job.target_disk:
            return Place(disk=job.target_disk)
        if job.target_pool:
            return Place(pool=job.target_pool)
        if job.target_bucket:
            return Place(bucket=job.target_bucket)
        return self.source(job)

    @cached_property
    def copies(self) -> dict[str, list[Copy]]:
        """Dataset id to its copies."""
        by_dataset: dict[str, list[Copy]] = {d.id: [] for d in self.index.plan.datasets}
        for job in self.index.plan.jobs:
            if not KINDS[job.kind].copies:
                continue
            for dataset in job.datasets:
                place = self.place(job)
                if KINDS[job.kind].in_place and not job.reads_from:
                    place = Place(pool=self.index.datasets[dataset].pool)
                by_dataset[dataset].append(Copy(job, self.index.datasets[dataset], place))
        return by_dataset

    @remembered
    def way(self, job: Job) -> Path:
        """The way the job's bytes take."""
        return path(
            self.index,
            self.states,
            self.source(job),
            self.place(job),
            job.limit_mbit,
            by_hand=KINDS[job.kind].by_hand,
            wire_encrypted=job.wire_encrypted,
        )

    @remembered
    def between(self, source: Place, target: Place, by_hand: bool = False) -> Path:
        """The way from one store to another with nothing set on it: for bringing things back."""
        return path(self.index, self.states, source, target, by_hand=by_hand)

    def pool_speeds(self, pool: str) -> Layout:
        """The layout of a pool."""
        return self.states[pool].layout

    def source_pool(self, job: Job) -> str | None:
        """The pool that a job reads, None where it reads something else."""
        return self.source(job).pool

    @remembered
    def reached(self, host: str) -> set[str]:
        """Hosts that whoever has root on one gets into; see `carrier.reached_from`."""
        return reached_from(root_ways(self.index.plan), host)
