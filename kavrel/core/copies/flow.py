"""What a job does over time, apart from the plan it stands in: its runs, lengths and points.

A flow is small and hashable, so what follows from it is remembered as long as nothing about the
job, its way or its datasets changes.
"""

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from functools import lru_cache
from typing import NamedTuple
from zoneinfo import ZoneInfo

import numpy as np

from kavrel.core.copies import retention as keeping
from kavrel.core.copies.retention import Ages, Points, Rule
from kavrel.core.plan import Retention, Schedule
from kavrel.core.quantities import DAY
from kavrel.core.schedule import longest_step_days, starts


class Part(NamedTuple):
    """How one dataset changes: see `copies.space`. Bytes as they travel, already compressed."""

    fresh_a_day: float  # new places every day
    again_a_day: float  # the same places every day
    most: float  # the whole of it

    def changed(self, days: float) -> float:
        """Bytes that differ after so many days."""
        return min(self.fresh_a_day * days + self.again_a_day * min(days, 1.0), self.most)


@dataclass(frozen=True)
class Flow:
    """A job's schedule and retention, the bytes it moves and how long that takes.

    `seconds_per_byte` is infinite where there is no way; `scan_seconds` is the look at every file,
    `floor_seconds` reading everything while changes travel. `slowdown` is how much longer a run
    takes in the worst night because others share the way. `first` is the local day and the seconds
    of the first whole copy, where it is not there yet. `looks_every_s`: what it follows ends on
    another box, and it looks only so often whether it has. `never`: nothing starts it. `torn`: damage
    done while a run is under way is in its point, or keeps that from being there when it is noticed.
    """

    schedule: Schedule
    retention: Retention
    zone: str
    parts: tuple[Part, ...]
    fixed_seconds: float
    seconds_per_byte: float
    usual_days: float
    scan_seconds: float = 0.0
    floor_seconds: float = 0.0
    sends_everything: bool = False
    slowdown: float = 1.0
    first: tuple[date, float] | None = None
    looks_every_s: float = 0.0
    never: bool = False
    upstream: "Flow | None" = None
    after: "Flow | None" = None
    waits: bool = False
    torn: bool = False

    def changed_bytes(self, days: float) -> int:
        """Bytes of a run after so many days: what changed and grew, at most a whole copy."""
        if self.sends_everything:
            return self.whole_bytes
        return int(sum(p.changed(days) for p in self.parts))

    @property
    def whole_bytes(self) -> int:
        """Bytes of a first whole copy."""
        return int(sum(p.most for p in self.parts))

    def work_seconds(self, days: float) -> float:
        """How long a run is at work when it has the way to itself, after its start."""
        if not self.parts:
            return max(self.scan_seconds, self.floor_seconds)
        sending = self.changed_bytes(days) * self.seconds_per_byte
        return self.scan_seconds + max(self.floor_seconds, sending)

    def run_seconds(self, days: float) -> float:
        """How long a run takes that follows the one before after so many days."""
        return self.fixed_seconds + self.slowdown * self.work_seconds(days)


class FlowRun(NamedTuple):
    """A run (epoch s): what it copies is as of `data_time`; `gap_days` since the one before."""

    start: float
    end: float
    data_time: float
    gap_days: float


class Runs(NamedTuple):
    """Runs in order, held as columns (epoch s): there are thousands of them."""

    start: np.ndarray
    end: np.ndarray
    data_time: np.ndarray
    gap_days: np.ndarray


NONE = Runs(*(np.empty(0) for _ in range(4)))


def runs(flow: Flow, begin: date, end: date) -> list[FlowRun]:
    """Runs of the starts on local days `begin` to `end`; a run waits for the one before it."""
    return [FlowRun(*r) for r in zip(*(c.tolist() for c in ran(flow, begin, end)), strict=True)]


