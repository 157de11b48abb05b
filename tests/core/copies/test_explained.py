"""The figures of a job can be checked by hand from their working."""

from datetime import date, datetime
from typing import Any
from zoneinfo import ZoneInfo

import pytest

from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.explained import Figure, explained
from kavrel.core.evaluate import evaluate
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Plan, Retention
from kavrel.core.pools.pool import pool_states
from kavrel.core.week.nights import scheduled_book
from kavrel.core.working import Working
from tests.builders import GB, dataset, job, lab

FIGURES: tuple[Figure, ...] = ("points", "held", "ages")
TODAY = date(2026, 11, 24)


def book_of(plan: Plan) -> CopyBook:
    index = Index(plan)
    return scheduled_book(index, pool_states(index), TODAY)


def value(working: Working, name: str) -> Any:
    """The value of a step by the beginning of its name."""
    return next(w.value for w in working.inputs if w.name.startswith(name))


def minutes(told: Any) -> float:
    """A moment as it is printed, in minutes; in Lisbon summer is an hour ahead."""
    _, day, clock, zone = str(told).split()
    moment = datetime.fromisoformat(f"{day} {clock}+0{['WET', 'WEST'].index(zone)}:00")
    return moment.timestamp() / 60


def test_every_figure_of_the_route_has_a_working_that_ends_in_it(demo: Plan) -> None:
    views = {v.id: v for v in evaluate(demo, TODAY).jobs}
    book = book_of(demo)
    for one in demo.jobs:
        view = views[one.id]
        points, held, ages = (explained(book, one, f) for f in FIGURES)
        if not KINDS[one.kind].copies:
            assert (points.value, held.value, ages.value) == (None, None, None)
            continue
        assert points.value == view.points_today
        assert held.value == view.held_bytes
        assert ages.value == pytest.approx(view.newest_age_seconds)
        if ages.value is not None:
            moment, good = (value(ages, n) for n in ("the moment", "the newest complete"))
            assert minutes(moment) - minutes(good) == pytest.approx(
                (view.newest_age_seconds or 0) / 60, abs=1.1
            )


def test_what_points_hold_adds_up_by_hand() -> None:
    """2 GB rewritten a day over the days from the oldest point to now; value from memory of the rule."""
    kept = dataset(repeat_share=0.0, deleted_bytes_per_day=1 * GB)
    plan = lab(datasets=(kept,), jobs=(job("snaps"),))
    book = book_of(plan)
    held = explained(book, plan.jobs[0], "held")
    (of_data,) = held.inputs
    oldest = book.points_on(plan.jobs[0], TODAY)[0].data_time
    days = (datetime(2026, 11, 25, tzinfo=ZoneInfo(plan.zone)).timestamp() - oldest) / 86_400
    assert held.value == of_data.value == pytest.approx(3 * GB * days, rel=1e-9)
    assert (value(of_data, "rewritten"), value(of_data, "deleted")) == (2 * GB, 1 * GB)


def test_points_say_how_many_each_rule_keeps() -> None:
    rules = Retention(daily=7, weekly=2, monthly=1, yearly=1)
    plan = lab(jobs=(job("snaps", retention=rules),))
    points = explained(book_of(plan), plan.jobs[0], "points")
    kept = {w.name: w.value for w in points.inputs if w.name.startswith("kept by")}
    assert points.value == 11  # eleven points beyond one another: a worked example of the trade
    assert kept["kept by “daily, one of 7”"] == 7
    assert kept["kept by “weekly, one of 2”"] == 2


def test_a_job_that_never_completes_has_no_age() -> None:
    dead = job("over", "replication", target_pool="second")
    plan = lab(links=(), jobs=(dead,))
    assert explained(book_of(plan), plan.jobs[0], "ages").value is None
