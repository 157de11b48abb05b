"""UPSes of the rig: who stops in order, minute by minute, against what the plan counts on."""

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.bench.power import falls
from kavrel.core.index import Index
from kavrel.core.plan import Plan, Supply
from kavrel.rig.live import lived, rig
from kavrel.rig.supplies import stops
from tests.builders import cell, job, lab
from tests.rig.comparing import BEGAN


def ups(**more: Any) -> Supply:
    fields = {
        "id": "u",
        "name": "ups",
        "site": "home",
        "va": 900.0,
        "watts": 540.0,
        "battery_wh": 200.0,
    }
    return Supply(**{**fields, "hosts": ("box",), "signals": ("box",), **more})


def both(**more: Any) -> Plan:
    """The two boxes of the test lab on one UPS, at one site."""
    hosts = tuple(h.model_copy(update={"site": "home"}) for h in lab().hosts)
    return lab(hosts=hosts, supplies=(ups(hosts=("box", "far"), **more),))


def test_who_is_told_stops_after_the_delay_and_the_other_falls_when_it_is_empty() -> None:
    """k = 1: what a battery of 200 Wh gives at some 60 W each, by hand: over an hour for both."""
    plan = both(signals=("box",), exponent=1.0, delay_minutes=5.0)
    told = stops(Index(plan), plan.supplies[0])
    assert told["box"].in_order
    assert told["box"].minutes == pytest.approx(
        5 + 25 / 60 + plan.hosts[0].shutdown_minutes, abs=0.1
    )
    assert not told["far"].in_order
    assert told["far"].minutes > 60
    assert falls(plan) == {"far": "the UPS that feeds it tells it nothing"}


def test_an_overloaded_ups_drops_all_at_once_and_the_proof_counts_on_none() -> None:
    weak = lab(supplies=(ups(va=50.0, watts=30.0),))
    assert [tuple(s) for s in stops(Index(weak), weak.supplies[0]).values()] == [(0.0, False)]
    told = cell(weak, "power_cut")
    assert "stops in the middle of a write" in told.why
    assert "ups is overloaded and switches off at once" in told.why
    late = lab(supplies=(ups(battery_wh=20.0, delay_minutes=120.0),))
    assert "ups is empty before it has stopped" in cell(late, "power_cut").why


@settings(deadline=None, max_examples=60)
@given(
    battery=st.floats(5, 600),
    exponent=st.floats(1.0, 1.6),
    delay=st.floats(0, 120),
    health=st.integers(10, 100),
    signals=st.sampled_from([(), ("box",), ("box", "far")]),
    shutdown=st.floats(0, 30),
)
def test_what_the_plan_counts_on_stops_in_order(
    battery: float,
    exponent: float,
    delay: float,
    health: int,
    signals: tuple[str, ...],
    shutdown: float,
) -> None:
    plan = both(
        battery_wh=battery,
        exponent=exponent,
        delay_minutes=delay,
        health_percent=health,
        signals=signals,
    )
    hosts = tuple(h.model_copy(update={"shutdown_minutes": shutdown}) for h in plan.hosts)
    plan = plan.model_copy(update={"hosts": hosts})
    there = stops(Index(plan), plan.supplies[0])
    counted = {"box", "far"} - set(falls(plan))
    assert counted <= {h for h, stop in there.items() if stop.in_order}


def test_it_is_told_among_what_happened() -> None:
    plan = lab(supplies=(ups(),), jobs=(job("s"),))
    with rig(plan, BEGAN) as days:
        lines = [x for x in lived(days, 1).lines if x.what.startswith("ups: boxes that stop")]
    assert [(x.predicted, x.happened, x.agrees) for x in lines] == [("1 box", "1 box", True)]
