"""What a job does over time, apart from the plan it stands in: its runs, lengths and points.

A flow is small and hashable, so what follows from it is remembered as long as nothing about the
job, its way or its datasets changes.
"""

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from functools import lru_cache
from typing import NamedTuple
from zoneinfo import ZoneInfo

from kavrel.core.copies import retention as keeping
from kavrel.core.copies.retention import DAY, Ages, Point, Rule
from kavrel.core.plan import Retention, Schedule
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
    another box, and it looks only so often whether it has. `never`: nothing starts it.
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


@lru_cache(maxsize=512)
def runs(flow: Flow, begin: date, end: date) -> tuple[FlowRun, ...]:
    """Runs of the starts on local days `begin` to `end`; a run waits for the one before it."""
    if flow.never:
        return ()
    if flow.after:
        step = longest_step_days(flow.after.schedule)
        wait = flow.looks_every_s
        times = tuple(
            r.end + wait for r in runs(flow.after, begin - timedelta(days=int(step) + 1), end)
        )
    else:
        times = starts(flow.schedule, flow.zone, begin, end)
    feed: tuple[Point, ...] | None = None
    if flow.upstream:
        step = longest_step_days(flow.upstream.schedule)
        feed = points(flow.upstream, begin - timedelta(days=int(2 * step) + 2), end)
    opens = -float("inf")
    if flow.first:
        opens = datetime.combine(flow.first[0], time(), ZoneInfo(flow.zone)).timestamp()
    found: list[FlowRun] = []
    lengths: dict[float, float] = {}
    position, before, free = 0, 0.0, -float("inf")
    for due in times:
        if due < opens or (before and due <= before):
            continue  # the run that waited for the one before it is this one too
        start = max(due, free)
        gap = start - before if before else flow.usual_days * DAY
        seconds = lengths.get(gap)
        if seconds is None:
            seconds = lengths[gap] = flow.run_seconds(gap / DAY)
        if flow.first and not before and begin <= flow.first[0]:
            seconds = flow.first[1]
        before = start
        data_time = start
        if feed is not None:
            while position + 1 < len(feed) and feed[position + 1].available_at <= start:
                position += 1
            if not feed or feed[position].available_at > start:
                continue
            data_time = feed[position].data_time
        free = start + seconds
        if free < float("inf"):
            found.append(FlowRun(start, free, data_time, gap / DAY))
    return tuple(found)


@lru_cache(maxsize=512)
def points(flow: Flow, begin: date, end: date) -> tuple[Point, ...]:
    """Points of the starts on local days `begin` to `end`, each with when it is pruned."""
    return keeping.keep(_moments(flow, begin, end), flow.retention, flow.zone)


def _moments(flow: Flow, begin: date, end: date) -> list[tuple[float, float]]:
    return [(r.data_time, r.end) for r in runs(flow, begin, end)]


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
    return keeping.losses(points(flow, begin, end), noticed_after, first, last)
