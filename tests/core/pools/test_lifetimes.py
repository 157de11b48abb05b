"""Lifetimes by Monte Carlo: where their assumptions agree with the chain's, so do the odds."""

from dataclasses import replace

import pytest

from kavrel.core.pools.lifetimes import Ageing, Lives, simulate
from kavrel.core.pools.odds import Spares, hourly_rate, loss_odds

RATE = hourly_rate(0.2)
AS_THE_CHAIN = Ageing(random_repairs=True)
RUNS = 60_000


def lives(width: int, outlives: int, spares: Spares | None = None) -> Lives:
    return Lives(
        outlives=outlives,
        fail_per_hour=(RATE,) * width,
        age_hours=(0.0,) * width,
        batch=tuple(range(width)),
        repair_hours=600.0,
        spares=spares,
    )


@pytest.mark.parametrize(
    ("width", "outlives", "spares"),
    [
        (2, 0, None),
        (2, 1, None),
        (5, 1, None),
        (6, 2, None),
        (8, 3, None),
        (5, 1, Spares(1, 50.0, 400.0)),
        (6, 2, Spares(2, 50.0, 2000.0)),
        (5, 1, Spares(1, 50.0, 400.0, others_per_hour=RATE * 20)),
    ],
)
def test_with_one_rate_and_random_repairs_it_converges_to_the_chain(
    width: int, outlives: int, spares: Spares | None
) -> None:
    each = lives(width, outlives, spares)
    losses = simulate([each], AS_THE_CHAIN, (1.0, 5.0), RUNS, seed=11)
    for n, years in enumerate(losses.years):
        exact = loss_odds(width, outlives, RATE, 600.0, 0.0, years, spares)
        low, high = losses.interval(n, 0.999)
        assert low <= exact <= high, (years, exact, losses.lost[n] / RUNS)


def test_the_interval_narrows_with_more_lifetimes_and_holds_the_truth() -> None:
    exact = loss_odds(4, 1, RATE, 600.0, 0.0, 5.0)
    widths = []
    for runs in (2_000, 20_000, 200_000):
        losses = simulate([lives(4, 1)], AS_THE_CHAIN, (5.0,), runs, seed=3)
        low, high = losses.interval(0, 0.999)
        assert low <= exact <= high
        widths.append(high - low)
    assert widths[0] > widths[1] > widths[2]


def test_the_same_seed_gives_the_same_answer_and_another_does_not() -> None:
    def lost(seed: int) -> tuple[int, ...]:
        return simulate([lives(4, 1)], AS_THE_CHAIN, (5.0,), 5000, seed).lost

    assert lost(1) == lost(1)
    assert lost(1) != lost(2)


def test_a_bad_batch_shared_by_a_group_is_worse_than_spread_luck() -> None:
    ageing = Ageing(bad_batch_odds=0.1, bad_batch_factor=8.0)
    spread = replace(lives(4, 1), fail_per_hour=(hourly_rate(0.03),) * 4)
    shared = replace(spread, batch=(0, 0, 0, 0))
    worse = simulate([shared], ageing, (5.0,), RUNS, seed=5)
    better = simulate([spread], ageing, (5.0,), RUNS, seed=5)
    assert worse.interval(0)[0] > better.interval(0)[1]


def test_old_disks_that_wear_fail_more_than_new_ones() -> None:
    ageing = Ageing(shape=2.5)
    new = replace(lives(4, 1), fail_per_hour=(hourly_rate(0.05),) * 4)
    old = replace(new, age_hours=(5 * 8766.0,) * 4)
    assert (
        simulate([old], ageing, (5.0,), RUNS, seed=5).lost[0]
        > 2 * simulate([new], ageing, (5.0,), RUNS, seed=5).lost[0]
    )


def test_with_wear_a_new_disk_still_fails_as_often_within_five_years() -> None:
    # Weibull is scaled so that the yearly rate holds over the first five years.
    alone = replace(lives(1, 0), fail_per_hour=(hourly_rate(0.1),))
    for shape in (0.7, 1.0, 1.8, 3.0):
        losses = simulate([alone], Ageing(shape=shape), (5.0,), RUNS, seed=9)
        low, high = losses.interval(0, 0.999)
        assert low <= 1 - 0.9**5 <= high, shape


def test_it_stops_when_it_is_told_to_and_says_how_many_it_did() -> None:
    losses = simulate([lives(2, 1)], AS_THE_CHAIN, (5.0,), 500_000, 1, lambda share, word: False)
    assert 0 < losses.lifetimes < 500_000


def test_nothing_lost_still_leaves_room_for_bad_luck() -> None:
    quiet = replace(lives(2, 1), fail_per_hour=(1e-12, 1e-12))
    losses = simulate([quiet], AS_THE_CHAIN, (5.0,), 1000, 1)
    low, high = losses.interval(0)
    # The rule of three: none in n lifetimes is in keeping with up to about 3.7 / n (two-sided).
    assert low == 0
    assert high == pytest.approx(3.69 / 1000, rel=0.01)
