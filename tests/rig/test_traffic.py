"""What travels at once in the rig: worked by hand, and against the fluid of the plan's own nights."""

from collections.abc import Sequence
from datetime import UTC, datetime
from functools import partial

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.copies.resource import Resource
from kavrel.core.index import Index
from kavrel.core.plan import Cap, Plan
from kavrel.core.week.fluid import Task, flow_through
from kavrel.core.week.sharing import Demand
from kavrel.rig.live import rig
from kavrel.rig.runs import Leg, Run
from kavrel.rig.traffic import Traffic
from tests.builders import daily, dataset, job, lab
from tests.rig.comparing import BEGAN

LINE, DISKS, OTHERS = Resource("link", "wire"), Resource("pool", "main"), Resource("pool", "second")
NIGHT = datetime(2026, 11, 23, 1, tzinfo=UTC).timestamp()


def run(name: str, began: float, *legs: Leg) -> Run:
    """A run that begins then, with what it has to carry."""
    made = Run(name, "box", began, began, legs=list(legs))
    made.ended(began + sum(leg.left / leg.alone for leg in legs))
    return made


def lived_through(traffic: Traffic, runs: Sequence[Run]) -> list[float]:
    """When each ends, where they begin in this order."""
    going: list[Run] = []
    now = runs[0].began
    for one in runs:
        traffic.onward(going, now, one.began)
        now = one.began
        going.append(one)
        traffic.foreseen(going, now)
    return [r.ends for r in runs]


def test_two_on_one_line_share_it_and_the_first_is_put_off() -> None:
    """100 MB at 1 MB/s each, the second 50 s later: 150 s and 200 s after the first began."""
    ends = lived_through(
        Traffic(Index(lab())),
        [
            run("a", NIGHT, Leg(100, 1, ((LINE, 1),))),
            run("b", NIGHT + 50, Leg(100, 1, ((LINE, 1),))),
        ],
    )
    assert [e - NIGHT for e in ends] == [pytest.approx(150), pytest.approx(200)]


def test_each_has_as_much_of_what_it_needs_most() -> None:
    """Disks of 100 MB/s, and one reads for a line of 10 MB/s: both have 10/11 of what they need most.

    The other's 900 MB are read at 90.9 MB/s in 9.9 s; by then 90 MB went over the line, the rest takes 91 s.
    """
    slow = run("a", NIGHT, Leg(1000, 10, ((DISKS, 100), (LINE, 10))))
    quick = run("b", NIGHT, Leg(900, 100, ((DISKS, 100),)))
    ends = lived_through(Traffic(Index(lab())), [slow, quick])
    assert [e - NIGHT for e in ends] == [pytest.approx(100.9), pytest.approx(9.9)]


def test_each_leg_ends_before_the_next_and_what_it_wrote_is_there_then() -> None:
    made = Run("a", "box", NIGHT, NIGHT, legs=[Leg(100, 1, ((LINE, 1),))])
    made.begins("first")
    made.ended(NIGHT + 130)  # half a minute in which nothing travels
    made.begins("second")
    made.legs.append(Leg(50, 1, ((DISKS, 1),)))
    made.ended(NIGHT + 180)
    beside = run("b", NIGHT, Leg(100, 1, ((LINE, 1),)))
    lived_through(Traffic(Index(lab())), [made, beside])
    assert {k: round(v - NIGHT, 3) for k, v in made.until.items()} == {"first": 230, "second": 280}
    assert made.ends == made.until["second"]


def test_a_cap_of_the_evening_holds_from_its_hour_on() -> None:
    """20 Mbit/s, 4 in the evening from 18:00 to 23:00 as the clock there says."""
    plan = lab(zone="Europe/Lisbon")
    (link,) = plan.links
    capped = plan.model_copy(
        update={"caps": (Cap(id="c", link=link.id, from_at="18:00", to_at="23:00", mbit=4),)}
    )
    traffic = Traffic(Index(capped))
    wire = Resource("link", link.id)
    slow = traffic.caps[wire][0][2]
    began = datetime(2026, 11, 23, 17, tzinfo=UTC).timestamp()
    one = run("a", began, Leg(2 * 3600 + slow * 3600, 2, ((wire, 2),)))
    (end,) = lived_through(traffic, [one])
    assert end - began == pytest.approx(2 * 3600)


def _always(asked: Demand, days: float) -> Demand:
    return asked


WAYS = st.lists(
    st.tuples(st.sampled_from([LINE, DISKS, OTHERS]), st.sampled_from([1.0, 2.0, 5.0, 40.0])),
    min_size=1, max_size=3, unique_by=lambda w: w[0],
)  # fmt: skip


@settings(deadline=None, max_examples=60)
@given(st.lists(st.tuples(st.integers(0, 400), st.integers(1, 900), WAYS), min_size=1, max_size=5))
def test_random_nights_end_as_the_fluid_of_the_plan_has_them(
    drawn: list[tuple[int, int, list[tuple[Resource, float]]]],
) -> None:
    """Two programs by one rule: max-min fairness, one by filling, one by halving."""
    drawn.sort(key=lambda d: d[0])
    runs, tasks = [], []
    for number, (start, mb, ways) in enumerate(drawn):
        alone = min(speed for _, speed in ways)
        runs.append(run(str(number), NIGHT + start, Leg(mb, alone, tuple(ways))))
        asked = Demand(tuple((r, mb / speed) for r, speed in ways), mb / alone)
        tasks.append(Task(str(number), (NIGHT + start,), 1.0, 0.0, partial(_always, asked)))
    planned = {r.task: r.end for r in flow_through(tasks, {}, NIGHT * 2)}
    ends = lived_through(Traffic(Index(lab())), runs)
    assert ends == pytest.approx([planned[str(n)] for n in range(len(drawn))], abs=0.05)


def two_at_once() -> Plan:
    """Two copies over one line, the second an hour after the first."""
    sets = (dataset(), dataset(id="other", name="other"))
    return lab(
        datasets=sets,
        jobs=(
            job("far", "replication", target_pool="second", schedule=daily("01:00")),
            job("too", "replication", target_pool="second", datasets=("other",), schedule=daily("01:10")),
        ),
    )  # fmt: skip


def test_a_cut_line_finds_what_is_put_off_still_on_its_way() -> None:
    """2 GB a day over 20 Mbit/s are a good quarter of an hour alone; beside another it is not there then."""
    with rig(two_at_once(), BEGAN) as days:
        lab_ = days.lab
        days.until(lab_.now + 86_400)
        midnight = lab_.now
        days.until(midnight + 3600 + 60)
        (first,) = lab_.going
        alone = first.ends
        days.until(midnight + 3600 + 660)
        assert [r.job for r in lab_.going] == ["far", "too"]
        assert lab_.going[0].ends > alone + 60
        days.until(alone + 30)
        copy = lab_.boxes["far"].datas["second/far/files"]
        there = len(copy.points)
        lab_.break_off(lab_.now)
        assert len(copy.points) == there - 1
        assert lab_.going == []
