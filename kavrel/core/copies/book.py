"""The copy book: every copy that the jobs of a plan make, where it lies and its points in time."""

from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from functools import cached_property
from zoneinfo import ZoneInfo

from kavrel.core.copies import flow as flows
from kavrel.core.copies import retention as keeping
from kavrel.core.copies.flow import Flow
from kavrel.core.copies.kinds import KINDS
from kavrel.core.copies.path import MB, Path, Place, path
from kavrel.core.copies.retention import DAY, Point
from kavrel.core.copies.schedule import longest_step_days, starts
from kavrel.core.index import Index
from kavrel.core.plan import Dataset, Job
from kavrel.core.pools.pool import PoolState
from kavrel.core.working import Working, step

# How far back kept points are followed. Yearly points older than this change no figure.
LONGEST_LOOK_BACK_DAYS = 1500
YEAR_DAYS = 365
# Jobs that run many times a day repeat within days: a shorter window holds every case.
OFTEN_WINDOW_DAYS = 15


@dataclass(frozen=True)
class Copy:
    """What one job keeps of one dataset."""

    job: Job
    dataset: Dataset
    place: Place


class CopyBook:
    """Copies, transfers and points of a plan from a given day on."""

    def __init__(self, index: Index, states: dict[str, PoolState], as_of: date) -> None:
        self.index = index
        self.states = states
        self.as_of = as_of
        self._ways: dict[str, Path] = {}
        self._flows: dict[str, Flow] = {}
        self._windows: dict[str, tuple[float, float]] = {}
        self._ages: dict[str, float | None] = {}
        self._losses: dict[tuple[str, float], float | None] = {}
        self._spans: dict[str, tuple[date, date]] = {}

    # -- where ---------------------------------------------------------------------------------

    def source(self, job: Job) -> Place:
        """What the job reads: its first dataset's pool, or the store of the job it carries on."""
        if job.reads_from:
            return self.place(self.index.jobs[job.reads_from])
        return Place(pool=self.index.datasets[job.datasets[0]].pool)

    def place(self, job: Job) -> Place:
        """Where the job's copy lies: snapshots lie on the pool that they are of."""
        if job.target_disk:
            return Place(disk=job.target_disk)
        if job.target_pool:
            return Place(pool=job.target_pool)
        return self.source(job)

    @cached_property
    def copies(self) -> dict[str, list[Copy]]:
        """Dataset id to its copies."""
        found: dict[str, list[Copy]] = {d.id: [] for d in self.index.plan.datasets}
        for job in self.index.plan.jobs:
            for dataset in job.datasets:
                place = self.place(job)
                if KINDS[job.kind].target == "none" and not job.reads_from:
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
            )
        return self._ways[job.id]

    def _stored_share(self, job: Job, dataset: Dataset) -> float:
        shrinks = KINDS[job.kind].compresses and dataset.compressible
        return self.index.assumptions["compressed_share"] if shrinks else 1.0

    def first_bytes(self, job: Job) -> int:
        """Bytes of the first whole copy."""
        datasets = [self.index.datasets[d] for d in job.datasets]
        return int(sum(d.size_bytes * self._stored_share(job, d) for d in datasets))

    def flow(self, job: Job) -> Flow:
        """What the job does over time."""
        if job.id not in self._flows:
            known = self.index.assumptions
            copies_nothing = KINDS[job.kind].target == "none"
            speed = self.way(job).mb_per_s * MB
            self._flows[job.id] = Flow(
                schedule=job.schedule,
                retention=job.retention,
                zone=self.index.plan.zone,
                parts=() if copies_nothing else self._parts(job),
                fixed_seconds=known["snapshot_seconds" if copies_nothing else "job_start_seconds"],
                seconds_per_byte=1 / speed if speed else float("inf"),
                usual_days=self.mean_interval_days(job),
                upstream=self.flow(self.index.jobs[job.reads_from]) if job.reads_from else None,
            )
        return self._flows[job.id]

    def _parts(self, job: Job) -> tuple[tuple[float, float], ...]:
        found = []
        for dataset_id in job.datasets:
            dataset = self.index.datasets[dataset_id]
            share = self._stored_share(job, dataset)
            daily = dataset.change_bytes_per_day + dataset.growth_bytes_per_year / YEAR_DAYS
            found.append((daily * share, dataset.size_bytes * share))
        return tuple(found)

    def changed_bytes(self, job: Job, days: float) -> int:
        """Bytes that a run carries after so many days; none for a snapshot."""
        return self.flow(job).changed_bytes(days)

    def run_seconds(self, job: Job, days: float) -> float:
        """How long a run takes that follows the one before after so many days."""
        return self.flow(job).run_seconds(days)

    def first_copy(self, job: Job) -> Working:
        """Hours of the first whole copy, worked out; None hours where there is no way."""
        if KINDS[job.kind].target == "none":
            return step("first copy", 0.0, "h", "a snapshot copies nothing")
        return self.way(job).working("first copy", self.first_bytes(job))

    def usual_run(self, job: Job) -> Working:
        """Hours of a usual run, after the job's mean interval."""
        if KINDS[job.kind].target == "none":
            taken = self.index.assumptions.step("snapshot_seconds")
            seconds = self.index.assumptions["snapshot_seconds"]
            return step("usual run", seconds / 3600, "h", "a snapshot copies nothing", taken)
        days = self.mean_interval_days(job)
        working = self.way(job).working("usual run", self.changed_bytes(job, days))
        return working.model_copy(
            update={"inputs": (step("since the run before", days, "days"), *working.inputs)}
        )

    def mean_interval_days(self, job: Job) -> float:
        """Mean days between starts over the coming year (the schedule's step when it runs once)."""
        first = max(self.as_of, job.schedule.start or self.as_of)
        times = starts(job.schedule, self.index.plan.zone, first, first + timedelta(days=YEAR_DAYS))
        if len(times) < 2:
            return longest_step_days(job.schedule)
        return (times[-1] - times[0]) / DAY / (len(times) - 1)

    # -- when ----------------------------------------------------------------------------------

    @cached_property
    def notice_days(self) -> float:
        """The longest delay after which any hazard is noticed."""
        known = self.index.assumptions
        return max(known["deleted_notice_days"], known["malware_notice_days"])

    def window(self, job: Job) -> tuple[float, float]:
        """The span (epoch s) over which worst cases are sought: a year in which all is running."""
        if job.id not in self._windows:
            self._windows[job.id] = self._window(job)
        return self._windows[job.id]

    def _window(self, job: Job) -> tuple[float, float]:
        step_days = longest_step_days(job.schedule)
        days = OFTEN_WINDOW_DAYS if job.schedule.kind == "hourly" else YEAR_DAYS
        chain = [job, *self._upstream(job)]
        begin = max([self.as_of, *(j.schedule.start for j in chain if j.schedule.start)])
        begins_late = any(j.schedule.start and j.schedule.start > self.as_of for j in chain)
        if begins_late:
            begin += timedelta(days=self._look_back_days(job))
        first = datetime.combine(begin, time(), ZoneInfo(self.index.plan.zone)).timestamp()
        return first, first + max(days, 2 * step_days) * DAY

    def _upstream(self, job: Job) -> list[Job]:
        chain: list[Job] = []
        while job.reads_from:
            job = self.index.jobs[job.reads_from]
            chain.append(job)
        return chain

    def _look_back_days(self, job: Job) -> int:
        span = keeping.span_days(job.retention, longest_step_days(job.schedule))
        chained = sum(2 * longest_step_days(j.schedule) for j in self._upstream(job))
        return int(min(span + chained, LONGEST_LOOK_BACK_DAYS)) + 2

    def points(self, job: Job) -> tuple[Point, ...]:
        """The job's points around the window, each with when it is complete and when pruned."""
        return flows.points(self.flow(job), *self._span(job))

    def _span(self, job: Job) -> tuple[date, date]:
        """Local days whose starts decide what happens in the window."""
        if job.id in self._spans:
            return self._spans[job.id]
        first, last = self.window(job)
        ahead = int(self.notice_days + 2 * longest_step_days(job.schedule)) + 2
        back = self._look_back_days(job) + int(self.notice_days)
        begin = self._day(first) - timedelta(days=back)
        self._spans[job.id] = begin, self._day(last) + timedelta(days=ahead)
        return self._spans[job.id]

    def _day(self, instant: float) -> date:
        return datetime.fromtimestamp(instant, ZoneInfo(self.index.plan.zone)).date()

    def points_on(self, job: Job, day: date) -> list[Point]:
        """Points that exist at the end of a local day, oldest first."""
        zone = self.index.plan.zone
        begin = day - timedelta(days=self._look_back_days(job))
        points = flows.points(self.flow(job), begin, day + timedelta(days=1))
        end = datetime.combine(day + timedelta(days=1), time(), ZoneInfo(zone)).timestamp()
        return keeping.existing(points, end - 1)

    def newest_age(self, job: Job) -> float | None:
        """Seconds of work that the job's newest point misses at the worst moment of a year."""
        if job.id not in self._ages:
            span, window = self._span(job), self.window(job)
            self._ages[job.id] = flows.newest_age(self.flow(job), *span, *window)
        return self._ages[job.id]

    def loss_after(self, job: Job, noticed_days: float) -> float | None:
        """Seconds lost at worst when damage is noticed so many days later; infinite: for good."""
        key = (job.id, noticed_days)
        if key not in self._losses:
            span, window = self._span(job), self.window(job)
            late = noticed_days * DAY
            self._losses[key] = flows.loss_after(self.flow(job), *span, *window, late)
        return self._losses[key]


def utc(instant: float) -> datetime:
    """An epoch instant as an aware datetime."""
    return datetime.fromtimestamp(instant, UTC)
