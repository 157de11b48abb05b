"""A pool's odds over the years: the chain, the lifetimes beside it, and what one change buys."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import date

from pydantic import BaseModel, ConfigDict

from kavrel.core.assumptions import Assumptions
from kavrel.core.index import Index
from kavrel.core.plan import Pool
from kavrel.core.pools.facts import Conditions, DiskFacts
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.families.family import Family
from kavrel.core.pools.lifetimes import Ageing, Lives, Losses, simulate
from kavrel.core.pools.loss import Risk, damage_at_most, damage_of, odds_of, redundancy_sets, risks
from kavrel.core.pools.odds import hourly_rate
from kavrel.core.pools.pool import pool_conditions, pool_groups
from kavrel.core.progress import Tell, nobody
from kavrel.core.working import Working, step

SEED = 20_260_101
KINDS_OF_DISK = ("hdd", "ssd", "nvme")


class YearOdds(BaseModel):
    """Odds of having lost a pool by a year: the chain, and the lifetimes' 95 % interval.

    `damaged` and `damaged_at_most`: a file damaged while rebuilding, as scrubs see it and by the
    data sheets.
    """

    model_config = ConfigDict(frozen=True)

    year: float
    chain: float
    lifetimes: float
    low: float
    high: float
    damaged: float
    damaged_at_most: float


class OneChange(BaseModel):
    """One change and the odds with it: of a pool lost, and of a file damaged while rebuilding.

    `times_better` and `times_fewer` are None when nothing is left to lose.
    """

    model_config = ConfigDict(frozen=True)

    what: str
    odds: float
    avoided: float
    times_better: float | None
    damaged: float
    times_fewer: float | None
    cost_minor: int
    working: Working


class Outlook(BaseModel):
    """Odds of pools within the horizon, over the years, and what one change buys."""

    model_config = ConfigDict(frozen=True)

    pools: tuple[str, ...]
    name: str
    horizon_years: float
    odds: float
    damaged: float
    damaged_at_most: float
    lifetimes_run: int
    curve: tuple[YearOdds, ...]
    changes: tuple[OneChange, ...]
    working: Working


def ageing_of(index: Index) -> Ageing:
    """How disks age in this plan."""
    known = index.assumptions
    return Ageing(known["weibull_shape"], known["bad_batch_odds"], known["bad_batch_factor"])


def lives_of(
    family: Family,
    groups: Sequence[Sequence[DiskFacts]],
    filesystem: str,
    conditions: Conditions,
    batches: dict[str, int],
    ageing: Ageing,
) -> list[Lives]:
    """The sets of a pool for the lifetimes. `batches` numbers the batches over all pools."""
    lives = []
    for disks, risk in zip(
        redundancy_sets(family, groups), risks(family, groups, filesystem, conditions), strict=True
    ):
        lives.append(
            Lives(
                risk.outlives,
                tuple(hourly_rate(d.yearly_failure_rate) for d in disks),
                tuple(d.age_years * 8766 for d in disks),
                tuple(batches.setdefault(d.batch or f"disk {d.id}", len(batches)) for d in disks),
                risk.repair_hours,
                risk.spares,
                tuple(d.weibull_shape or ageing.shape for d in disks),
            )
        )
    return lives


def _ways_and_lives(
    index: Index, pools: Sequence[Pool], fills: Mapping[str, float], today: date | None
) -> tuple[list[Sequence[Risk]], list[Lives]]:
    """The ways in which each pool is lost, and all sets of disks for the lifetimes."""
    batches: dict[str, int] = {}
    ageing = ageing_of(index)
    ways: list[Sequence[Risk]] = []
    sets: list[Lives] = []
    for pool in pools:
        family, groups = FAMILIES[pool.family], pool_groups(index, pool, today)
        conditions = pool_conditions(index, pool, fills.get(pool.id, 1.0))
        ways.append(risks(family, groups, pool.filesystem, conditions))
        sets += lives_of(family, groups, pool.filesystem, conditions, batches, ageing)
    return ways, sets


# What both the chain and the lifetimes stand on.
ASSUMED = (
    "hdd_failure_rate",
    "weibull_shape",
    "bad_batch_odds",
    "bad_batch_factor",
    "notice_hours",
    "order_disk_hours",
    "rebuild_speed_share",
    "scrub_days",
    "latent_errors_per_year",
)


def outlook(
    index: Index,
    pools: Sequence[Pool],
    horizon_years: float,
    lifetimes: int,
    fills: Mapping[str, float],
    today: date | None = None,
    tell: Tell = nobody,
) -> Outlook:
    """The odds that any of these pools is lost within 1 to 10 years, or a file while rebuilding.

    In the lifetimes disks of one batch share their luck over all pools.
    """
    ageing = ageing_of(index)
    ways, sets = _ways_and_lives(index, pools, fills, today)
    chain = [risk for here in ways for risk in here]
    years = (*(float(y) for y in range(1, math.ceil(horizon_years))), float(horizon_years))
    losses = simulate(sets, ageing, years, lifetimes, SEED, tell)
    odds = odds_of(chain, horizon_years)
    damaged, most = damage_of(chain, horizon_years), damage_at_most(chain, horizon_years)
    changes: list[OneChange] = []
    for pool in pools:
        fill, several = fills.get(pool.id, 1.0), len(pools) > 1
        changes += _changes(index, pool, fill, chain, horizon_years, several)
    name = f"pool {pools[0].name}" if len(pools) == 1 else "a pool of the plan"
    return Outlook(
        pools=tuple(p.id for p in pools),
        name=name,
        horizon_years=horizon_years,
        odds=odds,
        damaged=damaged,
        damaged_at_most=most,
        lifetimes_run=losses.lifetimes,
        curve=tuple(_year(n, y, chain, losses) for n, y in enumerate(years)),
        changes=tuple(sorted(changes, key=lambda c: (-c.avoided, c.damaged))),
        working=step(
            f"{name} is lost within {horizon_years:g} years",
            odds,
            "odds",
            "Markov chain; beside it lifetimes with wear, age and bad batches",
            *(
                step(f"pool {pool.name}", odds_of(here, horizon_years), "odds")
                for pool, here in zip(pools, ways, strict=True)
            ),
            step(
                "a file damaged while rebuilding",
                damaged,
                "odds",
                "counted apart, by the latent errors that scrubs see",
                step("at most, by the data sheets' rates", most, "odds"),
            ),
            step("lifetimes run", losses.lifetimes),
            step("of them lost", losses.lost[-1]),
            *(index.assumptions.step(key) for key in ASSUMED),
            source="Patterson, Gibson and Katz 1988; interval of Clopper and Pearson 1934",
        ),
    )


def _year(n: int, year: float, chain: Sequence[Risk], losses: Losses) -> YearOdds:
    low, high = losses.interval(n)
    return YearOdds(
        year=year,
        chain=odds_of(chain, year),
        lifetimes=losses.lost[n] / losses.lifetimes,
        low=low,
        high=high,
        damaged=damage_of(chain, year),
        damaged_at_most=damage_at_most(chain, year),
    )


def _changes(
    index: Index,
    pool: Pool,
    fill: float,
    chain: Sequence[Risk],
    years: float,
    named: bool,
) -> list[OneChange]:
    """Each change to one pool alone, and the odds of all pools with it."""
    groups = pool_groups(index, pool)
    conditions = pool_conditions(index, pool, fill)
    tried = _OneAtATime(pool, groups, conditions, chain, years, named)
    if any(r.outlives for r in tried.own):
        tried.upkeep()
    tried.new_disks(index.assumptions)
    tried.more_redundancy()
    return tried.changes


class _OneAtATime:
    """One pool with one change after the other, all other pools as they are."""

    def __init__(
        self,
        pool: Pool,
        groups: Sequence[Sequence[DiskFacts]],
        conditions: Conditions,
        chain: Sequence[Risk],
        years: float,
        named: bool,
    ) -> None:
        self.pool, self.groups, self.conditions, self.years = pool, groups, conditions, years
        self.family = FAMILIES[pool.family]
        self.own = risks(self.family, groups, pool.filesystem, conditions)
        self.rest = list(chain)
        for risk in self.own:
            self.rest.remove(risk)
        self.now, self.hurt = odds_of(chain, years), damage_of(chain, years)
        self.disks = [d for g in groups for d in g]
        self.dearest = max(d.price_minor for d in self.disks)
        self.prefix = f"{pool.name}: " if named else ""
        self.changes: list[OneChange] = []

    def add(
        self,
        what: str,
        changed: Conditions | None = None,
        with_groups: Sequence[Sequence[DiskFacts]] | None = None,
        with_family: Family | None = None,
        cost: int = 0,
    ) -> None:
        """The odds with this change alone."""
        changed_to = [
            *self.rest,
            *risks(
                with_family or self.family,
                with_groups or self.groups,
                self.pool.filesystem,
                changed or self.conditions,
            ),
        ]
        odds, damaged = odds_of(changed_to, self.years), damage_of(changed_to, self.years)
        what = self.prefix + what
        self.changes.append(
            OneChange(
                what=what,
                odds=odds,
                avoided=self.now - odds,
                times_better=self.now / odds if odds else None,
                damaged=damaged,
                times_fewer=self.hurt / damaged if damaged else None,
                cost_minor=cost,
                working=step(
                    what,
                    odds,
                    "odds",
                    "the same chain with this one change",
                    step("as it is", self.now, "odds"),
                    step("a file damaged while rebuilding", damaged, "odds"),
                    step("that, as it is", self.hurt, "odds"),
                    step("money", cost, "money"),
                ),
            )
        )

    def upkeep(self) -> None:
        """Spares, scrubs, mail, disks that write quickly: what helps where something is redundant."""
        known = self.conditions
        if not known.shelf_spares and not known.hot_spares:
            self.add("a spare on the shelf", replace(known, shelf_spares=1), cost=self.dearest)
        if not known.hot_spares:
            self.add("a hot spare in a bay", replace(known, hot_spares=1), cost=self.dearest)
        if known.scrub_days > 31:
            self.add("a scrub every month", replace(known, scrub_days=30.0, scrubbed=True))
        if known.scrub_days < 365:
            self.add("no scrub for a year", replace(known, scrub_days=365.0))
        if known.notice_hours > 1:
            self.add("mail within the hour when a disk drops out", replace(known, notice_hours=1.0))
        if any(d.shingled for d in self.disks):
            plain = [[replace(d, shingled=False) for d in g] for g in self.groups]
            cost = sum(d.price_minor for d in self.disks if d.shingled)
            self.add("no shingled disks", with_groups=plain, cost=cost)

    def new_disks(self, known: Assumptions) -> None:
        """New ones for those that are worn."""
        worn = [d for d in self.disks if d.worn]
        if not worn:
            return
        rates = {k: known[f"{'hdd' if k == 'hdd' else 'ssd'}_failure_rate"] for k in KINDS_OF_DISK}
        fresh = [
            [replace(d, yearly_failure_rate=min(rates[d.kind], d.yearly_failure_rate)) for d in g]
            for g in self.groups
        ]
        cost = sum(max(self.dearest, d.price_minor) for d in worn)
        self.add(f"new disks for {', '.join(d.label for d in worn)}", with_groups=fresh, cost=cost)

    def more_redundancy(self) -> None:
        """One disk more in each group, of the group's largest size, all of it for redundancy."""
        more, last = self.family.stronger, len(self.groups) - 1
        if not more:
            return
        wider = [
            [*g, replace(max(g, key=lambda d: d.capacity_bytes), id=f"more{n}")]
            if not self.family.one_set or n == last
            else list(g)
            for n, g in enumerate(self.groups)
        ]
        target = FAMILIES[more]
        if target.check(wider):
            return
        each = sum(max(d.price_minor for d in g) for g in wider)
        self.add(
            "one more disk for redundancy in each group",
            with_groups=wider,
            with_family=target,
            cost=self.dearest if self.family.one_set else each,
        )
