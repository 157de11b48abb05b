"""Disk lifetimes by Monte Carlo: wear, age and bad batches, where the chain has only one rate.

A disk's time to failure follows Weibull with the plan's shape, scaled so that a new disk fails as
often within five years as its yearly rate says. A disk that has run already fails given that it
has come this far. Disks of one batch share their luck: a share of batches is bad and fails a
factor more often, the others less, so that the mean stays. Repairs take their time one after
another; with no redundancy left the last rebuild may meet an unreadable sector. With shape 1, no
bad batches and repairs of random length (exponential) this is the Markov chain of `odds`.
Source: Weibull lifetimes are common practice; the interval is Clopper and Pearson 1934.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.stats import beta

from kavrel.core.pools.odds import HOURS_PER_YEAR, Spares

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
    read_error: float
    spares: Spares | None = None


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
    tell: Callable[[int], bool] = lambda done: True,
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
        if not tell(done):
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


def _scales(rates: Array, shape: float) -> Array:
    """Weibull scale in hours: as many failures within five years as the constant rate gives."""
    span = SCALE_YEARS * HOURS_PER_YEAR
    return span / (rates * span) ** (1 / shape)


def _lose(
    first: Array,
    each: Lives,
    ageing: Ageing,
    horizon: float,
    bad: Array | None,
    rng: np.random.Generator,
) -> None:
    """Lowers `first` to the hour at which this set loses something, where it does."""
    shape = ageing.shape
    width = len(each.fail_per_hour)
    scale = _scales(np.asarray(each.fail_per_hour), shape).astype(np.float32)
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
    times = scale * (luck + come) ** (1 / shape) - age if shape != 1 else luck * scale
    if each.outlives == 0:
        first[eventful] = np.minimum(first[eventful], times.min(axis=1))
        return
    _Repairs(each, ageing, horizon, scale, rng).run(first, eventful, times.astype(np.float32))


class _Repairs:
    """Goes through failures and repairs of many lifetimes at once, an event of each at a time.

    Every array has one entry a lifetime that is still going: `rows` are places in `first`,
    `fail` the hour at which each disk fails next, `down` the hour since which it is down.
    """

    STATE = ("rows", "fail", "down", "spares", "restock", "failed", "mending", "mended")

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

    def run(self, first: Array, rows: Array, fail: Array) -> None:
        """Lowers `first` where a lifetime loses something before the horizon."""
        n = len(rows)
        self.rows, self.fail = rows, fail
        self.down = np.full(fail.shape, np.inf, dtype=np.float32)
        self.spares = np.full(n, self.each.spares.count if self.each.spares else 0, dtype=np.int16)
        self.restock = np.full(n, np.inf, dtype=np.float32)
        self.failed = np.zeros(n, dtype=np.int16)
        self.mending = np.full(n, -1, dtype=np.int16)
        self.mended = np.full(n, np.inf, dtype=np.float32)
        while len(self.rows):
            disk = self.fail.argmin(axis=1)
            soonest = self.fail[np.arange(len(disk)), disk]
            others = np.minimum(self.mended, self.restock)
            now = np.minimum(soonest, others)
            going = now <= self.horizon
            stock = going & (self.restock <= np.minimum(soonest, self.mended))
            repair = going & ~stock & (self.mended <= soonest)
            over = self._repair(repair, now) | self._fail(going & ~stock & ~repair, disk, now)
            if stock.any():
                self._restock(stock, now)
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

    def _restock(self, stock: Array, now: Array) -> None:
        assert self.each.spares is not None
        self.spares[stock] += 1
        more = stock & (self.spares < self.each.spares.count)
        self.restock[stock] = np.inf
        self.restock[more] = now[more] + self._length(
            self.each.spares.restock_hours, int(more.sum())
        )

    def _repair(self, repair: Array, now: Array) -> Array:
        """Puts new disks in; where the last rebuild met an unreadable sector it is over."""
        met = np.zeros(len(repair), dtype=bool)
        if self.each.read_error:
            last = repair & (self.failed == self.each.outlives)
            met = last & (self.rng.random(len(repair), dtype=np.float32) < self.each.read_error)
        which = np.flatnonzero(repair & ~met)
        back = self.mending[which]
        self.fail[which, back] = now[which] + self._new_life(back)
        self.down[which, back] = np.inf
        self.failed[which] -= 1
        self.mending[which] = -1
        self.mended[which] = np.inf
        return met

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
            self.mended[idle] = now[idle] + self._length(self.each.repair_hours, len(idle))
            return
        has = self.spares[idle] > 0
        taking, waiting = idle[has], idle[~has]
        self.mended[taking] = now[taking] + self._length(supply.repair_hours, len(taking))
        self.mended[waiting] = now[waiting] + self._length(self.each.repair_hours, len(waiting))
        self.spares[taking] -= 1
        fresh = taking[~np.isfinite(self.restock[taking])]
        self.restock[fresh] = now[fresh] + self._length(supply.restock_hours, len(fresh))

    def _length(self, hours: float, count: int) -> Array | float:
        length: Array | float = hours
        if self.ageing.random_repairs:
            length = self.rng.standard_exponential(count, dtype=np.float32) * np.float32(hours)
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
        return self.scale[disks] * (luck ** np.float32(1 / ageing.shape))
