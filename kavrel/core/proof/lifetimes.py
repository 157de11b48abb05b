"""Lifetimes of a whole lab by Monte Carlo: disks, boxes, sites, people, malware, silent failures.

Things that carry data (carriers: a site, a box, a pool's disks, an account) are lost at random
moments and take every store on them; what is taken comes back after a while (replacement, first
copy), and until then it helps nobody. Jobs stop working unnoticed, copies turn out to be no good,
keys get lost. Whenever something strikes a dataset, the best copy that is there at that moment
decides: how much work is lost, or all of it. Strikes come as Poisson processes; disks by their own
lifetimes (`pools.lifetimes`). Everything is drawn for many lifetimes at once.
Source: common practice; the interval of a share is Clopper and Pearson 1934.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple
from zlib import crc32

import numpy as np

from kavrel.core.pools.lifetimes import Ageing, Lives, first_losses
from kavrel.core.progress import Tell, nobody
from kavrel.core.quantities import YEAR_DAYS

Array = np.ndarray[Any, Any]
CHUNK = 20_000
LATER = 1_000.0  # years: more than any lifetime, to sort by lifetime and then by time
DAY_YEARS = 1 / YEAR_DAYS  # years


@dataclass(frozen=True)
class Carrier:
    """Something that is lost as one: `rate` a year, or the disks of a pool.

    `gone_years`: until what it carried can be used again; `late_odds` of them take `late_years`
    longer.
    """

    id: str
    cause: str
    rate: float
    gone_years: float
    late_odds: float = 0.0
    late_years: float = 0.0
    disks: tuple[Lives, ...] = ()


@dataclass(frozen=True)
class LabJob:
    """A job that stops working at `failure_rate` a year, until that is found.

    By the alarm after `alarm_years`; else by chance, `found_years` on average.
    """

    id: str
    failure_rate: float
    alarm_years: float | None
    found_years: float


@dataclass(frozen=True)
class LabCopy:
    """A copy: on which carriers, made by which jobs (its own and those it reads from).

    `best` and `worst` age in days of its newest point. Where damage is seen late: by `delays` (days of
    notice) the share `never` of the moments in which nothing is left, and the days `losses` that are
    lost in the others on average; straight in between, and nothing beyond the last. `useless` are
    causes that it does not help against. `bad_odds`: it was never any good.
    """

    id: str
    carriers: tuple[int, ...]
    jobs: tuple[int, ...]
    best: float
    worst: float
    delays: tuple[float, ...]
    losses: tuple[float, ...]
    never: tuple[float, ...]
    useless: frozenset[str]
    bad_odds: float
    key_rate: float = 0.0


@dataclass(frozen=True)
class Strikes:
    """A kind of damage that is no carrier's: how often a year, noticed after how many days.

    `spread`: the notice comes after a random time with that mean. `share` of the dataset is hit.
    """

    cause: str
    rate: float
    notice_days: float
    share: float
    spread: bool = False
    common: str | None = None  # the same name: one event for several datasets


@dataclass(frozen=True)
class LabDataset:
    """A dataset: its home's carriers, its copies, what strikes it, what it is worth."""

    id: str
    carriers: tuple[int, ...]
    copies: tuple[LabCopy, ...]
    strikes: tuple[Strikes, ...]
    back_years: float  # how long the restore takes, in which the copy must last
    worth_money: float
    day_money: float


@dataclass(frozen=True)
class LabModel:
    """A lab as the lifetimes see it."""

    carriers: tuple[Carrier, ...]
    jobs: tuple[LabJob, ...]
    datasets: tuple[LabDataset, ...]
    ageing: Ageing


class Tally(NamedTuple):
    """Of one dataset: by cause, lifetimes with a loss for good and days of work lost in all.

    For every lifetime: the days lost, whether all of it went for good, whether a part did, and the
    money.
    """

    lost: dict[str, int]
    days: dict[str, float]
    life_days: Array
    life_lost: Array
    life_part: Array
    life_money: Array


def _moments(life: Array, at: Array) -> Array:
    """Moments of all lifetimes on one axis: the lifetimes follow each other, far apart."""
    return life * LATER + at


