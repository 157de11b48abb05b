"""The copy book: every copy that the jobs of a plan make, where it lies and its points in time."""

from copy import copy
from dataclasses import dataclass
from datetime import UTC, datetime

from kavrel.core.copies.first import first_ways
from kavrel.core.copies.remembered import remembered
from kavrel.core.copies.resource import Resource
from kavrel.core.copies.routes import Copy
from kavrel.core.copies.timeline import Timeline
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Job
from kavrel.core.pools.pool import PoolState
from kavrel.core.working import Working, step

__all__ = ["Copy", "CopyBook", "Load", "utc"]


@dataclass(frozen=True)
class Load:
    """What a run asks of one resource that others use too, and at what speed it alone could."""

    resource: Resource
    seconds: float


class CopyBook(Timeline):
    """Copies, transfers and points of a plan from a given day on."""

    def over(self, index: Index, states: dict[str, PoolState]) -> "CopyBook":
        """The same book over a plan that says nothing else of what it is made of."""
        another = copy(self)
        another.index, another.states = index, states
        return another

    def loads(self, job: Job, days: float) -> tuple[Load, ...]:
        """What a run after so many days asks of each resource that it shares with others."""
        flow = self.flow(job)
        kind = KINDS[job.kind]
        if kind.moves_nothing:
            busy = Resource("pool", job.pool) if job.pool else None
            return (Load(busy, flow.floor_seconds),) if busy and flow.floor_seconds else ()
        if not flow.parts or flow.seconds_per_byte == float("inf"):
            return ()
        size = flow.changed_bytes(days)
        source = self.source(job)
        loaded = []
        for resource, per_byte in self.byte_loads(job):
            seconds = size * per_byte
            if source.pool and resource == Resource("pool", source.pool):
                seconds = flow.scan_seconds + max(flow.floor_seconds, seconds)
            loaded.append(Load(resource, seconds))
        return tuple(loaded)

    def changed_bytes(self, job: Job, days: float) -> int:
        """Bytes that a run carries after so many days; none for a snapshot."""
        return self.flow(job).changed_bytes(days)

    def run_seconds(self, job: Job, days: float) -> float:
        """How long a run takes that follows the one before after so many days."""
        return self.flow(job).run_seconds(days)

    @remembered
    def first_copy(self, job: Job) -> Working:
        """Hours of the first whole copy the way the job says; None hours where it never ends."""
        if KINDS[job.kind].moves_nothing:
            return step("first copy", 0.0, "h", "copies nothing to another store")
        if job.first_copy != "done":
            chosen = next((w for w in first_ways(self, job) if w.way == job.first_copy), None)
            if chosen:
                return chosen.working
        return self.way(job).working("first copy", self.first_bytes(job))

    def usual_run(self, job: Job) -> Working:
        """Hours of a usual run, after the job's mean interval."""
        known, flow, kind = self.index.assumptions, self.flow(job), KINDS[job.kind]
        days = self.mean_interval_days(job)
        seconds = flow.run_seconds(days)
        fixed = known.step(kind.start)
        parts = [step("since the run before", days, "days"), fixed]
        if flow.scan_seconds:
            looks = known.step("file_accesses")
            parts.append(
                step("look at every file", flow.scan_seconds, "s", "files x accesses / IOPS", looks)
            )
        if flow.floor_seconds:
            parts.append(
                step("read everything", flow.floor_seconds, "s", "bytes / speed of the disks")
            )
        if flow.parts:
            size = flow.changed_bytes(days)
            way = self.way(job).working("send what changed", size)
            per_byte = flow.seconds_per_byte
            hours = size * per_byte / 3600 if per_byte < float("inf") else None
            accesses = {"blocks": "records_per_access", "files": "changed_file_accesses"}.get(
                kind.reads
            )
            seeks = (known.step(accesses),) if accesses else ()
            parts.append(
                way.model_copy(
                    update={
                        "value": hours,
                        "formula": "bytes / slowest part, disk accesses included",
                        "inputs": (*way.inputs, *seeks),
                    }
                )
            )
        if flow.slowdown > 1:
            parts.append(
                step("slower in the worst night", flow.slowdown, "times", "others share the way")
            )
        formula = "start + slowdown x (look + the longer of reading and sending)"
        hours = seconds / 3600 if seconds < float("inf") else None
        return step("usual run", hours, "h", formula, *parts)


def utc(instant: float) -> datetime:
    """An epoch instant as an aware datetime."""
    return datetime.fromtimestamp(instant, UTC)
