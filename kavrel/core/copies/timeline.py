"""The timeline: when jobs run, which points there are at any moment, and what is lost without them."""

from bisect import bisect_left
from collections import defaultdict
from collections.abc import Mapping
from copy import copy
from dataclasses import replace
from datetime import date, datetime, time, timedelta
from functools import cached_property
from typing import Self
from zoneinfo import ZoneInfo

from kavrel.core.assumptions import REGISTRY
from kavrel.core.copies import flow as flows
from kavrel.core.copies import retention as keeping
from kavrel.core.copies.carrier import LOOKS_EVERY_MINUTES, chain, never_starts
from kavrel.core.copies.first import first_seconds
from kavrel.core.copies.flow import Flow, Part
from kavrel.core.copies.loads import Loads
from kavrel.core.copies.path import MB
from kavrel.core.copies.remembered import remembered
from kavrel.core.copies.resource import Resource
from kavrel.core.copies.retention import Ages, Point, Points, Rule
from kavrel.core.copies.rules import span_days
from kavrel.core.copies.worst import Moment, worst_age, worst_loss
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Job
from kavrel.core.pools.pool import PoolState
from kavrel.core.quantities import DAY, YEAR_DAYS
from kavrel.core.schedule import OFTEN, longest_step_days, starts

# How far back kept points are followed, for the sake of time: older ones, yearly ones mostly, are in no figure.
LONGEST_LOOK_BACK_DAYS = 1500
WINDOW_DAYS = 365  # every night of a year, the odd ones included
# Jobs that run many times a day repeat within days: a shorter window holds every case.
OFTEN_WINDOW_DAYS = 15
# The assumptions of when damage is noticed.
NOTICED = ("deleted_notice_days", "malware_notice_days", "corruption_notice_days")


