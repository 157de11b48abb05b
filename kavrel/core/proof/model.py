"""The plan as the lifetimes see it: what carries what, how often it is lost, which copies help."""

import math
from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

from kavrel.core.copies.book import Copy, CopyBook
from kavrel.core.copies.carrier import heard_days
from kavrel.core.copies.keys import key_of
from kavrel.core.copies.space import stored_on
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Dataset, Job
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.loss import HORIZON_YEARS, Risk, damage_of, risks
from kavrel.core.pools.outlook import ageing_of, lives_of
from kavrel.core.pools.pool import pool_conditions, pool_groups
from kavrel.core.pools.taken import Stored
from kavrel.core.proof.hazards import HAZARDS, hazards_of
from kavrel.core.proof.hazards.hazard import Scene, Strike
from kavrel.core.proof.lifetimes import (
    Carrier,
    LabCopy,
    LabDataset,
    LabJob,
    LabModel,
    Strikes,
)
from kavrel.core.quantities import DAY, YEAR_DAYS
from kavrel.core.shares.access import Access

HOURS = 24 * YEAR_DAYS
DELAYS = tuple(map(float, (0, 0.5, 1, 2, 4, 7, 10, 14, 21, 28, 35, 45, 60, 90, 120, 180, 365, 730)))
SHARE_STEP, DELAY_STEP, MOST_DELAYS = 0.05, 0.25, 60
CARRIERS = {
    "fire": "fire or flood",
    "theft": "theft",
    "box": "box or controller",
    "disks": "disks of the pool",
    "rebuild": "a file damaged in a rebuild",
    "account": "account closed",
}


def cause_title(cause: str) -> str:
    """What a cause is called: a carrier that dies, or a hazard that strikes of itself."""
    return CARRIERS[cause] if cause in CARRIERS else HAZARDS[cause].title


def delays_of(book: CopyBook, job: Job) -> dict[float, tuple[float, float]]:
    """Days of notice to the days of work then lost on average, and the share in which all is.

    Where the share changes between two delays, more are looked at in between, down to a quarter of
    a day: that is where the last point from before the damage goes.
    """
    delays: dict[float, tuple[float, float]] = {}

    def look(days: float) -> tuple[float, float]:
        if days not in delays:
            loss = book.losses(job, days)
            if loss is None or loss.never == 1:
                delays[days] = (0.0, 1.0)
            else:
                delays[days] = (loss.mean / DAY, loss.never)
        return delays[days]

    waiting = list(pairwise(DELAYS))
    while waiting:
        low, high = waiting.pop()
        apart = abs(look(low)[1] - look(high)[1])
        if apart > SHARE_STEP and high - low > DELAY_STEP and len(delays) < MOST_DELAYS:
            middle = (low + high) / 2
            waiting += [(low, middle), (middle, high)]
    ordered = dict(sorted(delays.items()))
    # Where all is lost the mean of what is left says nothing: it goes on as it was.
    mean = 0.0
    for days, (here, never) in ordered.items():
        mean = here if never < 1 else mean
        ordered[days] = (mean, never)
    return ordered


def lab_model(index: Index, book: CopyBook, matrix: Sequence[Access]) -> LabModel:
    """Rates from the assumptions, everything else from the plan."""
    return _Builder(index, book, matrix).build()


