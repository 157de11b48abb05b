"""What a job does over time, apart from the plan it stands in: its starts, lengths and points.

A flow is small and hashable, so what follows from it is remembered as long as nothing about the
job, its way or its datasets changes.
"""

from dataclasses import dataclass
from datetime import date, timedelta
from functools import lru_cache

from kavrel.core.copies import retention as keeping
from kavrel.core.copies.retention import DAY, Point
from kavrel.core.copies.schedule import longest_step_days, starts
from kavrel.core.plan import Retention, Schedule


@dataclass(frozen=True)
class Flow:
    """A job's schedule, retention and the bytes it moves.

    `parts` are (bytes a day, bytes at most) of each dataset; `seconds_per_byte` is infinite where
    there is no way; `usual_days` lie between two runs as a rule.
    """

    schedule: Schedule
    retention: Retention
    zone: str
    parts: tuple[tuple[float, float], ...]
    fixed_seconds: float
    seconds_per_byte: float
    usual_days: float
    upstream: "Flow | None" = None

    def changed_bytes(self, days: float) -> int:
        """Bytes of a run after so many days: what changed and grew, at most a whole copy."""
        return int(sum(min(daily * days, most) for daily, most in self.parts))

    def run_seconds(self, days: float) -> float:
        """How long a run takes that follows the one before after so many days."""
        if not self.parts:
            return self.fixed_seconds
        return self.fixed_seconds + self.changed_bytes(days) * self.seconds_per_byte


@lru_cache(maxsize=512)
def points(flow: Flow, begin: date, end: date) -> tuple[Point, ...]:
    """Points of the starts on local days `begin` to `end`, each with when it is pruned."""
    times = starts(flow.schedule, flow.zone, begin, end)
    feed: tuple[Point, ...] | None = None
    if flow.upstream:
        step = longest_step_days(flow.upstream.schedule)
        feed = points(flow.upstream, begin - timedelta(days=int(2 * step) + 2), end)
    moments: list[tuple[float, float]] = []
    lengths: dict[float, float] = {}
    position, before, free = 0, 0.0, 0.0
    for start in times:
        gap = start - before if before else flow.usual_days * DAY
        before = start
        seconds = lengths.get(gap)
        if seconds is None:
            seconds = lengths[gap] = flow.run_seconds(gap / DAY)
        data_time = start
        if feed is not None:
            while position + 1 < len(feed) and feed[position + 1].available_at <= start:
                position += 1
            if not feed or feed[position].available_at > start:
                continue
            data_time = feed[position].data_time
        free = max(start + seconds, free)  # a run waits for the one before it
        if free < float("inf"):
            moments.append((data_time, free))
    return keeping.keep(moments, flow.retention, flow.zone)


@lru_cache(maxsize=512)
def newest_age(flow: Flow, begin: date, end: date, first: float, last: float) -> float | None:
    """Seconds of work that the newest point misses at the worst moment from `first` to `last`."""
    return keeping.worst_age(points(flow, begin, end), first, last)


@lru_cache(maxsize=1024)
def loss_after(
    flow: Flow, begin: date, end: date, first: float, last: float, noticed_after: float
) -> float | None:
    """Seconds lost at worst when damage from `first` to `last` is noticed so much later."""
    return keeping.worst_loss(points(flow, begin, end), noticed_after, first, last)
