"""The copy book: every copy that the jobs of a plan make, where it lies and its points in time."""

from collections.abc import Mapping
from copy import copy
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from functools import cached_property
from zoneinfo import ZoneInfo

from kavrel.core.assumptions import REGISTRY
from kavrel.core.copies import flow as flows
from kavrel.core.copies import retention as keeping
from kavrel.core.copies.carrier import (
    LOOKS_EVERY_MINUTES,
    chain,
    never_starts,
    reached_from,
    root_ways,
)
from kavrel.core.copies.first import first_seconds, first_ways
from kavrel.core.copies.flow import Flow, Part
from kavrel.core.copies.path import MB, Path, Place, path
from kavrel.core.copies.resource import Resource
from kavrel.core.copies.retention import DAY, Ages, Point, Points, Rule
from kavrel.core.copies.rules import span_days
from kavrel.core.copies.worst import Moment, worst_age, worst_loss
from kavrel.core.filesystems import ext4
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Dataset, Job
from kavrel.core.pools.layout import Layout
from kavrel.core.pools.pool import PoolState
from kavrel.core.quantities import YEAR_DAYS
from kavrel.core.schedule import OFTEN, longest_step_days, starts
from kavrel.core.working import Working, step

# How far back kept points are followed. Yearly points older than this change no figure.
LONGEST_LOOK_BACK_DAYS = 1500
WINDOW_DAYS = 365  # every night of a year, the odd ones included
# Jobs that run many times a day repeat within days: a shorter window holds every case.
OFTEN_WINDOW_DAYS = 15


@dataclass(frozen=True)
class Copy:
    """What one job keeps of one dataset."""

    job: Job
    dataset: Dataset
    place: Place


@dataclass(frozen=True)
class Load:
    """What a run asks of one resource that others use too, and at what speed it alone could."""

    resource: Resource
    seconds: float


