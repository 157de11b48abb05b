"""First copies: by the arithmetic of the trade, and around caps and allowances."""

from datetime import date, timedelta
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.copies.first import FirstWay, first_ways
from kavrel.core.plan import Cap, Link
from tests.builders import GB, TODAY, assume, book, job, lab

PLAIN = assume(network_efficiency=1.0, tunnel_share=1.0)


def ways(size_gb: int = 1000, caps: tuple[Cap, ...] = (), **more: Any) -> dict[str, FirstWay]:
    """The ways of the first copy of so much over 20 Mbit/s."""
    link = Link(id="wire", a="home", b="away", mbit_a_to_b=20.0, mbit_b_to_a=100.0)
    plan = lab(
        zone="UTC",
        datasets=(lab().datasets[0].model_copy(update={"size_bytes": size_gb * GB}),),
        links=(link.model_copy(update=more),),
        caps=caps,
        jobs=(job("r", kind="replication", target_pool="second", first_copy="over_link"),),
        assumptions=PLAIN,
    )
    return {w.way: w for w in first_ways(book(plan), plan.jobs[0])}


def test_without_caps_it_is_bytes_over_the_link() -> None:
    found = ways(1000)["over_link"]
    assert found.hours == pytest.approx(1000e9 * 8 / 20e6 / 3600)
    assert found.ends_on == TODAY + timedelta(days=4)


def test_at_half_speed_for_twelve_hours_a_day_it_takes_a_third_longer() -> None:
    # 12 h at 20 and 12 h at 10 Mbit/s are 15 on average: 20 / 15 = 4 / 3, over whole days.
    cap = Cap(id="c", link="wire", from_at="08:00", to_at="20:00", mbit=10.0)
    free = ways(9072)["over_link"].hours  # 42 whole days
    capped = ways(9072, (cap,))["over_link"].hours
    assert free == pytest.approx(42 * 24)
    assert capped == pytest.approx(56 * 24)


def test_an_allowance_stops_it_until_the_next_month() -> None:
    # 100 GB a month from 24 November: 300 GB end in the third month, January.
    found = ways(300, allowance_bytes_per_month=100 * GB)["over_link"]
    assert found.ends_on == date(2027, 1, 1)
    seconds = 100e9 * 8 / 20e6
    assert found.hours == pytest.approx((38 * 86_400 + seconds) / 3600)


def test_what_takes_ten_years_never_ends() -> None:
    found = ways(900_000)["over_link"]
    assert found.hours is None
    assert found.ends_on is None
    assert "dead before" in found.why


def test_a_relay_makes_it_many_times_longer() -> None:
    direct, relayed = ways(1000)["over_link"].hours, ways(1000, relayed=True)["over_link"].hours
    assert direct
    assert relayed == pytest.approx(4 * direct)  # 5 instead of 20 Mbit/s


def test_side_by_side_and_a_carried_disk_know_no_link() -> None:
    found = ways(8000)
    # Gigabit without overhead, and three hours to carry the box.
    assert found["side_by_side"].hours == pytest.approx(8000e9 / 125e6 / 3600 + 3)
    # In and out of a dock at 125 MB/s (the LAN's port is slower than the dock), and the way.
    assert found["carried"].hours == pytest.approx(2 * 8000e9 / 125e6 / 3600 + 3)
    assert list(found) == ["side_by_side", "carried", "over_link"]


@given(st.integers(1, 3000), st.floats(1, 19), st.integers(0, 23), st.integers(1, 23))
@settings(max_examples=30, deadline=None)
def test_a_cap_never_makes_it_quicker_nor_slower_than_the_cap_alone(
    size: int, mbit: float, begins: int, hours: int
) -> None:
    ends = (begins + hours) % 24
    if begins == ends:
        return
    cap = Cap(id="c", link="wire", from_at=f"{begins:02}:00", to_at=f"{ends:02}:00", mbit=mbit)
    free, capped = ways(size)["over_link"].hours, ways(size, (cap,))["over_link"].hours
    assert free is not None
    assert capped is not None
    assert free - 1e-6 <= capped <= free * 20 / mbit + 1e-6


def test_boxes_of_one_lan_that_meet_over_a_relay_are_as_slow_as_it() -> None:
    sites = tuple(s.model_copy(update={"relayed": s.id == "home"}) for s in lab().sites)
    here = tuple(h.model_copy(update={"site": "home"}) for h in lab().hosts)
    copying = (job("r", kind="replication", target_pool="second"),)
    straight = book(lab(hosts=here, links=(), jobs=copying))
    relayed = book(lab(hosts=here, links=(), jobs=copying, sites=sites))
    at = straight.way(copying[0]).mb_per_s, relayed.way(copying[0]).mb_per_s
    assert at[0] > 100
    # 5 Mbit/s, of which 88 % are files and 96 % are left in the tunnel.
    assert at[1] == pytest.approx(5 / 8 * 0.88 * 0.96)
