"""The odds of the whole lab over years, by dataset and cause, and what to change first."""

from datetime import date
from itertools import repeat

import numpy as np
from pydantic import BaseModel, ConfigDict

from kavrel.core.index import Index
from kavrel.core.plan import Dataset, Plan
from kavrel.core.pools.lifetimes import interval
from kavrel.core.pools.pool import pool_states
from kavrel.core.progress import Tell, nobody
from kavrel.core.proof.changes import Candidate, candidates
from kavrel.core.proof.lifetimes import Tally, live
from kavrel.core.proof.model import cause_title, lab_model
from kavrel.core.shares.access import access_matrix
from kavrel.core.week.nights import scheduled_book
from kavrel.core.working import Working, step

SEED = 20_260_101
SOURCE = "Monte Carlo, seeded; every rate is an assumption of this plan"


class _View(BaseModel):
    model_config = ConfigDict(frozen=True)


class CauseShare(_View):
    """Of the lifetimes, the share in which this cause took something for good; days lost by it."""

    cause: str
    title: str
    lost_odds: float
    days: float


class DatasetLives(_View):
    """What one dataset loses over the years.

    `whole_odds`: all of it lost for good, with the 95 % interval; `part_odds`: a part. Days of work
    lost: on average, and in the worst tenth and hundredth of lifetimes.
    """

    dataset: str
    whole_odds: float
    low: float
    high: float
    part_odds: float
    days_mean: float
    days_p90: float
    days_p99: float
    money: float
    causes: tuple[CauseShare, ...]
    working: Working


class FirstChange(_View):
    """A change, what it costs, and the loss it avoids; per money and per hour of work."""

    what: str
    sheet: str
    money_minor: int
    hours: float
    avoided: float
    per_money: float | None
    per_hour: float
    loses: float
    working: Working


class LabLives(_View):
    """Lifetimes of the whole lab; money in whole units of the plan's currency, over all the years."""

    years: int
    lifetimes: int
    seed: int
    any_odds: float
    low: float
    high: float
    money: float
    datasets: tuple[DatasetLives, ...]
    changes: tuple[FirstChange, ...]
    working: Working


def _lived(
    plan: Plan, today: date, years: int, lifetimes: int, tell: Tell
) -> tuple[int, list[Tally]]:
    index = Index(plan)
    book = scheduled_book(index, pool_states(index), today)
    return live(lab_model(index, book, access_matrix(index, today)), years, lifetimes, SEED, tell)


def _money(tallies: list[Tally]) -> float:
    return sum(float(t.life_money.mean()) for t in tallies)


