"""Disk lifetimes by Monte Carlo: wear, age and bad batches, where the chain has only one rate.

A disk's time to failure follows Weibull with the plan's shape, scaled so that a new disk fails as
often within five years as its yearly rate says. A disk that has run already fails given that it
has come this far. Disks of one batch share their luck: a share of batches is bad and fails a
factor more often, the others less, so that the mean stays. Repairs take their time one after
another; lost is a set when a disk too many dies. With shape 1, no
bad batches and repairs of random length (exponential) this is the Markov chain of `odds`.
Source: Weibull lifetimes are common practice; the interval is Clopper and Pearson 1934.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from kavrel.core.pools.odds import HOURS_PER_YEAR, Spares
from kavrel.core.progress import Tell, nobody

Array = np.ndarray[Any, Any]
CHUNK = 125_000
SCALE_YEARS = 5.0


@dataclass(frozen=True)
class Lives:
    """A set of disks that outlives failures together: one entry a disk."""

    outlives: int
    fail_per_hour: tuple[float, ...]
    age_hours: tuple[float, ...]
    batch: tuple[int, ...]  # disks with the same number are of one batch; each new disk is not
    repair_hours: float
    spares: Spares | None = None
    shapes: tuple[float, ...] | None = None  # how each one's failures rise with age


@dataclass(frozen=True)
class Ageing:
    """How lifetimes differ from one constant rate."""

    shape: float = 1.0
    bad_batch_odds: float = 0.0
    bad_batch_factor: float = 1.0
    random_repairs: bool = False  # exponential lengths, as the chain has them
    late_odds: float = 0.0  # repairs that wait for a replacement that comes late
    late_hours: float = 0.0  # by so much

    @property
    def good_share(self) -> float:
        """The rate of a disk of a good batch against the mean."""
        return 1 / (1 + self.bad_batch_odds * (self.bad_batch_factor - 1))


@dataclass(frozen=True)
class Losses:
    """Of `lifetimes`, `lost[n]` had lost something after `years[n]`, with the 95 % interval."""

    lifetimes: int
    years: tuple[float, ...]
    lost: tuple[int, ...]

    def interval(self, n: int, confidence: float = 0.95) -> tuple[float, float]:
        """Lowest and highest odds that are in keeping with the count."""
        return interval(self.lost[n], self.lifetimes, confidence)


def interval(lost: int, total: int, confidence: float = 0.95) -> tuple[float, float]:
    """Lowest and highest share that is in keeping with `lost` of `total` (Clopper and Pearson)."""
    from scipy.stats import beta  # takes longer to load than all the rest

    miss = (1 - confidence) / 2
    low = 0.0 if lost == 0 else float(beta.ppf(miss, lost, total - lost + 1))
    high = 1.0 if lost == total else float(beta.ppf(1 - miss, lost + 1, total - lost))
    return low, high


def simulate(
    sets: Sequence[Lives],
    ageing: Ageing,
    years: Sequence[float],
    lifetimes: int,
    seed: int,
    tell: Tell = nobody,
) -> Losses:
    """How many of so many lifetimes have lost something by each of the years.

    The same seed gives the same answer. `tell` hears how many are done, and says whether to go
    on; when it says no, the lifetimes done so far are the answer.
    """
    rng = np.random.default_rng(seed)
    marks = np.asarray(years) * HOURS_PER_YEAR
    horizon = float(marks.max())
    lost = np.zeros(len(marks), dtype=np.int64)
    batches = 1 + max(b for s in sets for b in s.batch)
    done = 0
    while done < lifetimes:
        count = min(CHUNK, lifetimes - done)
        bad = (
            rng.random((count, batches), dtype=np.float32) < ageing.bad_batch_odds
            if ageing.bad_batch_odds
            else None
        )
        first = np.full(count, np.inf, dtype=np.float32)
        for each in sets:
            _lose(first, each, ageing, horizon, bad, rng)
        lost += (first[:, None] <= marks[None, :]).sum(axis=0)
        done += count
        if not tell(done / lifetimes, f"{done:,} lifetimes run"):
            break
    return Losses(done, tuple(years), tuple(int(n) for n in lost))


def first_losses(
    sets: Sequence[Lives], ageing: Ageing, years: float, count: int, rng: np.random.Generator
) -> Array:
    """The year in which each of `count` lifetimes first loses something; infinite where never."""
    first = np.full(count, np.inf, dtype=np.float32)
    horizon = years * HOURS_PER_YEAR
    batches = 1 + max(b for s in sets for b in s.batch)
    bad = None
    if ageing.bad_batch_odds:
        bad = rng.random((count, batches), dtype=np.float32) < ageing.bad_batch_odds
    for each in sets:
        _lose(first, each, ageing, horizon, bad, rng)
    first[first > horizon] = np.inf
    return first / np.float32(HOURS_PER_YEAR)


def _scales(rates: Array, shape: Array) -> Array:
    """Weibull scale in hours: as many failures within five years as the constant rate gives."""
    span = SCALE_YEARS * HOURS_PER_YEAR
    return span / (rates * span) ** (1 / shape)


def _shapes(each: Lives, ageing: Ageing) -> Array:
    """The Weibull shape of each disk."""
    return np.asarray(each.shapes or (ageing.shape,) * len(each.fail_per_hour), dtype=np.float64)


def _lose(
    first: Array,
    each: Lives,
    ageing: Ageing,
    horizon: float,
    bad: Array | None,
    rng: np.random.Generator,
) -> None:
    """Lowers `first` to the hour at which this set loses something, where it does."""
    shape = _shapes(each, ageing)
    width = len(each.fail_per_hour)
    scale = _scales(np.asarray(each.fail_per_hour), shape).astype(np.float32)
    shape = shape.astype(np.float32)
    age = np.asarray(each.age_hours, dtype=np.float32)
    come = (age / scale) ** shape
    # Cumulative hazard to the horizon: most lifetimes see no failure, and need no more work.
    limit = ((age + horizon) / scale) ** shape - come
    luck = rng.standard_exponential((len(first), width), dtype=np.float32)
    if ageing.bad_batch_odds:
        assert bad is not None
        rate = np.where(bad[:, each.batch], ageing.bad_batch_factor, 1.0).astype(np.float32)
        luck /= rate * np.float32(ageing.good_share)
    fails = luck < limit
    eventful = np.flatnonzero(fails.any(axis=1))
    if not len(eventful):
        return
    luck = luck[eventful]
    plain = bool((shape == 1).all())
    times = luck * scale if plain else scale * (luck + come) ** (1 / shape) - age
    if each.outlives == 0:
        first[eventful] = np.minimum(first[eventful], times.min(axis=1))
        return
    _Repairs(each, ageing, horizon, scale, rng).run(first, eventful, times.astype(np.float32))


class _Repairs:
    """Goes through failures and repairs of many lifetimes at once, an event of each at a time.

    Every array has one entry a lifetime that is still going: `rows` are places in `first`,
    `fail` the hour at which each disk fails next, `down` the hour since which it is down.
    """

    STATE = ("rows", "fail", "down", "spares", "restock", "taken", "failed", "mending", "mended")

    def __init__(
        self,
        each: Lives,
        ageing: Ageing,
        horizon: float,
        scale: Array,
        rng: np.random.Generator,
    ) -> None:
        self.each, self.ageing, self.horizon = each, ageing, horizon
        self.scale, self.rng = scale, rng
        self.shapes = _shapes(each, ageing).astype(np.float32)

    def run(self, first: Array, rows: Array, fail: Array) -> None:
        """Lowers `first` where a lifetime loses something before the horizon."""
        n = len(rows)
        self.rows, self.fail = rows, fail
        self.down = np.full(fail.shape, np.inf, dtype=np.float32)
        self.spares = np.full(n, self.each.spares.count if self.each.spares else 0, dtype=np.int16)
        self.restock = np.full(n, np.inf, dtype=np.float32)
        self.taken = self._others(n)
        self.failed = np.zeros(n, dtype=np.int16)
        self.mending = np.full(n, -1, dtype=np.int16)
        self.mended = np.full(n, np.inf, dtype=np.float32)
        while len(self.rows):
            disk = self.fail.argmin(axis=1)
            soonest = self.fail[np.arange(len(disk)), disk]
            store = np.minimum(self.taken, self.restock)
            now = np.minimum(np.minimum(soonest, self.mended), store)
            going = now <= self.horizon
            stock = going & (store <= np.minimum(soonest, self.mended))
            repair = going & ~stock & (self.mended <= soonest)
            self._repair(repair, now)
            over = self._fail(going & ~stock & ~repair, disk, now)
            if stock.any():
                by_others = self.taken <= self.restock
                self._taken(stock & by_others, now)
                self._restock(stock & ~by_others, now)
            first[self.rows[over]] = np.minimum(first[self.rows[over]], now[over])
            going &= ~over
            idle = np.flatnonzero(going & (self.mending < 0) & (self.failed > 0))
            if len(idle):
                self.mending[idle] = self.down[idle].argmin(axis=1)
                self._start(idle, now)
            if not going.all():
                keep = np.flatnonzero(going)
                for name in self.STATE:
                    setattr(self, name, getattr(self, name)[keep])

    def _others(self, count: int) -> Array:
        """Hours until another group takes a spare."""
        rate = self.each.spares.others_per_hour if self.each.spares else 0.0
        if not rate:
            return np.full(count, np.inf, dtype=np.float32)
        return self.rng.standard_exponential(count, dtype=np.float32) / np.float32(rate)

    def _taken(self, taken: Array, now: Array) -> None:
        """Another group takes a spare, where there is one, and it is bought again."""
        which = np.flatnonzero(taken)
        if not len(which):
            return
        has = which[self.spares[which] > 0]
        self.spares[has] -= 1
        self._buy(has, now)
        self.taken[which] = now[which] + self._others(len(which))

    def _buy(self, taking: Array, now: Array) -> None:
        """A spare is ordered for those that took one and wait for none yet."""
        assert self.each.spares is not None
        fresh = taking[~np.isfinite(self.restock[taking])]
        hours = self.each.spares.restock_hours
        self.restock[fresh] = now[fresh] + self._delivered(hours, len(fresh))

    def _restock(self, stock: Array, now: Array) -> None:
        if self.each.spares is None or not stock.any():
            return
        self.spares[stock] += 1
        more = stock & (self.spares < self.each.spares.count)
        self.restock[stock] = np.inf
        self.restock[more] = now[more] + self._delivered(
            self.each.spares.restock_hours, int(more.sum())
        )

    def _repair(self, repair: Array, now: Array) -> None:
        """Puts new disks in."""
        which = np.flatnonzero(repair)
        back = self.mending[which]
        self.fail[which, back] = now[which] + self._new_life(back)
        self.down[which, back] = np.inf
        self.failed[which] -= 1
        self.mending[which] = -1
        self.mended[which] = np.inf

    def _fail(self, failure: Array, disk: Array, now: Array) -> Array:
        """Takes disks out; where that is one too many it is over."""
        which = np.flatnonzero(failure)
        gone = disk[which]
        self.fail[which, gone] = np.inf
        self.down[which, gone] = now[which]
        self.failed[which] += 1
        return failure & (self.failed > self.each.outlives)

    def _start(self, idle: Array, now: Array) -> None:
        """Begins a repair: with a spare where there is one, which is then bought again."""
        supply = self.each.spares
        if supply is None:
            self.mended[idle] = now[idle] + self._delivered(self.each.repair_hours, len(idle))
            return
        has = self.spares[idle] > 0
        taking, waiting = idle[has], idle[~has]
        # A spare at hand waits for no delivery.
        self.mended[taking] = now[taking] + self._length(supply.repair_hours, len(taking))
        self.mended[waiting] = now[waiting] + self._delivered(self.each.repair_hours, len(waiting))
        self.spares[taking] -= 1
        self._buy(taking, now)

    def _length(self, hours: float, count: int) -> Array | float:
        if self.ageing.random_repairs:
            return self.rng.standard_exponential(count, dtype=np.float32) * np.float32(hours)
        return hours

    def _delivered(self, hours: float, count: int) -> Array | float:
        """A length with an order in it, which now and then comes late."""
        length = self._length(hours, count)
        if self.ageing.late_odds:
            late = self.rng.random(count, dtype=np.float32) < self.ageing.late_odds
            length = length + late * np.float32(self.ageing.late_hours)
        return length

    def _new_life(self, disks: Array) -> Array:
        """Hours that new disks in these places live."""
        ageing = self.ageing
        luck = self.rng.standard_exponential(len(disks), dtype=np.float32)
        if ageing.bad_batch_odds:
            bad = self.rng.random(len(disks), dtype=np.float32) < ageing.bad_batch_odds
            luck /= np.where(bad, ageing.bad_batch_factor, 1.0).astype(np.float32) * np.float32(
                ageing.good_share
            )
        return self.scale[disks] * (luck ** (1 / self.shapes[disks]))
