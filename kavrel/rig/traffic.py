"""What travels at once shares disks, LAN and lines; and lines carry less under their caps of the day.

Every disk, LAN and line is busy at most all the time. Of those who want it at once each gets as much of
what it needs most as the others, unless it cannot use that much: the rest is for who can. That is
max-min fairness of dominant shares; source: Ghodsi et al., Dominant Resource Fairness, 2011. It is found by
halving the interval in which it must lie, and time goes from one event to the next.
"""

from collections.abc import Callable, Iterable, Sequence
from datetime import datetime, time, timedelta
from zoneinfo import ZoneInfo

from kavrel.core.copies.path import link_mb_per_s
from kavrel.core.copies.resource import Resource
from kavrel.core.index import Index
from kavrel.core.schedule import within
from kavrel.rig.runs import Leg, Run

HALVINGS = 60
NEARLY = 1e-9
AT_ONCE = 1e-4  # seconds: finer than any clock here matters for

Speed = Callable[[Resource, float], float]  # what a line carries now of a way of so many MB/s


class Traffic:
    """Takes runs onward in time. Its lines are those of a plan, with their caps."""

    def __init__(self, index: Index) -> None:
        self.index, self.zone = index, ZoneInfo(index.plan.zone)
        self.caps = {
            Resource("link", link.id): [
                (time.fromisoformat(c.from_at), time.fromisoformat(c.to_at), link_mb_per_s(index, link, c.mbit))
                for c in index.plan.caps
                if c.link == link.id
            ]
            for link in index.plan.links
        }  # fmt: skip

    def onward(self, runs: Iterable[Run], now: float, moment: float) -> None:
        """Takes each run from now to a moment, before which none starts."""
        self._go([r for r in runs if r.at < len(r.legs)], now, moment)

    def foreseen(self, runs: Iterable[Run], now: float) -> None:
        """Tells each run when it and its jobs end, if nothing else starts."""
        moving = [r for r in runs if r.at < len(r.legs)]
        if len(moving) == 1 and not self._is_capped(moving[0]):
            _undisturbed(moving[0], now)
            return
        kept = [(r, r.at, [leg.left for leg in r.legs]) for r in moving]
        self._go(moving, now, float("inf"))
        for run, at, left in kept:
            run.at = at
            for leg, was in zip(run.legs, left, strict=True):
                leg.left = was

    def _is_capped(self, run: Run) -> bool:
        return any(self.caps.get(r) for leg in run.legs for r, _ in leg.ways)

    def _go(self, moving: list[Run], now: float, moment: float) -> None:
        while moving and now < moment - NEARLY:
            legs = [r.legs[r.at] for r in moving]
            rates = shares(legs, self._speed_at(now))
            soonest = min(
                (leg.left / rate for leg, rate in zip(legs, rates, strict=True) if rate > 0),
                default=float("inf"),
            )
            then = min(now + soonest, moment, self._changes(legs, now))
            if then == float("inf"):
                return  # what is left never arrives
            for leg, rate in zip(legs, rates, strict=True):
                leg.left = max(leg.left - rate * (then - now), 0.0)
            for run, leg, rate in zip(moving, legs, rates, strict=True):
                if leg.left <= rate * AT_ONCE:
                    leg.left = 0.0
                    _next_leg(run, then)
            moving = [r for r in moving if r.at < len(r.legs)]
            now = then

    def _speed_at(self, now: float) -> Speed:
        clock = datetime.fromtimestamp(now + AT_ONCE, self.zone).time()

        def speed(resource: Resource, full: float) -> float:
            caps = self.caps.get(resource, ())
            return min([mb for low, high, mb in caps if within(clock, low, high)], default=full)

        return lambda resource, full: min(speed(resource, full), full)

    def _changes(self, legs: Iterable[Leg], now: float) -> float:
        """When next a cap of one of their lines begins or ends."""
        edges = {
            edge for leg in legs for r, _ in leg.ways for low, high, _ in self.caps.get(r, ())
            for edge in (low, high)
        }  # fmt: skip
        if not edges:
            return float("inf")
        today = datetime.fromtimestamp(now, self.zone).date()
        moments = (
            datetime.combine(today + timedelta(days=n), edge, self.zone).timestamp()
            for edge in edges
            for n in (0, 1)
        )
        return min(m for m in moments if m > now + AT_ONCE)


def _next_leg(run: Run, now: float) -> None:
    run.at += 1
    for job, last in run.last_legs.items():
        if last == run.at:
            run.is_there(job, now)


def _undisturbed(run: Run, now: float) -> None:
    """It has everything to itself."""
    for number, leg in enumerate(run.legs[run.at :], run.at + 1):
        now += leg.left / leg.alone
        for job, last in run.last_legs.items():
            if last == number:
                run.is_there(job, now)


def shares(legs: Sequence[Leg], speed: Speed) -> list[float]:
    """MB/s of each leg."""
    ways = [[(r, speed(r, full)) for r, full in leg.ways] for leg in legs]
    if len({r for way in ways for r, _ in way}) == sum(len(way) for way in ways):
        return [min([leg.alone, *(mb for _, mb in w)]) for leg, w in zip(legs, ways, strict=True)]
    most = [
        min([leg.alone, *(mb for _, mb in way)]) if way else leg.alone
        for leg, way in zip(legs, ways, strict=True)
    ]
    # What it carries when it has all there is of what it needs most: at a level below 1, so much of that.
    full = [
        min((mb for _, mb in way), default=alone) for way, alone in zip(ways, most, strict=True)
    ]
    rates: list[float | None] = [
        None if way else alone for way, alone in zip(ways, most, strict=True)
    ]
    while None in rates:
        level = _level(rates, ways, most, full)
        tried = [
            min(level * f, m) if r is None else r for r, f, m in zip(rates, full, most, strict=True)
        ]
        busy = _busy(tried, ways)
        stuck = [
            r is None and (t >= m * (1 - NEARLY) or any(busy[way] >= 1 - 1e-6 for way, _ in w))
            for r, t, m, w in zip(rates, tried, most, ways, strict=True)
        ]
        if not any(stuck):
            stuck = [r is None for r in rates]
        rates = [t if s else r for r, t, s in zip(rates, tried, stuck, strict=True)]
    return [r or 0.0 for r in rates]


def _level(
    rates: list[float | None],
    ways: list[list[tuple[Resource, float]]],
    most: list[float],
    full: list[float],
) -> float:
    """The largest at which nothing is busier than all the time."""
    low, high = 0.0, 1.0
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        tried = [
            min(middle * f, m) if r is None else r
            for r, f, m in zip(rates, full, most, strict=True)
        ]
        if all(b <= 1 + NEARLY for b in _busy(tried, ways).values()):
            low = middle
        else:
            high = middle
    return low if low < 1 - 1e-12 else 1.0


def _busy(
    rates: Sequence[float], ways: list[list[tuple[Resource, float]]]
) -> dict[Resource, float]:
    """Which share of its time each is busy."""
    busy: dict[Resource, float] = {}
    for rate, way in zip(rates, ways, strict=True):
        for resource, mb in way:
            busy[resource] = busy.get(resource, 0.0) + (rate / mb if mb else 0.0)
    return busy
