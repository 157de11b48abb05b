"""Runs and points reckoned at once are those that are followed one by one."""

from datetime import UTC, date, datetime, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.copies import flow as flows
from kavrel.core.copies.flow import Flow, Part, runs
from kavrel.core.copies.retention import Point, losses, spells
from kavrel.core.local_days import local_days, ordinals_and_hours
from kavrel.core.plan import Retention, Schedule
from kavrel.core.quantities import DAY
from kavrel.core.schedule import starts

FIRST, LAST = date(2026, 1, 1), date(2026, 5, 1)
ZONES = ("Europe/Berlin", "Australia/Lord_Howe", "America/St_Johns", "America/Sao_Paulo", "UTC")


def flow(every: int, seconds_per_byte: float, **more: object) -> Flow:
    return Flow(
        schedule=Schedule(kind="hourly", every=every, at="00:30"),
        retention=Retention(last=3, daily=5),
        zone="Europe/Berlin",
        parts=(Part(3e8, 1e8, 1e11),),
        fixed_seconds=60.0,
        seconds_per_byte=seconds_per_byte,
        usual_days=every / 24,
        **more,  # type: ignore[arg-type]
    )


@given(
    every=st.sampled_from([1, 6, 12]),
    slow=st.sampled_from([1e-8, 1e-5, 5e-5]),
    seed=st.none() | st.tuples(st.dates(FIRST, LAST), st.floats(0, 1e6)),
)
@settings(max_examples=40, deadline=None)
def test_a_run_waits_for_the_one_before_it_and_never_overlaps(
    every: int, slow: float, seed: tuple[date, float] | None
) -> None:
    ours = flow(every, slow, first=seed)
    found = runs(ours, FIRST, LAST)
    plain = flows._one_by_one(ours, _times(ours), None, seed[1] if seed else None)
    assert [r.start for r in found] == plain.start.tolist()
    assert [r.end for r in found] == plain.end.tolist()
    for one, two in pairwise(found):
        assert one.end <= two.start
        assert two.gap_days == pytest.approx((two.start - one.start) / DAY)


def _times(ours: Flow) -> np.ndarray:
    found = np.array(starts(ours.schedule, ours.zone, FIRST, LAST))
    if ours.first is None:
        return found
    opens = datetime.combine(ours.first[0], datetime.min.time(), ZoneInfo(ours.zone)).timestamp()
    return found[found >= opens]


def test_a_copy_of_a_copy_is_as_of_the_newest_point_that_was_complete() -> None:
    near = flow(6, 1e-5)
    far = flow(12, 1e-8, upstream=near)
    written = list(flows.points(near, FIRST - timedelta(days=4), LAST))
    for run in runs(far, FIRST, LAST):
        there = [p.data_time for p in written if p.available_at <= run.start]
        assert run.data_time == there[-1]


@given(
    gaps=st.lists(st.integers(1, 40), min_size=2, max_size=40),
    lengths=st.lists(st.integers(0, 60), min_size=40, max_size=40),
    keeps=st.lists(st.integers(0, 200), min_size=40, max_size=40),
    late=st.integers(0, 60),
)
@settings(max_examples=200, deadline=None)
def test_what_helps_at_every_moment_is_found_by_trying(
    gaps: list[int], lengths: list[int], keeps: list[int], late: int
) -> None:
    at = 0.0
    points: list[Point] = []
    for gap, length, keep in zip(gaps, lengths, keeps, strict=False):
        at += gap * 10
        done = max(at + length, points[-1].available_at if points else 0.0)
        points.append(Point(at, done, done + keep))

    def helps(moment: float) -> Point | None:
        seen = moment + late
        there = [p for p in points if p.data_time <= moment and p.available_at <= seen]
        return next((p for p in reversed(there) if seen < p.expires_at), None)

    for begin, end, good, _ in spells(points, late, 0.0, at):
        for moment in (begin, (begin + end) / 2):
            assert good == helps(moment), (moment, begin, end)
    whole = [p for p in points if p.available_at <= at]
    for begin, end, good, _ in spells(points, late, 0.0, at, torn=True):
        moment = (begin + end) / 2
        there = [p for p in whole if p.available_at <= moment and p.expires_at > moment + late]
        assert good == (there[-1] if there else None), (moment, begin, end)
    found = losses(points, late, 0.0, at)
    grid = np.arange(points[0].data_time, at, 1.0) + 0.5
    never = sum(helps(float(t)) is None for t in grid) / len(grid)
    assert found
    assert found.never == pytest.approx(never, abs=1e-9)


@given(
    zone=st.sampled_from(ZONES),
    at=st.lists(st.integers(1_100_000_000, 1_900_000_000), min_size=1, max_size=50),
)
@settings(max_examples=100, deadline=None)
def test_local_days_and_hours_are_those_of_the_time_zone(zone: str, at: list[int]) -> None:
    days, hours = ordinals_and_hours(zone, np.array(at, dtype=float))
    for instant, day, hour in zip(at, days.tolist(), hours.tolist(), strict=True):
        local = datetime.fromtimestamp(instant, UTC).astimezone(ZoneInfo(zone))
        assert (date.fromordinal(day), hour) == (local.date(), local.hour)


def test_every_day_of_a_zone_that_changes_its_clocks_a_minute_past_midnight() -> None:
    """Newfoundland until 2011: the day before, too, has hours that come twice. Source: tz database."""
    first = date(2010, 11, 5).toordinal()
    _, straight = local_days("America/St_Johns", range(first, first + 5))
    assert straight.tolist() == [True, False, False, True, True]