@lru_cache(maxsize=512)
def ran(flow: Flow, begin: date, end: date) -> Runs:
    """The same as columns."""
    if flow.never:
        return NONE
    if flow.after:
        step = longest_step_days(flow.after.schedule)
        times = ran(flow.after, begin - timedelta(days=int(step) + 1), end).end + flow.looks_every_s
    else:
        times = np.array(starts(flow.schedule, flow.zone, begin, end))
    if flow.first:
        opens = datetime.combine(flow.first[0], time(), ZoneInfo(flow.zone)).timestamp()
        times = times[times >= opens]
    seeds = flow.first[1] if flow.first and begin <= flow.first[0] else None
    feed: Points | None = None
    if flow.upstream:
        step = longest_step_days(flow.upstream.schedule)
        feed = points(flow.upstream, begin - timedelta(days=int(2 * step) + 2), end)
    return _at_once(flow, times, feed, seeds) or _one_by_one(flow, times, feed, seeds)


def _at_once(
    flow: Flow, times: np.ndarray, feed: Points | None, seeds: float | None
) -> Runs | None:
    """All runs, where each has ended when the next is due; None where one waits for another."""
    if not len(times):
        return NONE
    gaps = np.append(flow.usual_days * DAY, np.diff(times))
    lengths, which = np.unique(gaps, return_inverse=True)
    seconds = np.array([flow.run_seconds(gap / DAY) for gap in lengths.tolist()])[which]
    if seeds is not None:
        seconds[0] = seeds
    ends = times + seconds
    if not np.isfinite(ends).all() or (gaps[1:] <= 0).any() or (ends[:-1] > times[1:]).any():
        return None
    runs = Runs(times, ends, times, gaps / DAY)
    if feed is None:
        return runs
    # What a run reads is as of the newest point of the job before it.
    newest = np.searchsorted(feed.done, times, side="right") - 1
    there = newest >= 0
    data_time = feed.data[newest[there]] if len(feed) else times[there]
    return Runs(times[there], ends[there], data_time, runs.gap_days[there])


def _one_by_one(flow: Flow, times: np.ndarray, feed: Points | None, seeds: float | None) -> Runs:
    """The runs one after the other.

    What is due while its last run has not ended is skipped, as the boxes' schedulers do, and is told;
    where the job is caught up, or follows another, it waits for that end.
    """
    runs: list[FlowRun] = []
    lengths: dict[float, float] = {}
    points_of = list(feed) if feed is not None else None
    position, before, free = 0, 0.0, -float("inf")
    for due in times.tolist():
        if before and due <= before:
            continue  # the run that waited for the one before it is this one too
        if due < free and not flow.waits:
            continue
        start = max(due, free)
        gap = start - before if before else flow.usual_days * DAY
        seconds = lengths.get(gap)
        if seconds is None:
            seconds = lengths[gap] = flow.run_seconds(gap / DAY)
        if seeds is not None and not before:
            seconds = seeds
        before = start
        data_time = start
        if points_of is not None:
            while position + 1 < len(points_of) and points_of[position + 1].available_at <= start:
                position += 1
            if not points_of or points_of[position].available_at > start:
                continue
            data_time = points_of[position].data_time
        free = start + seconds
        if free < float("inf"):
            runs.append(FlowRun(start, free, data_time, gap / DAY))
    return Runs(*(np.array(c) for c in zip(*runs, strict=True))) if runs else NONE


@lru_cache(maxsize=512)
def points(flow: Flow, begin: date, end: date) -> Points:
    """Points of the starts on local days `begin` to `end`, each with when it is pruned."""
    return keeping.keep(_moments(flow, begin, end), flow.retention, flow.zone)


def _moments(flow: Flow, begin: date, end: date) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    runs = ran(flow, begin, end)
    return runs.data_time, runs.end, runs.start


def rulings(flow: Flow, begin: date, end: date) -> list[list[Rule]]:
    """For each of `points`, the rules that keep it and until when."""
    return keeping.rulings(_moments(flow, begin, end), flow.retention, flow.zone)


@lru_cache(maxsize=512)
def ages(flow: Flow, begin: date, end: date, first: float, last: float) -> Ages | None:
    """How old the newest point is from `first` to `last`; see `retention.ages`."""
    return keeping.ages(points(flow, begin, end), first, last)


@lru_cache(maxsize=2048)
def losses(
    flow: Flow, begin: date, end: date, first: float, last: float, noticed_after: float
) -> Ages | None:
    """What is lost when damage from `first` to `last` is noticed so much later."""
    return keeping.losses(points(flow, begin, end), noticed_after, first, last, flow.torn)
