"""Max-min fair sharing: worked examples by hand, and the properties that make it fair."""

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.week.sharing import Demand, fair_rates

RESOURCES = ("disks", "lan", "link", "shelf")


def test_alone_a_job_goes_as_fast_as_it_can() -> None:
    assert fair_rates([Demand((("link", 100.0),), 100.0)], {}) == [pytest.approx(0.01)]
    # A limit of its own keeps it slower than the link would.
    assert fair_rates([Demand((("link", 100.0),), 400.0)], {}) == [pytest.approx(1 / 400)]


def test_two_equals_take_half_each_whatever_they_carry() -> None:
    # 100 s and 300 s of the link alone: each has half of it, so 200 s and 600 s.
    rates = fair_rates([Demand((("link", 100.0),), 100.0), Demand((("link", 300.0),), 300.0)], {})
    assert [1 / r for r in rates] == [pytest.approx(200), pytest.approx(600)]


def test_what_a_limited_job_leaves_goes_to_the_other() -> None:
    # The first may use a tenth of the link only; the second gets nine tenths.
    rates = fair_rates([Demand((("link", 10.0),), 100.0), Demand((("link", 90.0),), 90.0)], {})
    assert rates[0] == pytest.approx(1 / 100)
    assert rates[1] == pytest.approx(0.9 / 90)


def test_the_hand_worked_chain() -> None:
    # Three jobs over two links: A on both, B on the first, C on the second, which is half as fast.
    # Link 2 is full first: A and C have a quarter of link 1's pace each; B gets the rest of link 1.
    a = Demand((("one", 100.0), ("two", 200.0)), 200.0)
    b = Demand((("one", 100.0),), 100.0)
    c = Demand((("two", 200.0),), 200.0)
    rates = fair_rates([a, b, c], {})
    assert rates[0] == pytest.approx(0.5 / 200)
    assert rates[2] == pytest.approx(0.5 / 200)
    assert rates[1] == pytest.approx(1 / 100 - 0.5 / 200)


def test_a_cap_leaves_less_for_all() -> None:
    rates = fair_rates([Demand((("link", 100.0),), 100.0)] * 2, {"link": 0.25})
    assert [1 / r for r in rates] == [pytest.approx(800)] * 2


def test_those_worth_more_go_first_and_the_others_get_what_is_left() -> None:
    first = Demand((("link", 100.0),), 100.0, rank=0)
    later = Demand((("link", 100.0),), 100.0, rank=1)
    assert fair_rates([later, first], {}) == [0.0, pytest.approx(0.01)]
    slow = Demand((("link", 60.0),), 100.0, rank=0)  # leaves 40 % of the link
    assert fair_rates([later, slow], {})[0] == pytest.approx(0.004)


def test_who_asks_for_nothing_waits_for_nobody() -> None:
    assert fair_rates([Demand((), 50.0)], {}) == [pytest.approx(0.02)]


DEMANDS = st.lists(
    st.builds(
        lambda loads, more: Demand(tuple(loads.items()), max(loads.values()) * more),
        st.dictionaries(
            st.sampled_from(RESOURCES), st.floats(1, 1e5), min_size=1, max_size=len(RESOURCES)
        ),
        st.floats(1, 20),
    ),
    min_size=1,
    max_size=8,
)
CAPACITY = st.dictionaries(st.sampled_from(RESOURCES), st.floats(0.05, 1))


@given(DEMANDS, CAPACITY)
@settings(max_examples=150, deadline=None)
def test_nothing_is_used_more_than_there_is_and_nobody_could_go_faster(
    demands: list[Demand], capacity: dict[Any, float]
) -> None:
    rates = fair_rates(demands, capacity)
    used: dict[Any, float] = dict.fromkeys(RESOURCES, 0.0)
    for rate, demand in zip(rates, demands, strict=True):
        assert rate > 0
        assert rate * demand.alone <= 1 + 1e-6
        for resource, seconds in demand.loads:
            used[resource] += rate * seconds
    for resource, share in used.items():
        assert share <= capacity.get(resource, 1.0) * (1 + 1e-6)

    def dominant(i: int) -> float:
        return rates[i] * max(s / capacity.get(r, 1.0) for r, s in demands[i].loads)

    # Whoever is slower than alone shares a full resource on which nobody has a larger share
    # than itself, so that it could only gain from one who has less or as much.
    for i, demand in enumerate(demands):
        if rates[i] * demand.alone >= 1 - 1e-4:
            continue
        full = [r for r, _ in demand.loads if used[r] >= capacity.get(r, 1.0) * (1 - 1e-4)]
        assert full
        assert any(
            all(
                dominant(j) <= dominant(i) * (1 + 1e-3)
                for j, other in enumerate(demands)
                if r in dict(other.loads)
            )
            for r in full
        )