class _Builder:
    def __init__(self, index: Index, book: CopyBook, matrix: Sequence[Access]) -> None:
        self.index, self.book = index, book
        self.scene = Scene(index, book, tuple(matrix))
        self.known = index.assumptions
        self.risks: dict[str, list[Risk]] = {}
        self.carriers: list[Carrier] = []
        self.place: dict[str, int] = {}
        stores, states = stored_on(book), book.states
        self.fills = {i: min(s.fill(stores.get(i, Stored())), 1.0) for i, s in states.items()}
        self.job_numbers = {j.id: n for n, j in enumerate(index.plan.jobs)}

    def build(self) -> LabModel:
        """Carriers first: copies and datasets name them by number."""
        index, known = self.index, self.known
        gone = known["order_box_hours"] / HOURS
        for site in index.plan.sites:
            self._add(f"site {site.id}", "fire", known["fire_rate"], gone)
            if any(d.shelf == site.id for d in index.plan.disks):
                self._add(f"shelf {site.id}", "theft", known["theft_rate"], gone)
        for host in index.plan.hosts:
            self._add(f"box {host.id}", "box", known["box_rate"], gone)
            self._add(f"theft {host.id}", "theft", known["theft_rate"], gone)
        batches: dict[str, int] = {}
        late = replace(
            ageing_of(index),
            late_odds=known["late_replacement_odds"],
            late_hours=known["late_replacement_days"] * 24,
        )
        for pool in index.plan.pools:
            family, groups = FAMILIES[pool.family], pool_groups(index, pool, self.book.as_of)
            conditions = pool_conditions(index, pool, self.fills[pool.id])
            sets = lives_of(family, groups, pool.filesystem, conditions, batches, late)
            self.risks[pool.id] = risks(family, groups, pool.filesystem, conditions)
            self._add(f"pool {pool.id}", "disks", 0.0, gone)
            self.carriers[-1] = replace(self.carriers[-1], disks=tuple(sets))
        for bucket in index.plan.buckets:
            self._add(
                f"bucket {bucket.id}", "account", known["account_closed_rate"], 30 / YEAR_DAYS
            )
        datasets = tuple(self._dataset(d) for d in index.plan.datasets)
        jobs = tuple(self._job(j) for j in index.plan.jobs)
        return LabModel(tuple(self.carriers), jobs, datasets, late)

    def _add(self, key: str, cause: str, rate: float, gone: float) -> None:
        self.place[key] = len(self.carriers)
        self.carriers.append(
            Carrier(
                key,
                cause,
                rate,
                gone,
                self.known["late_replacement_odds"],
                self.known["late_replacement_days"] / YEAR_DAYS,
            )
        )

    def _on(self, *keys: str) -> tuple[int, ...]:
        return tuple(self.place[k] for k in keys if k in self.place)

    def _pool_carriers(self, pool: str) -> tuple[int, ...]:
        host = self.index.pools[pool].host
        site = self.index.hosts[host].site
        return self._on(f"site {site}", f"box {host}", f"theft {host}", f"pool {pool}")

    def _copy_carriers(self, copy: Copy) -> tuple[int, ...]:
        place = copy.place
        if place.pool:
            return self._pool_carriers(place.pool)
        if place.bucket:
            return self._on(f"bucket {place.bucket}", f"site {place.site(self.index)}")
        site = place.site(self.index)
        return self._on(f"site {site}", f"shelf {site}")

    def _job(self, job: Job) -> LabJob:
        kind = KINDS[job.kind]
        fails = kind.copies and not kind.by_hand
        heard = heard_days(self.index, job)
        alarm = heard / YEAR_DAYS if heard is not None else None
        days = self.known["silent_found_days"]
        rate = self.known["silent_failure_rate"] if fails else 0.0
        # Snapshots are looked at by nobody, but they fail with the pool, not by themselves.
        return LabJob(job.id, 0.0 if kind.in_place else rate, alarm, days / YEAR_DAYS)

    def _chain(self, job: Job) -> tuple[int, ...]:
        numbers = [self.job_numbers[job.id]]
        while job.reads_from:
            job = self.index.jobs[job.reads_from]
            numbers.append(self.job_numbers[job.id])
        return tuple(numbers)

    def _copy(self, copy: Copy, strikes: dict[str, Strike]) -> LabCopy | None:
        known, job = self.known, copy.job
        age = self.book.ages(job)
        if age is None:
            return None
        table = delays_of(self.book, job)
        useless = {cause for cause, s in strikes.items() if s.lost_copy(copy)}
        bad = known["tested_bad_share" if self.scene.tried(copy) else "untested_bad_share"]
        key, lost = key_of(self.index, job, copy.dataset.id), 0.0
        if key:
            lost = known["key_lost_rate"] if key.in_one_place else 0.0
            useless |= {"fire"} if key.burns_at(key.home) else set()
            useless |= {"box", "theft"} if key.in_box_alone else set()
        return LabCopy(
            job.id,
            self._copy_carriers(copy),
            self._chain(job),
            age.best / DAY,
            age.worst / DAY,
            tuple(table),
            tuple(mean for mean, _ in table.values()),
            tuple(never for _, never in table.values()),
            frozenset(useless),
            0.0 if KINDS[job.kind].in_place else bad,
            lost,
        )

    def _dataset(self, dataset: Dataset) -> LabDataset:
        index, known, scene = self.index, self.known, self.scene
        told, strikes = [], {}
        for hazard in hazards_of(index):
            strike = hazard.strike(scene, dataset)
            lived = hazard.lived(scene, dataset, strike)
            if lived is None:
                continue
            strikes[hazard.id] = strike
            common = hazard.id if lived.together else None
            told.append(
                Strikes(
                    hazard.id, lived.a_year, lived.notice_days, lived.share, lived.spread, common
                )
            )
        pool = index.pools[dataset.pool]
        in_rebuild = damage_of(self.risks[pool.id], HORIZON_YEARS)
        if in_rebuild:
            rate = -math.log1p(-in_rebuild) / HORIZON_YEARS
            one_file = min(dataset.file_bytes / max(dataset.size_bytes, 1), 1.0)
            told.append(Strikes("rebuild", rate, 0.0, one_file))
        copies = [self._copy(c, strikes) for c in self.book.copies[dataset.id]]
        hours = known["order_box_hours"] + dataset.size_bytes / 1e8 / 3600
        worth = known[f"{dataset.worth}_money"]
        fetch = not self.index.lost_for_good(dataset)
        return LabDataset(
            id=dataset.id,
            carriers=self._pool_carriers(dataset.pool),
            copies=tuple(c for c in copies if c),
            strikes=tuple(told),
            back_years=hours / HOURS,
            worth_money=worth,
            day_money=0.0 if fetch else min(known["work_day_money"], worth),
        )