def lab_lives(
    plan: Plan,
    today: date,
    years: int,
    lifetimes: int,
    tell: Tell = nobody,
) -> LabLives:
    """Runs the plan's lifetimes, then those of each change with the same luck.

    `tell` hears the share done and a word; when it says no, what is done so far is the answer.
    """
    going = True

    def heard(share: float, word: str) -> bool:
        nonlocal going
        going = tell(0.5 * share, word)
        return going

    done, tallies = _lived(plan, today, years, lifetimes, heard)
    index = Index(plan)
    book = scheduled_book(index, pool_states(index), today)
    money = _money(tallies)
    # Changes are compared over fewer lifetimes, each with the same luck as the plan itself.
    fewer = min(done, max(lifetimes // 4, 2000))
    _, reference = _lived(plan, today, years, fewer, nobody) if going else (0, tallies)
    before = _money(reference)
    changes = []
    options = candidates(index, book, today) if going else []
    for n, option in enumerate(options):
        if not tell(0.5 + 0.5 * n / len(options), f"change {n + 1} of {len(options)}"):
            break
        _, changed = _lived(option.plan, today, years, fewer, nobody)
        changes.append(_first_change(option, before, _money(changed), index.minor_units, fewer))
    hit = _lives_that_lose(plan, tallies, done)
    low, high = interval(hit, done)
    known = index.assumptions
    worths = ("irreplaceable_money", "nuisance_money", "fetch_again_money", "work_day_money")
    return LabLives(
        years=years,
        lifetimes=done,
        seed=SEED,
        any_odds=hit / max(done, 1),
        low=low,
        high=high,
        money=money,
        datasets=tuple(map(_dataset, plan.datasets, tallies, repeat(done))),
        changes=tuple(sorted(changes, key=lambda c: -c.per_hour)),
        working=step(
            "expected loss",
            money,
            "money of the plan",
            "mean over the lifetimes of (worth x share lost for good + days lost x worth of a day)",
            step("lifetimes", done),
            step("years each", years, "years"),
            *(known.step(k) for k in worths),
            *(known.step(k) for k in RATES),
            source=SOURCE,
        ),
    )


def _lives_that_lose(plan: Plan, tallies: list[Tally], done: int) -> int:
    """Lifetimes in which something irreplaceable is lost for good."""
    anything = np.zeros(done, dtype=bool)
    for tally, dataset in zip(tallies, plan.datasets, strict=True):
        if dataset.worth == "irreplaceable":
            anything |= tally.life_lost
    return int(anything.sum())


def _first_change(
    option: Candidate, before: float, loses: float, minor_units: int, lifetimes: int
) -> FirstChange:
    avoided = before - loses
    spent = option.money_minor / minor_units
    return FirstChange(
        what=option.what,
        sheet=option.sheet,
        money_minor=option.money_minor,
        hours=option.hours,
        avoided=avoided,
        per_money=avoided / spent if spent else None,
        per_hour=avoided / option.hours,
        loses=loses,
        working=step(
            f"loss avoided: {option.what}",
            avoided,
            "currency",
            "expected loss as it stands - expected loss with the change, lived through with the same luck",
            step("as it stands", before, "currency"),
            step("with the change", loses, "currency"),
            step("lifetimes of each", lifetimes, "", "fewer than for the plan itself"),
            step("what it costs", option.money_minor, "money"),
            step("work to do it", option.hours, "h", "common practice, no source"),
            source=SOURCE,
        ),
    )


RATES = (
    "fire_rate",
    "theft_rate",
    "box_rate",
    "deletion_rate",
    "malware_rate",
    "malware_credentials_share",
    "corruption_rate",
    "power_cut_rate",
    "power_cut_spoils",
    "silent_failure_rate",
    "silent_found_days",
    "untested_bad_share",
    "tested_bad_share",
    "key_lost_rate",
    "account_closed_rate",
    "late_replacement_odds",
    "late_replacement_days",
)


def _dataset(dataset: Dataset, tally: Tally, done: int) -> DatasetLives:
    lost = int(tally.life_lost.sum())
    low, high = interval(lost, done)
    causes = [
        CauseShare(
            cause=c,
            title=cause_title(c),
            lost_odds=n / max(done, 1),
            days=tally.days[c] / max(done, 1),
        )
        for c, n in tally.lost.items()
    ]
    causes.sort(key=lambda c: (-c.lost_odds, -c.days))
    part, mean = float(tally.life_part.mean()), float(tally.life_days.mean())
    return DatasetLives(
        dataset=dataset.id,
        whole_odds=lost / max(done, 1),
        low=low,
        high=high,
        part_odds=part,
        days_mean=mean,
        days_p90=float(np.quantile(tally.life_days, 0.9)),
        days_p99=float(np.quantile(tally.life_days, 0.99)),
        money=float(tally.life_money.mean()),
        causes=tuple(causes),
        working=step(
            f"all of {dataset.name} is lost for good",
            lost / max(done, 1),
            "odds",
            "lifetimes in which it is / all of them; several causes may take it in one lifetime",
            step("lifetimes in which it is lost", lost),
            step("lifetimes", done),
            step("95 % interval, from", low, "odds", "by the beta distribution"),
            step("to", high, "odds"),
            step("a part of it is lost for good", part, "odds"),
            step("days of work lost", mean, "days", "the mean over all lifetimes"),
            *(_cause(c) for c in causes if c.lost_odds or c.days),
            source=f"{SOURCE}; interval of Clopper and Pearson (1934)",
        ),
    )


def _cause(cause: CauseShare) -> Working:
    days = step("days of work lost by it", cause.days, "days", "the mean over all lifetimes")
    return step(f"all or a part lost by: {cause.title}", cause.lost_odds, "odds", "", days)
