"""Lifetimes of the lab: against closed forms where they exist, and what changes are worth."""

import math
from typing import Any

import numpy as np
import pytest
from scipy.integrate import quad

from kavrel.core.index import Index
from kavrel.core.plan import Offer, Plan, Retention, Site
from kavrel.core.pools.lifetimes import Ageing, interval
from kavrel.core.pools.pool import pool_states
from kavrel.core.proof.changes import candidates
from kavrel.core.proof.lab import lab_lives
from kavrel.core.proof.lifetimes import (
    Carrier,
    LabCopy,
    LabDataset,
    LabJob,
    LabModel,
    Strikes,
    live,
)
from kavrel.core.week.nights import scheduled_book
from tests.builders import TODAY, assume, job, lab

RUNS = 60_000
YEARS = 5.0
QUIET = {
    "bad_odds": 0.0,
    "delays": (0.0, 1000.0),
    "losses": (1.0, 1.0),
    "never": (0.0, 0.0),
    "useless": frozenset(),
}


def copy(**more: Any) -> LabCopy:
    fields: dict[str, Any] = {
        "id": "c",
        "carriers": (1,),
        "jobs": (),
        "best": 0.0,
        "worst": 1.0,
        **QUIET,
        **more,
    }
    return LabCopy(**fields)


def dataset(*copies: LabCopy, strikes: tuple[Strikes, ...] = (), back: float = 0.0) -> LabDataset:
    return LabDataset("d", (0,), copies, strikes, back, 1000.0, 10.0)


def lived(
    *datasets: LabDataset,
    carriers: tuple[Carrier, ...] = (
        Carrier("home", "fire", 0.05, 0.02),
        Carrier("away", "fire", 0.0, 0.02),
    ),
    jobs: tuple[LabJob, ...] = (),
) -> Any:
    done, tallies = live(LabModel(carriers, jobs, datasets, Ageing()), YEARS, RUNS, 11)
    assert done == RUNS
    return tallies[0]


def close(share: float, expected: float) -> None:
    """Within four standard errors of a share."""
    error = math.sqrt(max(expected * (1 - expected), 1e-6) / RUNS)
    assert abs(share - expected) < 4 * error


def test_without_a_copy_the_first_fire_takes_it() -> None:
    # Poisson: 1 - exp(-rate x years).
    close(lived(dataset()).life_lost.mean(), 1 - math.exp(-0.05 * YEARS))


def test_a_copy_that_is_never_any_good_is_none() -> None:
    close(lived(dataset(copy(bad_odds=1.0))).life_lost.mean(), 1 - math.exp(-0.05 * YEARS))


def test_a_copy_that_is_bad_one_time_in_five() -> None:
    found = lived(dataset(copy(bad_odds=0.2)))
    close(found.life_lost.mean(), 0.2 * (1 - math.exp(-0.05 * YEARS)))


def test_both_sites_must_burn_within_the_time_that_one_is_gone() -> None:
    both = (Carrier("home", "fire", 0.1, 0.2), Carrier("away", "fire", 0.1, 0.2))
    found = lived(dataset(copy(), back=0.2), carriers=both)

    # A fire at home finds the copy gone, or loses it before the restore is done: a fire at the other
    # site within 0.2 years before or after it, as far as that lies in the five years.
    def lost_at(t: float) -> float:
        window = min(t, 0.2) + min(YEARS - t, 0.2)
        return 0.1 * (1 - math.exp(-0.1 * window))

    expected, _ = quad(lost_at, 0, YEARS, points=(0.2, YEARS - 0.2))
    assert found.life_lost.mean() == pytest.approx(1 - math.exp(-expected), rel=0.12)


def test_work_lost_is_the_age_of_the_copy_on_average() -> None:
    found = lived(dataset(copy(best=0.5, worst=2.5)))
    assert found.life_days.mean() == pytest.approx(0.05 * YEARS * 1.5, rel=0.03)


def test_a_job_that_fails_unnoticed_makes_the_copy_older() -> None:
    # Failing once in two years for half a year without an alarm, or a week with one.
    def days(alarm: float | None) -> float:
        silent = LabJob("j", 0.5, alarm, 0.5)
        found = lived(dataset(copy(jobs=(0,), worst=0.0)), jobs=(silent,))
        return float(found.life_days.mean())

    assert days(7 / 365.25) < 0.03 * days(None)

    # The last start before a fire at t lies a back with density r exp(-r a), and goes on with
    # exp(-a / m): the age lost is r a exp(-(r + 1 / m) a), over a from 0 to t and t over five years.
    k = 0.5 + 1 / 0.5

    def age(t: float) -> float:
        return float(0.5 * (1 - (1 + k * t) * math.exp(-k * t)) / k**2)

    mean, _ = quad(age, 0, YEARS)
    assert days(None) == pytest.approx(0.05 * mean * 365.25, rel=0.06)


def test_a_deletion_noticed_later_than_the_points_reach_is_a_loss() -> None:
    strikes = (Strikes("deleted", 0.4, 30.0, 0.05, spread=True),)
    found = lived(
        dataset(copy(delays=(0.0, 28.0), losses=(1.0, 1.0), never=(0.0, 0.0)), strikes=strikes),
        carriers=(Carrier("home", "fire", 0.0, 0.0), Carrier("away", "fire", 0.0, 0.0)),
    )
    # Exponential notice of mean 30 days: later than 28 with exp(-28/30).
    close(found.life_part.mean(), 1 - math.exp(-0.4 * YEARS * math.exp(-28 / 30)))
    assert not found.life_lost.any()  # a part, never all of it


