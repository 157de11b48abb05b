"""How much longer jobs take in the worst night, and what that does to the proof."""

from datetime import timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.copies.book import CopyBook
from kavrel.core.index import Index
from kavrel.core.plan import Plan, Schedule
from kavrel.core.pools.pool import pool_states
from kavrel.core.quantities import DAY
from kavrel.core.week.fluid import Task, TaskRun
from kavrel.core.week.nights import nights, scheduled_book
from kavrel.core.week.sharing import Demand
from kavrel.core.week.tasks import prepared, simulated, slowdown
from kavrel.demo import demo_plan
from tests.builders import GB, TODAY, book, cell, daily, dataset, job, lab
from tests.rig.labs import wide

ASKED = Demand((("x", 100.0),), 100.0)
FAR = {"kind": "replication", "target_pool": "second"}


def slowdowns(plan: Plan) -> dict[str, float]:
    index = Index(plan)
    return dict(scheduled_book(index, pool_states(index), TODAY).slowdowns)


def test_alone_nobody_is_slowed() -> None:
    assert slowdowns(lab(jobs=(job("r", **FAR), job("s")))) == {}


def test_two_at_the_same_minute_take_about_twice_as_long() -> None:
    plan = lab(jobs=(job("r", **FAR), job("q", **FAR)))
    found = slowdowns(plan)
    assert found["r"] == pytest.approx(found["q"])
    assert 1.9 < found["r"] <= 2.0  # starting takes no part of it


def test_the_worst_night_is_what_the_proof_reckons_with() -> None:
    beside = job("q", schedule=Schedule(kind="monthly", day=10, at="01:00"), **FAR)
    alone, both = (
        lab(zone="UTC", jobs=(job("r", **FAR),)),
        lab(zone="UTC", jobs=(job("r", **FAR), beside)),
    )
    calm, slow = cell(alone, "box_lost"), cell(both, "box_lost")
    run = 2e9 * 8 / (20e6 * 0.88 * 0.96)
    assert calm.rpo_seconds is not None
    assert slow.rpo_seconds is not None
    assert slow.rpo_seconds - calm.rpo_seconds == pytest.approx(run, rel=0.05)


def test_the_strip_s_working_says_so() -> None:
    plan = lab(jobs=(job("r", **FAR), job("q", **FAR)))
    index = Index(plan)
    found = scheduled_book(index, pool_states(index), TODAY).usual_run(plan.jobs[0])
    (step,) = [i for i in found.inputs if i.name == "slower in the worst night"]
    assert step.unit == "times"


def test_nights_run_from_noon_to_noon() -> None:
    plan = lab(
        jobs=(job("r", schedule=daily("23:50"), **FAR), job("q", schedule=daily("00:20"), **FAR))
    )
    found = nights(book(plan), TODAY, 3)
    # The evening's and the morning's run are of one night.
    assert [n.runs for n in found[:2]] == [2, 2]


@given(st.lists(st.integers(0, 47), min_size=1, max_size=6))
@settings(max_examples=20, deadline=None)
def test_sharing_makes_no_run_quicker_and_loses_no_work(halves: list[int]) -> None:
    jobs = tuple(
        job(
            f"j{n}",
            kind="backup",
            target_pool="second",
            schedule=daily(f"{h // 2:02}:{h % 2 * 30:02}"),
        )
        for n, h in enumerate(halves)
    )
    small = (dataset(size_bytes=300 * GB),)  # so that all of them fit onto the other box
    runs = simulated(book(lab(jobs=jobs, zone="UTC", datasets=small)), TODAY, TODAY)
    assert len(runs) >= len(jobs)
    for run in runs:
        assert run.end - run.begin >= run.alone - 1e-3
    nightly = prepared(book(lab(jobs=jobs, zone="UTC", datasets=small)), TODAY, TODAY)[0].tasks
    assert all(v >= 1 for v in slowdown(runs, nightly).values())


def test_what_comes_before_the_work_is_not_slowed_and_a_slowed_run_takes_no_longer_than_reckoned() -> (
    None
):
    """20 s of start and 100 s of work, slowed to 300 s: three times as long at work, not 2.67 times."""
    run = TaskRun("a", 0.0, 0.0, 320.0, 120.0, 1.0, False)
    assert slowdown([run], [Task("a", (0.0,), 1.0, 20.0, lambda days: ASKED)]) == {"a": 3.0}


def test_what_begins_late_after_another_has_more_to_carry() -> None:
    """A day after the last start of the first, and 1.5 days after its own: 150 s instead of 100, and shared."""
    first = Task("a", (0.0,), 1.0, 0.0, lambda days: ASKED)
    follower = Task("b", (), 1.0, 0.0, lambda days: Demand((("x", 100 * days),), 100 * days), "a")
    runs = [
        TaskRun("a", DAY, DAY, DAY + 500, 100.0, 1.0, False),
        TaskRun("b", DAY + 500, DAY + 500, DAY + 800, 150.0, 1.5, False),
    ]
    assert slowdown(runs, [first, follower]) == {"a": 5.0, "b": 3.0}


@pytest.mark.parametrize("plan", [demo_plan(), wide(5037)])
def test_no_run_of_the_month_takes_longer_than_the_proof_reckons_with(plan: Plan) -> None:
    index = Index(plan)
    states = pool_states(index)
    worst = scheduled_book(index, states, TODAY)
    for run in simulated(CopyBook(index, states, TODAY), TODAY, TODAY + timedelta(days=27)):
        flow = worst.flow(index.jobs[run.task])
        if not flow.first:
            begins = flow.fixed_seconds + flow.looks_every_s
            reckoned = begins + flow.slowdown * flow.work_seconds(run.gap_days)
            assert run.end - run.begin <= reckoned * 1.001 + 1, run
