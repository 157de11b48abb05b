"""How much longer jobs take in the worst night, and what that does to the proof."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.index import Index
from kavrel.core.plan import Plan, Schedule
from kavrel.core.pools.pool import pool_states
from kavrel.core.week.nights import nights, scheduled_book
from kavrel.core.week.tasks import simulated, slowdown
from tests.builders import GB, TODAY, book, cell, daily, dataset, job, lab

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
    assert all(v >= 1 for v in slowdown(runs).values())