def test_a_key_that_is_lost_makes_the_copy_useless() -> None:
    found = lived(dataset(copy(key_rate=1000.0)))
    close(found.life_lost.mean(), 1 - math.exp(-0.05 * YEARS))


def test_the_same_seed_gives_the_same_and_one_difference_leaves_the_rest_alone() -> None:
    first, again = lived(dataset(copy(bad_odds=0.2))), lived(dataset(copy(bad_odds=0.2)))
    assert np.array_equal(first.life_days, again.life_days)
    better = lived(dataset(copy(bad_odds=0.1)))
    assert not (better.life_lost & ~first.life_lost).any()  # nobody who was safe is now lost


def test_the_interval_holds_what_was_counted() -> None:
    low, high = interval(0, 1000)
    assert low == 0
    assert high == pytest.approx(1 - 0.025 ** (1 / 1000), rel=1e-6)  # the exact upper bound
    low, high = interval(500, 1000)
    assert low < 0.5 < high


FAR = {"kind": "replication", "target_pool": "second"}


def test_a_lab_with_copies_loses_less_and_says_what_to_do_first() -> None:
    bare, copied = lab(), lab(jobs=(job("r", credentials="target", **FAR),))
    worse, better = (lab_lives(p, TODAY, 5, 4000) for p in (bare, copied))
    assert worse.any_odds > 5 * better.any_odds
    assert worse.money > better.money
    first = worse.changes[0]
    assert first.avoided > 0
    # An hour's work each: what costs no money and less work comes first.
    assert first.what == "daily snapshots of files"
    assert {c.what for c in worse.changes} >= {
        "a nightly backup of files to second, pulled from there"
    }
    # Both figures can be checked by hand.
    stands, changed = (w.value for w in first.working.inputs[:2])
    assert changed == first.loses
    assert stands == pytest.approx(first.loses + first.avoided)
    (files,) = worse.datasets
    lost, lived = (w.value for w in files.working.inputs[:2])
    assert isinstance(lost, int)
    assert (lived, files.working.value) == (4000, lost / 4000)
    assert any("fire" in w.name for w in files.working.inputs)
    by_hour = [c.per_hour for c in worse.changes]
    assert by_hour == sorted(by_hour, reverse=True)
    assert {i.assumption for i in worse.working.inputs if i.assumption} >= {
        "fire_rate",
        "theft_rate",
    }


def test_stopping_gives_what_was_lived_so_far() -> None:
    found = lab_lives(lab(), TODAY, 5, 60_000, lambda share, word: False)
    assert found.lifetimes == 20_000
    assert found.changes == ()


def proposals(plan: Plan) -> set[str]:
    index = Index(plan)
    book = scheduled_book(index, pool_states(index), TODAY)
    found = candidates(index, book, TODAY)
    for option in found:
        assert option.hours > 0
        assert option.money_minor >= 0
        assert option.plan != plan
    return {c.what for c in found}


def test_changes_are_proposed_where_they_are_missing_only() -> None:
    bare = proposals(lab())
    assert any(w.startswith("a nightly backup of files") for w in bare)
    assert any(w.startswith("daily snapshots") for w in bare)
    pushed = proposals(lab(jobs=(job("r", **FAR), job("s"))))
    assert any("let far pull" in w for w in pushed)
    assert any("alarm" in w for w in pushed)
    assert not any("snapshots of" in w for w in pushed)
    full = lab(
        jobs=(
            job("s", retention=Retention(daily=30, monthly=12)),
            job(
                "r",
                credentials="target",
                alarm_days=2.0,
                retention=Retention(daily=30, monthly=12),
                **FAR,
            ),
        ),
    )
    assert not any("pull" in w or "alarm" in w or "monthly" in w for w in proposals(full))


def test_a_key_in_the_box_alone_is_proposed_to_be_kept_elsewhere() -> None:
    plan = lab(jobs=(job("b", kind="backup", target_pool="second", encrypted=True),))
    # Never where the ciphertext lies: whoever has that place could open it.
    assert any("keep the key of b at home too" in w for w in proposals(plan))
    aunt = Site(id="aunt", name="aunt's flat")
    three = plan.model_copy(update={"sites": (*plan.sites, aunt)})
    assert any("keep the key of b at aunt's flat too" in w for w in proposals(three))
    assert not any("at away too" in w for w in proposals(three))


def test_a_lab_with_one_site_is_told_of_a_second_copy_there() -> None:
    offer = Offer(id="o", label="a disk", capacity_bytes=8 * 10**12, price_minor=15_000)
    alone = lab(
        sites=lab().sites[:1],
        links=(),
        hosts=lab().hosts[:1],
        disks=tuple(d for d in lab().disks if d.host != "far"),
        pools=lab().pools[:1],
        offers=(offer,),
    )
    assert any("on the shelf at home" in w for w in proposals(alone))


def test_rates_are_the_plans_own() -> None:
    calm = lab(
        assumptions=assume(fire_rate=0, theft_rate=0, box_rate=0, deletion_rate=0, malware_rate=0)
    )
    found = lab_lives(calm, TODAY, 5, 4000)
    causes = {c.cause for c in found.datasets[0].causes if c.lost_odds}
    assert causes <= {"disks"}