class _Times:
    """When something happened, in order of lifetime and time, and until when it went on."""

    def __init__(self, life: Array, at: Array, until: Array) -> None:
        order = np.argsort(_moments(life, at), kind="stable")
        self.life, self.at = life[order], at[order]
        self.key = _moments(self.life, self.at)
        # What goes on for ever ends with its lifetime.
        over = _moments(self.life, np.minimum(until[order], LATER - 1))
        # One more at each end: before the first, and after the last.
        self.over = np.concatenate(([-np.inf], over))
        self.since = np.concatenate(([0.0], self.at))
        self.next = np.append(self.key, np.inf)

    def place(self, moments: Array) -> Array:
        """How many happened before each of these moments, counted over all lifetimes."""
        return np.searchsorted(self.key, moments, side="left")

    def going(self, place: Array, moments: Array) -> Array:
        """Whether the last one before still goes on then."""
        return self.over[place] > moments

    def soon(self, place: Array, moments: Array, within: float) -> Array:
        """Whether the next one comes within so many years; one at the very moment is not the next."""
        coming = self.next[place]
        same = coming == moments
        if same.any():
            coming = self.next[np.minimum(place + same, len(self.key))]
        return coming < moments + within


def live(
    model: LabModel,
    years: float,
    lifetimes: int,
    seed: int,
    tell: Tell = nobody,
) -> tuple[int, list[Tally]]:
    """How many lifetimes were run, and what each dataset lost in them.

    The same seed gives the same answer, and each thing of the lab draws luck of its own by its name,
    so that two plans that differ in one thing differ by that alone. `tell` hears how many are done,
    and says whether to go on.
    """
    parts: list[list[Tally]] = []
    done = 0
    while done < lifetimes:
        count = min(CHUNK, lifetimes - done)
        parts.append(_Chunk(model, years, count, (seed, done)).run())
        done += count
        if not tell(done / lifetimes, f"{done:,} lifetimes run"):
            break
    return done, [_join([p[n] for p in parts]) for n in range(len(model.datasets))]


def _join(parts: Sequence[Tally]) -> Tally:
    lost: dict[str, int] = {}
    days: dict[str, float] = {}
    for part in parts:
        for cause, n in part.lost.items():
            lost[cause] = lost.get(cause, 0) + n
        for cause, d in part.days.items():
            days[cause] = days.get(cause, 0.0) + d
    return Tally(
        lost,
        days,
        np.concatenate([p.life_days for p in parts]),
        np.concatenate([p.life_lost for p in parts]),
        np.concatenate([p.life_part for p in parts]),
        np.concatenate([p.life_money for p in parts]),
    )