class Timeline(Loads):
    """Runs and points of a plan's jobs.

    `slowdowns` says how much longer a job takes in its worst night; see `week.nights`.
    """

    def __init__(
        self,
        index: Index,
        states: dict[str, PoolState],
        as_of: date,
        slowdowns: Mapping[str, float] | None = None,
    ) -> None:
        super().__init__(index, states, as_of)
        self.slowdowns = slowdowns or {}
        self.alone = self

    def slowed(self, slowdowns: Mapping[str, float]) -> Self:
        """The same jobs, each this many times slower; `alone` stays the book in which none is.

        Ways and loads do not hang on it: what is known of them stays known.
        """
        slower = copy(self)
        slower.slowdowns, slower.alone = slowdowns, self
        slower.remembered = self.known_to(Loads)
        return slower

    @remembered
    def flow(self, job: Job) -> Flow:
        """What the job does over time."""
        kind = KINDS[job.kind]
        loads = self.byte_loads(job)
        own = self.way(job).mb_per_s * MB if not kind.moves_nothing else 0.0
        slowest = max([s for _, s in loads], default=0.0)
        per_byte = max(slowest, 1 / own) if own else float("inf")
        flow = Flow(
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
            waits=job.catch_up or job.after is not None,
            looks_every_s=self._looks_every(job),
            never=never_starts(self.index, job) or not self.fits(job),
        )
        return replace(flow, torn=True) if self._is_torn(job, flow) else flow

    def _is_torn(self, job: Job, flow: Flow) -> bool:
        """Whether damage that is done, and noticed later, spoils the run that is under way meanwhile.

        Whoever reads files while people write them reads what is damaged. A frozen state is whole; but
        after malware all that share its way have everything to send, and it may not be there in time.
        With fair shares it takes at most as many times as long as there are of them.
        """
        kind = KINDS[job.kind]
        if not kind.copies or kind.moves_nothing:
            return False
        if job.reads_from:
            return self.flow(self.index.jobs[job.reads_from]).torn
        if not kind.consistent:
            return True
        busy = [others for r, _ in self.byte_loads(job) if (others := self._busy_with[r])]
        sharers = len(set().union(*busy)) if busy else 1
        times = max(sharers, 1) * flow.slowdown
        longest = flow.fixed_seconds + times * flow.work_seconds(self.step_days(job))
        return longest > self._soonest_notice

    @cached_property
    def _busy_with(self) -> Mapping[Resource, set[str]]:
        """The copies that share each resource."""
        busy: dict[Resource, set[str]] = defaultdict(set)
        for job in self.index.plan.jobs:
            if KINDS[job.kind].copies:
                for resource, _ in self.byte_loads(job):
                    busy[resource].add(job.id)
        return busy

    @cached_property
    def _soonest_notice(self) -> float:
        """Seconds after which the first of the hazards that are noticed late is noticed."""
        days = (self.index.assumptions[name] for name in NOTICED)
        return min((d for d in days if d), default=0.0) * DAY

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
        parts = []
        for dataset_id in job.datasets:
            dataset = self.index.datasets[dataset_id]
            share = self.stored_share(job, dataset)
            again = dataset.change_bytes_per_day * dataset.repeat_share
            fresh = dataset.change_bytes_per_day - again + dataset.deleted_bytes_per_day
            fresh += dataset.growth_bytes_per_year / YEAR_DAYS
            parts.append(Part(fresh * share, again * share, dataset.size_bytes * share))
        return tuple(parts)

    @remembered
    def mean_interval_days(self, job: Job) -> float:
        """Mean days between starts over the coming year (the schedule's step when it runs once)."""
        if job.after:
            return self.mean_interval_days(self.index.jobs[job.after])
        if job.schedule.kind == "minutes":
            return longest_step_days(job.schedule)
        first = max(self.as_of, job.schedule.start or self.as_of)
        times = self._starts_of_year(job, first)
        if len(times) < 2:
            return longest_step_days(job.schedule)
        return (times[-1] - times[0]) / DAY / (len(times) - 1)

    def _starts_of_year(self, job: Job, first: date) -> tuple[float, ...]:
        """Starts from a local day on, over a year: cut from those that its figures need anyway."""
        zone, last = self.index.plan.zone, first + timedelta(days=WINDOW_DAYS)
        span = self._span(job) if KINDS[job.kind].copies else (first, last)
        if not (span[0] <= first and last <= span[1]):
            span = (first, last)
        times = starts(job.schedule, zone, *span)
        place = ZoneInfo(job.schedule.zone or zone)
        low, high = (
            datetime.combine(day, time(), place).timestamp() for day in (first, last + timedelta(1))
        )
        return times[bisect_left(times, low) : bisect_left(times, high)]

    def step_days(self, job: Job) -> float:
        """An upper bound for the days between two runs."""
        while job.after:
            job = self.index.jobs[job.after]
        return longest_step_days(job.schedule)

    @cached_property
    def notice_days(self) -> float:
        """The longest delay after which any hazard is noticed."""
        return max(self.index.assumptions[name] for name in NOTICED)

    @remembered
    def window(self, job: Job) -> tuple[float, float]:
        """The span (epoch s) over which worst cases are sought: a year in which all is running."""
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

    @remembered
    def _span(self, job: Job) -> tuple[date, date]:
        """Local days whose starts decide what happens in the window."""
        first, last = self.window(job)
        ahead = int(self.notice_days + 2 * self.step_days(job)) + 2
        back = self.look_back_days(job) + int(self.notice_days)
        begin = self._day(first) - timedelta(days=back)
        return begin, self._day(last) + timedelta(days=ahead)

    def _day(self, instant: float) -> date:
        return datetime.fromtimestamp(instant, ZoneInfo(self.index.plan.zone)).date()

    @remembered
    def points_on(self, job: Job, day: date) -> list[Point]:
        """Points that exist at the end of a local day, oldest first."""
        return [p for p, _ in self._existing(job, day, with_rules=False)]

    def points_at(self, job: Job, at: float) -> list[Point]:
        """Points that are complete and not yet pruned at an instant (epoch s), oldest first."""
        day = datetime.fromtimestamp(at, ZoneInfo(self.index.plan.zone)).date()
        begin, end = day - timedelta(days=self.look_back_days(job)), day + timedelta(days=1)
        return keeping.existing(flows.points(self.flow(job), begin, end), at)

    def ruled_on(self, job: Job, day: date) -> list[tuple[Point, list[Rule]]]:
        """The same, each with the rules that keep it then and until when."""
        return self._existing(job, day, with_rules=True)

    def _existing(self, job: Job, day: date, with_rules: bool) -> list[tuple[Point, list[Rule]]]:
        zone = self.index.plan.zone
        begin, end = day - timedelta(days=self.look_back_days(job)), day + timedelta(days=1)
        flow, span = self.flow(job), self._span(job)
        # Figures of the year look further on either side: what is there on a day is among those.
        within = span[0] <= begin and end <= span[1] and not job.retention.thin and not with_rules
        points = flows.points(flow, *(span if within else (begin, end)))
        at = datetime.combine(end, time(), ZoneInfo(zone)).timestamp() - 1
        if not with_rules:
            return [(p, []) for p in keeping.existing(points, at)]
        ruled = flows.rulings(flow, begin, end)
        return [
            (p, [r for r in rules if r[1] > at])
            for p, rules in zip(points, ruled, strict=True)
            if p.available_at <= at < p.expires_at
        ]

    @remembered
    def ages(self, job: Job) -> Ages | None:
        """Seconds of work that the job's newest point misses over a year: worst, mean, best."""
        span, window = self._span(job), self.window(job)
        return flows.ages(self.flow(job), *span, *window)

    def newest_age(self, job: Job) -> float | None:
        """The worst of them."""
        ages = self.ages(job)
        return ages.worst if ages else None

    @remembered
    def losses(self, job: Job, noticed_days: float) -> Ages | None:
        """Seconds lost when damage is noticed so many days later; infinite: for good."""
        return self._worse(job, noticed_days)._losses(job, noticed_days)

    def _losses(self, job: Job, noticed_days: float) -> Ages | None:
        span, window = self._span(job), self.window(job)
        return flows.losses(self.flow(job), *span, *window, noticed_days * DAY)

    def _worse(self, job: Job, noticed_days: float) -> "Timeline":
        """Itself, or the book in which no run slows another, whichever promises less.

        A run that is slowed past its next start skips it. Its points then lie further apart, and as
        many of them reach further back than they do where the others happen to have little to do.
        """
        if self.alone is self or not any(map(self._is_slowed_past, (job, *self._upstream(job)))):
            return self
        mine, quick = self._losses(job, noticed_days), self.alone._losses(job, noticed_days)
        if mine is None or (quick and (quick.never, quick.worst) <= (mine.never, mine.worst)):
            return self
        return self.alone

    def _is_slowed_past(self, job: Job) -> bool:
        days = self.mean_interval_days(job)
        flow = self.flow(job)
        return flow.slowdown > 1 and flow.run_seconds(days) > days * DAY

    def worst_moment(self, job: Job, noticed_days: float | None = None) -> Moment | None:
        """The moment behind the worst of `ages`, or of `losses` when it is noticed late."""
        if noticed_days is None:
            return worst_age(self.points(job), *self.window(job))
        book = self._worse(job, noticed_days)
        torn = book.flow(job).torn
        return worst_loss(book.points(job), noticed_days * DAY, *book.window(job), torn)

    def loss_after(self, job: Job, noticed_days: float) -> float | None:
        """The worst of them."""
        ages = self.losses(job, noticed_days)
        return ages.worst if ages else None
