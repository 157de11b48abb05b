"""Loads: how many bytes a job moves, what a byte asks of disks, LAN and links, and room for them."""

from datetime import date

from kavrel.core.copies.path import MB
from kavrel.core.copies.remembered import remembered
from kavrel.core.copies.resource import Resource
from kavrel.core.copies.routes import Routes
from kavrel.core.filesystems import ext4
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Dataset, Job
from kavrel.core.pools.pool import PoolState
from kavrel.core.quantities import YEAR_DAYS


class Loads(Routes):
    """Bytes, and the seconds that they keep things busy, from a given day on."""

    def __init__(self, index: Index, states: dict[str, PoolState], as_of: date) -> None:
        super().__init__(index, states)
        self.as_of = as_of

    def stored_share(self, job: Job, dataset: Dataset) -> float:
        """Bytes that the copy takes of one byte of the dataset."""
        shrinks = KINDS[job.kind].compresses and dataset.compressible
        share = self.index.assumptions["compressed_share"] if shrinks else 1.0
        return share * (1 - job.left_out_share)

    @remembered
    def first_bytes(self, job: Job) -> int:
        """Bytes of the first whole copy."""
        datasets = [self.index.datasets[d] for d in job.datasets]
        return int(sum(d.size_bytes * self.stored_share(job, d) for d in datasets))

    @remembered
    def room_for(self, job: Job) -> tuple[int, int] | None:
        """Bytes that a job's newest state takes, and those that its store has for it.

        A shelf disk has ext4's room, which everything reads, less what the jobs before this one
        put there; a pool what its datasets and the jobs before leave of it. None where it makes no
        copy, or in a bucket.
        """
        place = self.place(job)
        need = self.first_bytes(job)
        if not KINDS[job.kind].copies:
            return None
        if place.disk:
            room = ext4.usable_bytes(self.index.disks[place.disk].capacity_bytes)
            for other in self.index.plan.jobs:
                if other.id == job.id:
                    break
                room -= self.first_bytes(other) if other.target_disk == place.disk else 0
            return need, max(room, 0)
        if job.target_pool:
            state = self.states[job.target_pool]
            there = state.layout.usable_bytes - state.taken_bytes
            for other in self.index.plan.jobs:
                if other.id == job.id:
                    break
                there -= self.first_bytes(other) if other.target_pool == job.target_pool else 0
            return need, max(there, 0)
        return None

    def fits(self, job: Job) -> bool:
        """Whether the newest state goes onto its store at all; half a copy is none."""
        room = self.room_for(job)
        return room is None or room[0] <= room[1]

    def used_bytes(self, pool: str) -> int:
        """Bytes on a pool: its datasets and the newest copies of others."""
        here = self.states[pool].dataset_bytes
        return here + sum(
            self.first_bytes(j) for j in self.index.plan.jobs if j.target_pool == pool
        )

    @remembered
    def byte_loads(self, job: Job) -> tuple[tuple[Resource, float], ...]:
        """Seconds that each byte of a usual run keeps each resource busy."""
        if KINDS[job.kind].moves_nothing:
            return ()
        source, target = self.source(job), self.place(job)
        loads = []
        for resource, speed in self.way(job).loads:
            seconds = 1 / (speed * MB)
            for place, verb in ((source, "read"), (target, "write")):
                if place.pool and resource == Resource("pool", place.pool):
                    seconds += self._seeks(job, place.pool, verb)
            loads.append((resource, seconds))
        return tuple(loads)

    def _seeks(self, job: Job, pool: str, verb: str) -> float:
        """Seconds that disk accesses add to each byte of a run after the first."""
        kind, known = KINDS[job.kind], self.index.assumptions
        speeds = self.states[pool].layout.speeds
        iops = max(speeds.read_iops if verb == "read" else speeds.write_iops, 1.0)
        datasets = [self.index.datasets[d] for d in job.datasets]
        change = [
            max(d.change_bytes_per_day + d.growth_bytes_per_year / YEAR_DAYS, 1) for d in datasets
        ]
        if kind.reads == "blocks" and verb == "read":
            records = [d.record_kib or self.index.pools[pool].record_kib for d in datasets]
            chunk = [1024 * r * known["records_per_access"] for r in records]
            accesses = 1.0
        elif kind.reads in ("files", "told"):
            chunk = [float(d.file_bytes) for d in datasets]
            accesses = known["changed_file_accesses"]
        else:
            return 0.0
        return (
            accesses * sum(c / n for c, n in zip(change, chunk, strict=True)) / sum(change) / iops
        )

    def scan_seconds(self, job: Job) -> float:
        """The look at every file before anything moves; the slower end decides."""
        if KINDS[job.kind].reads != "files":
            return 0.0
        accesses = self.index.assumptions["file_accesses"]
        datasets = [self.index.datasets[d] for d in job.datasets]
        files = sum(d.size_bytes / d.file_bytes for d in datasets) * (1 - job.left_out_share)
        ends = [self.source(job)]
        # A repository knows what it has; a mirror's other end has to be looked at as well.
        if KINDS[job.kind].looks_at_both:
            ends.append(self.place(job))
        iops = []
        for place in ends:
            if place.pool:
                iops.append(self.states[place.pool].layout.speeds.read_iops)
            elif place.disk:
                iops.append(self.index.assumptions[f"{self.index.disks[place.disk].kind}_iops"])
        return files * accesses / max(min(iops, default=1.0), 1.0)

    def floor_seconds(self, job: Job) -> float:
        """Reading everything, where a run goes over all of it, or a chore's own work."""
        return KINDS[job.kind].floor(self, job)