class CopyBook:
    """Copies, transfers and points of a plan from a given day on.

    `slowdowns` says how much longer a job takes in its worst night; see `week.nights`.
    """

    def __init__(
        self,
        index: Index,
        states: dict[str, PoolState],
        as_of: date,
        slowdowns: Mapping[str, float] | None = None,
    ) -> None:
        self.index = index
        self.states = states
        self.as_of = as_of
        self.slowdowns = slowdowns or {}
        self._ways: dict[str, Path] = {}
        self._flows: dict[str, Flow] = {}
        self._windows: dict[str, tuple[float, float]] = {}
        self._ages: dict[str, Ages | None] = {}
        self._losses: dict[tuple[str, float], Ages | None] = {}
        self._spans: dict[str, tuple[date, date]] = {}
        self._back: dict[tuple[Place, Place, bool], Path] = {}
        self._per_byte: dict[str, tuple[tuple[Resource, float], ...]] = {}
        self._there: dict[tuple[str, date], list[Point]] = {}
        self._rooms: dict[str, tuple[int, int] | None] = {}
        self._reached: dict[str, set[str]] = {}

    def over(self, index: Index, states: dict[str, PoolState]) -> "CopyBook":
        """The same book over a plan that says nothing else of what it is made of."""
        found = copy(self)
        found.index, found.states = index, states
        return found

    # -- where ---------------------------------------------------------------------------------

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
        found: dict[str, list[Copy]] = {d.id: [] for d in self.index.plan.datasets}
        for job in self.index.plan.jobs:
            if not KINDS[job.kind].copies:
                continue
            for dataset in job.datasets:
                place = self.place(job)
                if KINDS[job.kind].in_place and not job.reads_from:
                    place = Place(pool=self.index.datasets[dataset].pool)
                found[dataset].append(Copy(job, self.index.datasets[dataset], place))
        return found

    # -- how much and how long -----------------------------------------------------------------

    def way(self, job: Job) -> Path:
        """The way the job's bytes take."""
        if job.id not in self._ways:
            self._ways[job.id] = path(
                self.index,
                self.states,
                self.source(job),
                self.place(job),
                job.limit_mbit,
                by_hand=KINDS[job.kind].by_hand,
                wire_encrypted=job.wire_encrypted,
            )
        return self._ways[job.id]

    def between(self, source: Place, target: Place, by_hand: bool = False) -> Path:
        """The way from one store to another with nothing set on it: for bringing things back."""
        key = (source, target, by_hand)
        if key not in self._back:
            self._back[key] = path(self.index, self.states, source, target, by_hand=by_hand)
        return self._back[key]

    def stored_share(self, job: Job, dataset: Dataset) -> float:
        """Bytes that the copy takes of one byte of the dataset."""
        shrinks = KINDS[job.kind].compresses and dataset.compressible
        share = self.index.assumptions["compressed_share"] if shrinks else 1.0
        return share * (1 - job.left_out_share)

    def first_bytes(self, job: Job) -> int:
        """Bytes of the first whole copy."""
        datasets = [self.index.datasets[d] for d in job.datasets]
        return int(sum(d.size_bytes * self.stored_share(job, d) for d in datasets))

    def reached(self, host: str) -> set[str]:
        """Hosts that whoever has root on one gets into; see `carrier.reached_from`."""
        if host not in self._reached:
            self._reached[host] = reached_from(self._root_ways, host)
        return self._reached[host]

    @cached_property
    def _root_ways(self) -> set[tuple[str, str]]:
        return root_ways(self.index)

    def room_for(self, job: Job) -> tuple[int, int] | None:
        """Bytes that a job's newest state takes, and those that its store has for it.

        A shelf disk has ext4's room, which everything reads, less what the jobs before this one
        put there; a pool what its datasets and the jobs before leave of it. None where it makes no
        copy, or in a bucket.
        """
        if job.id not in self._rooms:
            self._rooms[job.id] = self._room_for(job)
        return self._rooms[job.id]

    def _room_for(self, job: Job) -> tuple[int, int] | None:
        place = self.place(job)
        need = self.first_bytes(job)
        if not KINDS[job.kind].copies:
            return None
        if place.disk:
            found = ext4.usable_bytes(self.index.disks[place.disk].capacity_bytes)
            for other in self.index.plan.jobs:
                if other.id == job.id:
                    break
                found -= self.first_bytes(other) if other.target_disk == place.disk else 0
            return need, max(found, 0)
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

    def flow(self, job: Job) -> Flow:
        """What the job does over time."""
        if job.id not in self._flows:
            kind = KINDS[job.kind]
            loads = self.byte_loads(job)
            own = self.way(job).mb_per_s * MB if not kind.moves_nothing else 0.0
            slowest = max([s for _, s in loads], default=0.0)
            per_byte = max(slowest, 1 / own) if own else float("inf")
            self._flows[job.id] = Flow(
                schedule=job.schedule,
                retention=job.retention,
                zone=self.index.plan.zone,
                parts=() if kind.moves_nothing or not job.datasets else self._parts(job),
                fixed_seconds=self._fixed_seconds(job),
                seconds_per_byte=per_byte,
                usual_days=self.mean_interval_days(job),
                scan_seconds=self.scan_seconds(job),
                floor_seconds=self.floor_seconds(job),
                sends_everything=kind.sends_all(job),
                slowdown=self.slowdowns.get(job.id, 1.0),
                first=self._first(job),
                upstream=self.flow(self.index.jobs[job.reads_from])
                if job.reads_from and kind.copies
                else None,
                after=self.flow(self.index.jobs[job.after]) if job.after else None,
                looks_every_s=self._looks_every(job),
                never=never_starts(self.index, job) or not self.fits(job),
            )
        return self._flows[job.id]

    def _looks_every(self, job: Job) -> float:
        how = chain(self.index, job)
        return LOOKS_EVERY_MINUTES * 60.0 if how and how.how == "seen" else 0.0

    def _fixed_seconds(self, job: Job) -> float:
        key = KINDS[job.kind].start
        per = 60.0 if REGISTRY[key].unit == "min" else 1.0
        return self.index.assumptions[key] * per

    def _first(self, job: Job) -> tuple[date, float] | None:
        if job.first_copy == "done" or KINDS[job.kind].moves_nothing:
            return None
        return job.first_on or self.as_of, first_seconds(self, job)

    def _parts(self, job: Job) -> tuple[Part, ...]:
        found = []
        for dataset_id in job.datasets:
            dataset = self.index.datasets[dataset_id]
            share = self.stored_share(job, dataset)
            again = dataset.change_bytes_per_day * dataset.repeat_share
            fresh = dataset.change_bytes_per_day - again + dataset.deleted_bytes_per_day
            fresh += dataset.growth_bytes_per_year / YEAR_DAYS
            found.append(Part(fresh * share, again * share, dataset.size_bytes * share))
        return tuple(found)

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

    def byte_loads(self, job: Job) -> tuple[tuple[Resource, float], ...]:
        """Seconds that each byte of a usual run keeps each resource busy."""
        if job.id not in self._per_byte:
            nothing = KINDS[job.kind].moves_nothing
            self._per_byte[job.id] = () if nothing else tuple(self._byte_loads(job))
        return self._per_byte[job.id]

    def _byte_loads(self, job: Job) -> list[tuple[Resource, float]]:
        source, target = self.source(job), self.place(job)
        found = []
        for resource, speed in self.way(job).loads:
            seconds = 1 / (speed * MB)
            for place, verb in ((source, "read"), (target, "write")):
                if place.pool and resource == Resource("pool", place.pool):
                    seconds += self._seeks(job, place.pool, verb)
            found.append((resource, seconds))
        return found

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

    def pool_speeds(self, pool: str) -> Layout:
        """The layout of a pool."""
        return self.states[pool].layout

    def source_pool(self, job: Job) -> str | None:
        """The pool that a job reads, None where it reads something else."""
        return self.source(job).pool

    def used_bytes(self, pool: str) -> int:
        """Bytes on a pool: its datasets and the newest copies of others."""
        here = self.states[pool].dataset_bytes
        return here + sum(
            self.first_bytes(j) for j in self.index.plan.jobs if j.target_pool == pool
        )

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
        found = []
        for resource, per_byte in self.byte_loads(job):
            seconds = size * per_byte
            if source.pool and resource == Resource("pool", source.pool):
                seconds = flow.scan_seconds + max(flow.floor_seconds, seconds)
            found.append(Load(resource, seconds))
        return tuple(found)

    def changed_bytes(self, job: Job, days: float) -> int:
        """Bytes that a run carries after so many days; none for a snapshot."""
        return self.flow(job).changed_bytes(days)

    def run_seconds(self, job: Job, days: float) -> float:
        """How long a run takes that follows the one before after so many days."""
        return self.flow(job).run_seconds(days)

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

    def mean_interval_days(self, job: Job) -> float:
        """Mean days between starts over the coming year (the schedule's step when it runs once)."""
        if job.after:
            return self.mean_interval_days(self.index.jobs[job.after])
        if job.schedule.kind == "minutes":
            return longest_step_days(job.schedule)
        first = max(self.as_of, job.schedule.start or self.as_of)
        times = starts(
            job.schedule, self.index.plan.zone, first, first + timedelta(days=WINDOW_DAYS)
        )
        if len(times) < 2:
            return longest_step_days(job.schedule)
        return (times[-1] - times[0]) / DAY / (len(times) - 1)

    def step_days(self, job: Job) -> float:
        """An upper bound for the days between two runs."""
        while job.after:
            job = self.index.jobs[job.after]
        return longest_step_days(job.schedule)

    # -- when ----------------------------------------------------------------------------------

    @cached_property
    def notice_days(self) -> float:
        """The longest delay after which any hazard is noticed."""
        known = self.index.assumptions
        late = ("deleted_notice_days", "malware_notice_days", "corruption_notice_days")
        return max(known[name] for name in late)

    def window(self, job: Job) -> tuple[float, float]:
        """The span (epoch s) over which worst cases are sought: a year in which all is running."""
        if job.id not in self._windows:
            self._windows[job.id] = self._window(job)
        return self._windows[job.id]

    def _window(self, job: Job) -> tuple[float, float]:
        step_days = self.step_days(job)
        days = OFTEN_WINDOW_DAYS if job.schedule.kind in OFTEN else WINDOW_DAYS
        chain = [job, *self._upstream(job)]
        opened = [j.schedule.start for j in chain if j.schedule.start]
        opened += [j.first_on for j in chain if j.first_on and j.first_copy != "done"]
        begin = max([self.as_of, *opened])
        begins_late = any(day > self.as_of for day in opened)
        if begins_late:
            begin += timedelta(days=self.look_back_days(job))
        first = datetime.combine(begin, time(), ZoneInfo(self.index.plan.zone)).timestamp()
        return first, first + max(days, 2 * step_days) * DAY

    def settled_day(self, job: Job) -> date:
        """A day on which all that the job's retention asks for is there."""
        return self._day(self.window(job)[0])

    def _upstream(self, job: Job) -> list[Job]:
        chain: list[Job] = []
        while job.reads_from or job.after:
            job = self.index.jobs[job.reads_from or job.after or ""]
            chain.append(job)
        return chain

    def look_back_days(self, job: Job) -> int:
        """How far back starts decide which points there are."""
        span = span_days(job.retention, self.step_days(job))
        chained = sum(2 * self.step_days(j) for j in self._upstream(job))
        return int(min(span + chained, LONGEST_LOOK_BACK_DAYS)) + 2

    def points(self, job: Job) -> Points:
        """The job's points around the window, each with when it is complete and when pruned."""
        return flows.points(self.flow(job), *self._span(job))

    def _span(self, job: Job) -> tuple[date, date]:
        """Local days whose starts decide what happens in the window."""
        if job.id in self._spans:
            return self._spans[job.id]
        first, last = self.window(job)
        ahead = int(self.notice_days + 2 * self.step_days(job)) + 2
        back = self.look_back_days(job) + int(self.notice_days)
        begin = self._day(first) - timedelta(days=back)
        self._spans[job.id] = begin, self._day(last) + timedelta(days=ahead)
        return self._spans[job.id]

    def _day(self, instant: float) -> date:
        return datetime.fromtimestamp(instant, ZoneInfo(self.index.plan.zone)).date()

    def points_on(self, job: Job, day: date) -> list[Point]:
        """Points that exist at the end of a local day, oldest first."""
        key = (job.id, day)
        if key not in self._there:
            self._there[key] = [p for p, _ in self._existing(job, day, with_rules=False)]
        return self._there[key]

    def ruled_on(self, job: Job, day: date) -> list[tuple[Point, list[Rule]]]:
        """The same, each with the rules that keep it then and until when."""
        return self._existing(job, day, with_rules=True)

    def _existing(self, job: Job, day: date, with_rules: bool) -> list[tuple[Point, list[Rule]]]:
        zone = self.index.plan.zone
        begin, end = day - timedelta(days=self.look_back_days(job)), day + timedelta(days=1)
        flow = self.flow(job)
        found = flows.points(flow, begin, end)
        at = datetime.combine(end, time(), ZoneInfo(zone)).timestamp() - 1
        if not with_rules:
            return [(p, []) for p in keeping.existing(found, at)]
        ruled = flows.rulings(flow, begin, end)
        return [
            (p, [r for r in rules if r[1] > at])
            for p, rules in zip(found, ruled, strict=True)
            if p.available_at <= at < p.expires_at
        ]

    def ages(self, job: Job) -> Ages | None:
        """Seconds of work that the job's newest point misses over a year: worst, mean, best."""
        if job.id not in self._ages:
            span, window = self._span(job), self.window(job)
            self._ages[job.id] = flows.ages(self.flow(job), *span, *window)
        return self._ages[job.id]

    def newest_age(self, job: Job) -> float | None:
        """The worst of them."""
        found = self.ages(job)
        return found.worst if found else None

    def losses(self, job: Job, noticed_days: float) -> Ages | None:
        """Seconds lost when damage is noticed so many days later; infinite: for good."""
        key = (job.id, noticed_days)
        if key not in self._losses:
            span, window = self._span(job), self.window(job)
            late = noticed_days * DAY
            self._losses[key] = flows.losses(self.flow(job), *span, *window, late)
        return self._losses[key]

    def worst_moment(self, job: Job, noticed_days: float | None = None) -> Moment | None:
        """The moment behind the worst of `ages`, or of `losses` when it is noticed late."""
        points, window = self.points(job), self.window(job)
        if noticed_days is None:
            return worst_age(points, *window)
        return worst_loss(points, noticed_days * DAY, *window)

    def loss_after(self, job: Job, noticed_days: float) -> float | None:
        """The worst of them."""
        found = self.losses(job, noticed_days)
        return found.worst if found else None


def utc(instant: float) -> datetime:
    """An epoch instant as an aware datetime."""
    return datetime.fromtimestamp(instant, UTC)