class _Chunk:
    """Many lifetimes at once."""

    def __init__(self, model: LabModel, years: float, count: int, seed: tuple[int, int]) -> None:
        self.model, self.years, self.count, self.seed = model, years, count, seed
        self.carriers = [self._carrier(c) for c in model.carriers]
        self.jobs = [self._job(j) for j in model.jobs]
        self.common: dict[str, tuple[Array, Array]] = {}
        # Events that strike several datasets are looked up once for all of them.
        self.places: dict[str, dict[_Times, Array]] = {}

    def _luck(self, name: str) -> np.random.Generator:
        return np.random.default_rng([*self.seed, crc32(name.encode())])

    def _poisson(self, rate: float, luck: np.random.Generator) -> tuple[Array, Array]:
        counts = luck.poisson(rate * self.years, self.count)
        life = np.repeat(np.arange(self.count), counts)
        return life, luck.random(len(life)) * self.years

    def _carrier(self, carrier: Carrier) -> _Times:
        luck = self._luck(f"carrier {carrier.id}")
        if carrier.disks:
            first = first_losses(carrier.disks, self.model.ageing, self.years, self.count, luck)
            life = np.flatnonzero(np.isfinite(first))
            at = first[life].astype(float)
        else:
            life, at = self._poisson(carrier.rate, luck)
        gone = np.full(len(life), carrier.gone_years)
        if carrier.late_odds:
            gone += (luck.random(len(life)) < carrier.late_odds) * carrier.late_years
        return _Times(life, at, at + gone)

    def _job(self, job: LabJob) -> _Times:
        luck = self._luck(f"job {job.id}")
        life, at = self._poisson(job.failure_rate, luck)
        unseen = luck.exponential(job.found_years, len(life))
        if job.alarm_years is not None:
            unseen = np.minimum(unseen, job.alarm_years)
        return _Times(life, at, at + unseen)

    def run(self) -> list[Tally]:
        """What each dataset lost."""
        return [self._dataset(d) for d in self.model.datasets]

    def _dataset(self, dataset: LabDataset) -> Tally:
        tally = Tally(
            {},
            {},
            np.zeros(self.count),
            np.zeros(self.count, dtype=bool),
            np.zeros(self.count, dtype=bool),
            np.zeros(self.count),
        )
        unlucky: list[tuple[Array, Array | None]] = []
        for copy in dataset.copies:
            luck = self._luck(f"copy {copy.id} of {dataset.id}")
            bad = luck.random(self.count) < copy.bad_odds
            lost = luck.standard_exponential(self.count)
            unlucky.append((bad, lost / copy.key_rate if copy.key_rate else None))
        for k in dataset.carriers:
            times = self.carriers[k]
            cause = self.model.carriers[k].cause
            places = self.places.setdefault(f"carrier {k}", {})
            self._strike(dataset, unlucky, tally, cause, times.life, times.at, places, taken=k)
        for strikes in dataset.strikes:
            luck = self._luck(f"{strikes.cause} of {dataset.id}")
            life, at = self._when(strikes, luck)
            notice = np.full(len(life), strikes.notice_days)
            if strikes.spread:
                notice = luck.exponential(strikes.notice_days, len(life))
            together = strikes.common
            places = self.places.setdefault(f"common {together}", {}) if together else {}
            self._strike(
                dataset,
                unlucky,
                tally,
                strikes.cause,
                life,
                at,
                places,
                notice=notice,
                share=strikes.share,
            )
        return tally

    def _when(self, strikes: Strikes, luck: np.random.Generator) -> tuple[Array, Array]:
        if strikes.common is None:
            return self._poisson(strikes.rate, luck)
        if strikes.common not in self.common:
            own = self._luck(f"common {strikes.common}")
            self.common[strikes.common] = self._poisson(strikes.rate, own)
        return self.common[strikes.common]

    def _strike(
        self,
        dataset: LabDataset,
        unlucky: Sequence[tuple[Array, Array | None]],
        tally: Tally,
        cause: str,
        life: Array,
        at: Array,
        places: dict[_Times, Array],
        taken: int | None = None,
        notice: Array | None = None,
        share: float = 1.0,
    ) -> None:
        """Adds what these events cost: the best copy that is there at the moment decides."""
        if not len(life):
            return

        moments = _moments(life, at)

        def place(times: _Times) -> Array:
            if times not in places:
                places[times] = times.place(moments)
            return places[times]

        least = np.full(len(life), np.inf)
        for copy, (bad, key) in zip(dataset.copies, unlucky, strict=True):
            if cause in copy.useless or (taken is not None and taken in copy.carriers):
                continue
            there = ~bad[life]
            if key is not None:
                there &= at < key[life]
            for k in copy.carriers:
                times = self.carriers[k]
                n = place(times)
                there &= ~times.going(n, moments) & ~times.soon(n, moments, dataset.back_years)
            lost = self._days(copy, len(life), notice)
            for j in copy.jobs:
                times = self.jobs[j]
                n = place(times)
                silent = times.going(n, moments)
                lost = lost + np.where(silent, (at - times.since[n]) / DAY_YEARS, 0.0)
            least = np.minimum(least, np.where(there, lost, np.inf))
        gone = np.isinf(least)
        days = np.where(gone, 0.0, least)
        (tally.life_lost if share >= 1 else tally.life_part)[life[gone]] = True
        tally.life_days[:] += np.bincount(life, days, self.count)
        money = np.where(gone, dataset.worth_money * share, days * dataset.day_money * share)
        tally.life_money[:] += np.bincount(life, money, self.count)
        tally.lost[cause] = tally.lost.get(cause, 0) + int(
            np.count_nonzero(np.bincount(life[gone], minlength=1))
        )
        tally.days[cause] = tally.days.get(cause, 0.0) + float(days.sum())

    def _days(self, copy: LabCopy, count: int, notice: Array | None) -> Array:
        """Days of work lost when this copy is used and its jobs have worked."""
        moment = self._luck(f"moment of {copy.id}").random(count)
        if notice is None:
            return np.asarray(copy.best + moment * (copy.worst - copy.best))
        never = np.interp(notice, copy.delays, copy.never, right=1.0)
        return np.where(moment < never, np.inf, np.interp(notice, copy.delays, copy.losses))
