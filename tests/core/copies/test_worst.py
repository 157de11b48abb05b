"""The moment behind a worst figure: it is one at which just so much is lost."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.copies.retention import FOREVER, ages, existing, keep, losses
from kavrel.core.copies.worst import worst_age, worst_loss
from kavrel.core.plan import Retention
from kavrel.core.quantities import DAY
from tests.core.copies.test_retention import START, nightly

RULES = st.sampled_from(
    [
        Retention(last=3),
        Retention(all_days=12),
        Retention(daily=7, weekly=3),
        Retention(thin=9),
        Retention(trash_days=7),
    ]
)


@given(st.lists(st.floats(0.05, 9.0), min_size=30, max_size=60), RULES, st.floats(0, 30))
@settings(max_examples=60, deadline=None)
def test_the_moment_loses_what_the_worst_figure_says(
    gaps: list[float], rules: Retention, late: float
) -> None:
    times = [START]
    for gap in gaps:
        times.append(times[-1] + gap * DAY)
    points = keep([(t, t + 1800.0) for t in times], rules, "UTC")
    span = (times[10], times[-5])
    newest, figures = worst_age(points, *span), ages(points, *span)
    assert newest
    assert figures
    assert newest.seconds == pytest.approx(figures.worst)
    # Just before that moment nothing newer was complete.
    before = existing(points, newest.at - 1)
    assert max(p.data_time for p in before) == newest.good
    noticed, lost = worst_loss(points, late * DAY, *span), losses(points, late * DAY, *span)
    assert (noticed is None) == (lost is None)
    if noticed and lost:
        assert noticed.seconds == pytest.approx(lost.worst)
        there = [
            p.data_time
            for p in existing(points, noticed.at - 0.01 + late * DAY)
            if p.data_time < noticed.at
        ]
        assert max(there, default=None) == noticed.good or noticed.good is None


def test_a_loss_for_good_has_a_moment_too() -> None:
    points = keep(nightly(60), Retention(last=3), "UTC")
    found = worst_loss(points, 10 * DAY, START + 20 * DAY, START + 40 * DAY)
    assert found
    assert found.good is None
    assert found.seconds == FOREVER


@given(st.lists(st.floats(0.2, 6.0), min_size=25, max_size=40), RULES, st.floats(0, 20))
@settings(max_examples=40, deadline=None)
def test_shares_and_means_are_those_of_moments_looked_at_one_by_one(
    gaps: list[float], rules: Retention, late: float
) -> None:
    times = [START]
    for gap in gaps:
        times.append(times[-1] + gap * DAY)
    points = keep([(t, t + 1800.0) for t in times], rules, "UTC")
    first, last = times[8], times[-3]
    found = losses(points, late * DAY, first, last)
    assert found
    # The span begins with the gap that ends at `first`.
    begin, count, nothing, lost = times[7], 4000, 0, []
    for n in range(count):
        at = begin + (n + 0.5) * (last - begin) / count
        good = [p.data_time for p in existing(points, at + late * DAY) if p.data_time <= at]
        if good:
            lost.append(at - max(good))
        else:
            nothing += 1
    assert found.never == pytest.approx(nothing / count, abs=0.01)
    if found.never < 0.98:
        assert found.mean == pytest.approx(sum(lost) / len(lost), rel=0.05, abs=0.02 * DAY)
    if not found.never:
        assert max(lost) <= found.worst + 1
        assert min(lost) >= found.best - 1
