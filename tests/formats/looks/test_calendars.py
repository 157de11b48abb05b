"""When a timer or a crontab starts something: read back from what cron and systemd are given, and print."""

import subprocess
from datetime import date
from typing import Literal

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.plan import Schedule
from kavrel.core.schedule import HOURS_IN_STEP, MINUTES_IN_STEP, complaint
from kavrel.core.seen.calendars import Starts, as_schedule, planned_starts, starts_of
from kavrel.core.seen.machine import SeenTask
from kavrel.formats.timers import cron_fields, on_calendar
from tests.conftest import needs

ZONE = "Europe/Berlin"
CLOCK = st.builds(lambda h, m: f"{h:02}:{m:02}", st.integers(0, 23), st.integers(0, 59))
SCHEDULES = st.one_of(
    st.builds(Schedule, kind=st.just("minutes"), every=st.sampled_from(MINUTES_IN_STEP)),
    st.builds(Schedule, kind=st.just("hourly"), at=CLOCK, every=st.sampled_from(HOURS_IN_STEP)),
    st.builds(Schedule, kind=st.just("hourly"), at=CLOCK, only_from=CLOCK, only_to=CLOCK),
    st.builds(Schedule, kind=st.just("daily"), at=CLOCK, every=st.integers(1, 4)),
    st.builds(
        lambda at, days: Schedule(kind="weekly", at=at, weekdays=tuple(sorted(days))),
        CLOCK,
        st.sets(st.integers(0, 6), min_size=1),
    ),
    st.builds(
        lambda at, every, day: Schedule(kind="monthly", at=at, every=every, day=day),
        CLOCK,
        st.sampled_from((1, 3, 5)),
        st.one_of(st.integers(1, 31), st.just(-1)),
    ),
    st.builds(
        lambda at, nth, day: Schedule(kind="monthly", at=at, nth=nth, weekdays=(day,)),
        CLOCK,
        st.sampled_from((1, 2, 5, -1)),
        st.integers(0, 6),
    ),
).filter(lambda s: complaint(s) is None)


def task(on: str, by: Literal["cron", "timer"] = "cron") -> SeenTask:
    return SeenTask(name="lab-x", by=by, on=on)


def read(on: str, by: Literal["cron", "timer"] = "cron") -> Starts | None:
    return starts_of(task(on, by), ZONE)


def normalised(on: str) -> str:
    """As systemctl prints it."""
    asked = ["systemd-analyze", "calendar", on]
    said = subprocess.run(asked, check=True, capture_output=True, text=True).stdout
    (line,) = [x for x in said.splitlines() if "Normalized form:" in x]
    return line.partition("form:")[2].strip()


@settings(deadline=None)
@given(SCHEDULES)
def test_a_crontab_of_ours_starts_when_the_plan_says(schedule: Schedule) -> None:
    seen = read(cron_fields(schedule))
    assert seen
    assert seen.agrees(planned_starts(schedule))
    # Where a schedule of the plan has these times and no others, it comes back.
    if schedule.every == 1 and schedule.day > 0 and not schedule.nth and not schedule.only_from:
        again = as_schedule(seen)
        assert again
        assert planned_starts(again) == planned_starts(schedule)


@needs("systemd-analyze")
@settings(max_examples=60, deadline=None)
@given(SCHEDULES)
def test_a_timer_of_ours_starts_when_the_plan_says_in_the_words_of_systemd(
    schedule: Schedule,
) -> None:
    line = normalised(on_calendar(schedule, ZONE, date(2026, 3, 10))[0])
    seen = read(f"{line}; 2027-03-28 01:30:00 UTC", "timer")
    assert seen, line
    assert seen.agrees(planned_starts(schedule)), line


@settings(deadline=None)
@given(SCHEDULES, SCHEDULES)
def test_two_schedules_agree_where_their_clock_times_are_the_same(
    one: Schedule, two: Schedule
) -> None:
    seen = read(cron_fields(one))
    assert seen
    if seen.agrees(planned_starts(two)):
        first, second = planned_starts(one), planned_starts(two)
        assert (first.minutes, first.hours) == (second.minutes, second.hours)


@pytest.mark.parametrize(
    ("on", "wanted"),
    [
        ("30 2 * * *", ("daily", "02:30", ())),
        ("0 4 * * 0", ("weekly", "04:00", (6,))),
        ("0 4 * * 7", ("weekly", "04:00", (6,))),
        ("0 4 * * mon", ("weekly", "04:00", (0,))),
        ("0 4 * * 1-5", ("weekly", "04:00", (0, 1, 2, 3, 4))),
        ("0 4 * * mon,WED", ("weekly", "04:00", (0, 2))),
        ("@weekly", ("weekly", "00:00", (6,))),
        ("@hourly", ("hourly", "00:00", ())),
        ("7 */6 * * *", ("hourly", "00:07", ())),
        ("5 1 3 * *", ("monthly", "01:05", ())),
        ("*/15 * * * *", ("minutes", "00:00", ())),
        ("*/7 * * * *", None),
        ("5 9,11 * * *", None),
        ("5 1 3 * 2", None),
        ("99 1 * * *", None),
        ("5 1 0 * *", None),
        ("5 1 * * 8", None),
        ("@reboot", None),
    ],
)
def test_the_calendar_of_a_crontab(
    on: str, wanted: tuple[str, str, tuple[int, ...]] | None
) -> None:
    """Sunday is 0 and 7, a day and a weekday mean either. Source: crontab(5)."""
    got = as_schedule(read(on))
    assert (got and (got.kind, got.at, got.weekdays)) == wanted


@pytest.mark.parametrize(
    ("on", "wanted"),
    [
        ("Mon..Fri *-*-* 02:30:00", ("weekly", "02:30", (0, 1, 2, 3, 4))),
        ("*-*-* 00/4:10:00 Europe/Berlin", ("hourly", "00:10", ())),
        (
            "*-*-* 02:30:00 UTC",
            None,
        ),  # of another zone: which hour that is here changes in the year
        ("*-*-* 02:30:30", None),
        ("2026-11-28 02:30:00", None),
        ("", None),
    ],
)
def test_the_calendar_of_a_timer(on: str, wanted: tuple[str, str, tuple[int, ...]] | None) -> None:
    """Source: systemd.time(7)."""
    got = as_schedule(read(on, "timer"))
    assert (got and (got.kind, got.at, got.weekdays)) == wanted
