"""UPS runtime, the latest safe delay, who is told, and a year's energy."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kavrel.core.bench.power import falls, power, runtime_hours, supply_view
from kavrel.core.bench.stopping import stopping_minutes
from kavrel.core.index import Index
from kavrel.core.plan import Plan, Supply
from tests.builders import assume, lab


def supplied(**more: object) -> Plan:
    fields = {
        "id": "u",
        "name": "u",
        "site": "home",
        "va": 900.0,
        "watts": 540.0,
        "battery_wh": 216.0,
        "hosts": ("box",),
        "signals": ("box",),
        **more,
    }
    return lab(supplies=(Supply.model_validate(fields),))


@given(st.floats(10, 500), st.floats(20, 2000))
def test_an_ideal_battery_gives_its_energy(load: float, energy: float) -> None:
    assert runtime_hours(load, energy, 20.0, 1.0) == pytest.approx(energy / load)


def test_peukert_by_hand() -> None:
    # 216 Wh over 20 h are 10.8 W; at 108 W an ideal one lasts 2 h, with k = 1.15:
    # 20 x (10.8 / 108)^1.15 = 1.416 h. Source of the law: W. Peukert 1897.
    assert runtime_hours(108, 216, 20, 1.15) == pytest.approx(20 * 0.1**1.15)
    assert runtime_hours(108, 216, 20, 1.15) == pytest.approx(1.416, abs=0.001)


@given(st.floats(10, 300), st.floats(1.0, 1.4))
def test_more_load_never_lasts_longer(load: float, exponent: float) -> None:
    assert runtime_hours(load * 1.5, 216, 20, exponent) <= runtime_hours(load, 216, 20, exponent)


def test_load_is_hosts_with_their_disks_at_work() -> None:
    plan = supplied()
    found = power(Index(plan))
    box = next(h for h in found.hosts if h.host == "box")
    assert box.active_watts == 35 + 3 * 8  # a tower and three hard disks, as assumed
    assert found.supplies[0].load_watts == box.active_watts
    busy = 0.2
    expected = (box.active_watts * busy + box.idle_watts * (1 - busy)) * 8.766
    assert box.kwh_a_year == pytest.approx(expected)
    assert found.cost_a_year_minor == round(found.kwh_a_year * 0.3 * 100)


def test_the_latest_delay_leaves_time_to_stop_and_the_rest_of_the_battery() -> None:
    view = power(Index(supplied())).supplies[0]
    assert view.latest_delay_minutes == pytest.approx(
        view.runtime_minutes * 0.8 - view.shutdown_minutes * 1.2
    )
    assert view.delay_carried


def test_a_delay_the_battery_cannot_carry_is_refused_with_the_one_it_can() -> None:
    view = power(Index(supplied(delay_minutes=300.0))).supplies[0]
    assert not view.delay_carried
    assert f"at most {view.latest_delay_minutes:.1f} min" in view.why


def test_an_old_battery_and_an_overload_are_told() -> None:
    worn = power(Index(supplied(health_percent=1))).supplies[0]
    assert worn.latest_delay_minutes is None
    assert not worn.delay_carried
    heavy = power(Index(supplied(va=60.0, watts=50.0))).supplies[0]
    assert heavy.overloaded
    assert "switches off at once" in heavy.why
    # 59 W at a power factor of 0.9 are 66 VA: the smaller of the two limits counts.
    full = power(Index(supplied(va=62.0, watts=61.0))).supplies[0]
    assert (full.overloaded, "66 VA" in full.why) == (True, True)
    assert full.load_va_share == pytest.approx(59 / 0.9 / 62)


def test_the_inverter_takes_its_part_of_the_battery() -> None:
    found = power(Index(supplied())).supplies[0]
    assert found.runtime_minutes == pytest.approx(
        runtime_hours(59 / 0.85, 216, 20, 1.15) * 60, rel=1e-6
    )


def both(*signals: str, fed: tuple[str, ...] = ("box", "far")) -> Plan:
    """The two boxes of the test lab at one site; the first of the signals that is fed has the cable."""
    plan = supplied()
    hosts = tuple(h.model_copy(update={"site": "home", "on_ups": False}) for h in plan.hosts)
    supplies = (plan.supplies[0].model_copy(update={"hosts": fed, "signals": signals}),)
    return plan.model_copy(update={"hosts": hosts, "supplies": supplies})


def test_the_box_with_the_cable_stops_after_those_that_it_tells() -> None:
    """MONITOR ... primary, by upsmon(8): it tells, waits HOSTSYNC at most, then FINALDELAY, then stops."""
    plan = both("box", "far")
    index = Index(plan)
    box, far = (index.hosts[h].shutdown_minutes for h in ("box", "far"))
    told = stopping_minutes(index, plan.supplies[0])
    assert told["far"] == pytest.approx((20 + 5 + 5) / 60 + far)
    assert told["box"] == pytest.approx((20 + 15 + 5) / 60 + far + box)
    assert power(index).supplies[0].shutdown_minutes == told["box"]
    assert falls(plan) == {}


def test_who_has_the_cable_but_no_power_tells_nobody() -> None:
    """Once nothing answers a UPS that was last on the mains, upsmon stops nothing: upsmon(8)."""
    plan = both("far", "box", fed=("box",))
    assert falls(plan) == {}  # the one that is fed has the cable
    view = power(Index(plan)).supplies[0]
    assert view.delay_carried
    shut = {"kind": "bought_box"}
    hosts = tuple(h.model_copy(update=shut) if h.id == "box" else h for h in plan.hosts)
    plan = plan.model_copy(update={"hosts": hosts})
    assert "it falls first and tells nobody" in falls(plan)["box"]
    view = power(Index(plan)).supplies[0]
    assert (view.delay_carried, view.latest_delay_minutes) == (False, None)
    assert "far has its signal cable" in view.why


def test_a_host_that_is_not_told_sets_no_time_to_stop() -> None:
    view = power(Index(supplied(signals=()))).supplies[0]
    assert view.without_signal == ("box",)
    assert view.shutdown_minutes == 0
    # And where nobody is told, no delay is promised.
    assert view.latest_delay_minutes is None
    assert not view.delay_carried
    assert "nobody hears its signal" in view.why


def test_hosts_come_back_in_their_order() -> None:
    plan = supplied(hosts=("box",))
    first, second = plan.hosts
    hosts = (
        first.model_copy(update={"start_order": 2, "after_power_cut": "over_network"}),
        second.model_copy(update={"site": "home", "start_order": 1}),
    )
    fed = plan.supplies[0].model_copy(update={"hosts": ("box", "far")})
    index = Index(plan.model_copy(update={"hosts": hosts, "supplies": (fed,)}))
    waking = power(index).supplies[0].waking
    assert [w.host for w in waking] == ["far", "box"]
    assert "woken over the network" in waking[1].how


def test_a_price_of_energy_of_ones_own_counts() -> None:
    plan = lab(assumptions=assume(energy_price=0.5))
    found = power(Index(plan))
    assert found.cost_a_year_minor == round(found.kwh_a_year * 50)
    assert (
        supply_view(
            Index(supplied()),
            supplied().supplies[0],
            {h.host: h for h in power(Index(supplied())).hosts},
        ).load_watts
        > 0
    )
