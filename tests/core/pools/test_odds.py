import math
import random

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy.linalg import expm, solve

from kavrel.core.pools.chain import reached
from kavrel.core.pools.odds import (
    HOURS_PER_YEAR,
    Spares,
    _generator,
    ends,
    hourly_rate,
    loss_odds,
    mean_hours_to_loss,
    read_error_odds,
)

RATE = hourly_rate(0.014)


def test_rate_gives_the_yearly_share_back() -> None:
    assert 1 - math.exp(-RATE * HOURS_PER_YEAR) == pytest.approx(0.014)


@pytest.mark.parametrize("width", [1, 2, 6])
def test_without_redundancy_it_is_the_odds_of_any_disk(width: int) -> None:
    assert loss_odds(width, 0, RATE, 72, 0, 5) == pytest.approx(1 - (1 - 0.014) ** (5 * width))


@given(
    width=st.integers(3, 12),
    outlives=st.integers(1, 2),
    repair=st.floats(1, 500),
    error=st.floats(0, 1),
)
@settings(max_examples=50, deadline=None)
def test_worse_conditions_never_help(
    width: int, outlives: int, repair: float, error: float
) -> None:
    here = loss_odds(width, outlives, RATE, repair, error, 5)
    assert 0 <= here <= 1
    slack = 1e-12
    # A longer repair also puts off the read error at its end, by weeks in five years.
    assert loss_odds(width, outlives, RATE, repair * 2, error, 5) >= here * 0.95 - slack
    assert loss_odds(width, outlives, RATE * 2, repair, error, 5) >= here - slack
    assert loss_odds(width, outlives, RATE, repair, error, 10) >= here - slack
    assert loss_odds(width, outlives + 1, RATE, repair, error, 5) <= here + slack
    assert loss_odds(width + 1, outlives, RATE, repair, error, 5) >= here - slack


def test_two_disk_mirror_has_its_closed_form() -> None:
    # MTTDL of a pair: (3 L + M) / (2 L^2), textbook result of the two-state chain.
    fail, repair = 1e-4, 24.0
    closed = (3 * fail + 1 / repair) / (2 * fail**2)
    assert mean_hours_to_loss(2, 1, fail, repair) == pytest.approx(closed)


def test_chain_agrees_with_simulated_lifetimes() -> None:
    # The same chain walked at random; fixed seed, three standard errors.
    seed, runs, years = random.Random(7), 4000, 5.0
    width, fail, repair, error = 4, hourly_rate(0.3), 400.0, 0.2
    lost = 0
    for _ in range(runs):
        clock, failed = 0.0, 0
        while True:
            out = (width - failed) * fail
            back = 1 / repair if failed else 0.0
            clock += seed.expovariate(out + back)
            if clock > years * HOURS_PER_YEAR:
                break
            if seed.random() < out / (out + back):
                failed += 1
            elif failed == 1 and seed.random() < error:
                failed = 2
            else:
                failed -= 1
            if failed == 2:
                lost += 1
                break
    exact = loss_odds(width, 1, fail, repair, error, years)
    spread = 3 * math.sqrt(exact * (1 - exact) / runs)
    assert lost / runs == pytest.approx(exact, abs=spread)


def test_read_errors_of_the_ten_to_the_fourteen_class() -> None:
    assert read_error_odds(12_500_000_000_000, 1e14) == pytest.approx(1 - math.exp(-1), rel=1e-6)
    assert read_error_odds(0, 1e14) == 0


@given(
    width=st.integers(2, 14),
    outlives=st.integers(1, 3),
    fail=st.floats(1e-8, 1e-2),
    repair=st.floats(0.5, 2000),
    error=st.floats(0, 1),
    years=st.floats(0.1, 20),
    spares=st.none()
    | st.builds(
        Spares,
        count=st.integers(1, 3),
        repair_hours=st.floats(0.5, 500),
        restock_hours=st.floats(1, 2000),
        others_per_hour=st.floats(0, 1e-4),
    ),
)
@settings(max_examples=60, deadline=None)
def test_the_ends_are_those_of_a_general_matrix_exponential(
    width: int,
    outlives: int,
    fail: float,
    repair: float,
    error: float,
    years: float,
    spares: Spares | None,
) -> None:
    """SciPy's expm (Al-Mohy and Higham 2009) is as exact as its largest entry, ours as each one is."""
    assume(width > outlives)
    rates = np.array(_generator(width, outlives, fail, repair, error, spares))
    rates -= np.diag(rates.sum(axis=1))
    theirs = expm(rates * years * HOURS_PER_YEAR)[0][-2:]
    ours = ends(width, outlives, fail, repair, error, years, spares)
    assert ours == pytest.approx(theirs, rel=1e-6, abs=1e-10)
    inner = rates[:-2, :-2]
    if np.linalg.cond(inner) < 1e10:
        mean = solve(-inner, np.ones(len(inner)))[0]
        told = mean_hours_to_loss(width, outlives, fail, repair, error, spares)
        assert told == pytest.approx(mean, rel=1e-4)


def test_odds_far_below_rounding_are_still_known() -> None:
    """Rare and quickly repaired: to first order width! / (width - 4)! fail^4 repair^3 / 3! a time."""
    fail, repair, years = 1e-9, 1.0, 1.0
    first_order = 8 * 7 * 6 * 5 * fail**4 * repair**3 * years * HOURS_PER_YEAR
    found = loss_odds(8, 3, fail, repair, 0.0, years)
    assert found == pytest.approx(first_order, rel=1e-3)
    assert found < 1e-25


@given(
    width=st.integers(2, 24),
    fail=st.floats(1e-9, 1e-3),
    repair=st.floats(0.5, 5_000),
    bad=st.sampled_from([0.0, 1e-12, 0.01, 0.5, 1.0]),
    years=st.sampled_from([0.1, 1.0, 5.0, 30.0]),
)
@settings(max_examples=150, deadline=None)
def test_the_closed_form_of_one_disk_outlived_is_what_the_chain_walks_to(
    width: int, fail: float, repair: float, bad: float, years: float
) -> None:
    walked = reached(_generator(width, 1, fail, repair, bad), years * HOURS_PER_YEAR)[-2:]
    assert ends(width, 1, fail, repair, bad, years) == pytest.approx(walked, rel=1e-7, abs=1e-300)


def test_two_rates_that_are_one_have_their_limit() -> None:
    """A pair, and each rebuild ends in a file lost: 2 f = f + s, so s = f and both rates are 2 f."""
    fail = 1e-5
    lost, damaged = ends(2, 1, fail, 1 / fail, 1.0, 1.0)
    hours = HOURS_PER_YEAR
    assert lost + damaged == pytest.approx(1 - math.exp(-2 * fail * hours) * (1 + 2 * fail * hours))
    assert lost == pytest.approx(damaged)
