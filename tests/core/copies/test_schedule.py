from datetime import UTC, date, datetime
from itertools import pairwise
from zoneinfo import ZoneInfo

import pytest

from kavrel.core.plan import Schedule
from kavrel.core.schedule import complaint, in_words, longest_step_days, odd_starts, starts


def local(schedule: Schedule, zone: str, first: date, last: date) -> list[str]:
    place = ZoneInfo(zone)
    return [
        datetime.fromtimestamp(t, UTC).astimezone(place).strftime("%m-%d %H:%M%z")
        for t in starts(schedule, zone, first, last)
    ]


# The odd nights of 2026 in Berlin: 29 March has no 02:00 to 03:00, 25 October has it twice.
SPRING = (date(2026, 3, 28), date(2026, 3, 30))
AUTUMN = (date(2026, 10, 24), date(2026, 10, 26))


def test_in_the_spring_gap_a_start_runs_when_the_gap_is_over() -> None:
    assert local(Schedule(kind="daily", at="02:30"), "Europe/Berlin", *SPRING) == [
        "03-28 02:30+0100",
        "03-29 03:00+0200",
        "03-30 02:30+0200",
    ]


def test_in_the_repeated_hour_a_start_happens_once_the_first_time() -> None:
    assert local(Schedule(kind="daily", at="02:30"), "Europe/Berlin", *AUTUMN) == [
        "10-24 02:30+0200",
        "10-25 02:30+0200",
        "10-26 02:30+0100",
    ]


def test_hourly_jobs_follow_elapsed_time_over_both_odd_nights() -> None:
    hourly = Schedule(kind="hourly", every=1, at="00:10")
    for nights, hours in ((SPRING, 71), (AUTUMN, 73)):
        found = starts(hourly, "Europe/Berlin", *nights)
        assert len(found) == hours
        assert {b - a for a, b in pairwise(found)} == {3600.0}


def test_every_few_hours_counts_from_the_hour_given() -> None:
    every_six = Schedule(kind="hourly", every=6, at="02:15")
    day = date(2026, 6, 1)
    assert [x[6:11] for x in local(every_six, "UTC", day, day)] == [
        "02:15",
        "08:15",
        "14:15",
        "20:15",
    ]


def test_weekdays_and_every_other_week() -> None:
    rule = Schedule(kind="weekly", every=2, weekdays=(0, 4), at="05:00", start=date(2026, 11, 2))
    assert [x[:5] for x in local(rule, "UTC", date(2026, 11, 1), date(2026, 11, 30))] == [
        "11-02",
        "11-06",
        "11-16",
        "11-20",
        "11-30",
    ]


def test_a_month_without_the_day_is_skipped_and_minus_one_is_the_last() -> None:
    first, last = date(2026, 1, 1), date(2026, 4, 30)
    thirty_first = Schedule(kind="monthly", day=31)
    assert [x[:5] for x in local(thirty_first, "UTC", first, last)] == ["01-31", "03-31"]
    end = Schedule(kind="monthly", day=-1)
    assert [x[:5] for x in local(end, "UTC", first, last)] == [
        "01-31",
        "02-28",
        "03-31",
        "04-30",
    ]


def test_counts_from_the_start_and_stops_at_the_end() -> None:
    rule = Schedule(kind="daily", every=3, start=date(2026, 5, 2), until=date(2026, 5, 9))
    assert [x[:5] for x in local(rule, "UTC", date(2026, 1, 1), date(2026, 12, 31))] == [
        "05-02",
        "05-05",
        "05-08",
    ]


@pytest.mark.parametrize(
    ("schedule", "field"),
    [
        (Schedule(kind="weekly"), "weekdays"),
        (Schedule(kind="weekly", weekdays=(1, 1)), "weekdays"),
        (Schedule(kind="hourly", every=5), "every"),
        (Schedule(kind="monthly", day=0), "day"),
        (Schedule(kind="monthly", day=30, every=12, start=date(2026, 2, 1)), "day"),
        (Schedule(kind="daily", start=date(2026, 2, 1), until=date(2026, 1, 1)), "until"),
        (Schedule(kind="monthly", day=31, start=date(2026, 2, 1), until=date(2026, 3, 1)), "day"),
    ],
)
def test_a_schedule_that_never_fires_is_refused_at_its_field(
    schedule: Schedule, field: str
) -> None:
    found = complaint(schedule)
    assert found
    assert found[0] == field


def test_leap_day_comes_up_every_four_years_and_is_no_error() -> None:
    rule = Schedule(kind="monthly", day=29, every=12, start=date(2024, 2, 29))
    assert complaint(rule) is None
    found = starts(rule, "UTC", date(2024, 1, 1), date(2032, 12, 31))
    assert len(found) == 3


@pytest.mark.parametrize(
    ("schedule", "text"),
    [
        (Schedule(kind="hourly", at="00:05"), "every hour at :05"),
        (Schedule(kind="hourly", every=4, at="00:05"), "every 4 h at :05"),
        (Schedule(kind="daily", every=2, at="03:00"), "every 2 days at 03:00"),
        (Schedule(kind="weekly", weekdays=(6, 0), at="01:00"), "Mon, Sun at 01:00"),
        (Schedule(kind="monthly", day=-1, every=3), "the last day of every quarter at 00:00"),
    ],
)
def test_says_it_in_words(schedule: Schedule, text: str) -> None:
    assert in_words(schedule) == text


@pytest.mark.parametrize(
    "schedule",
    [
        Schedule(kind="hourly", every=12),
        Schedule(kind="daily", every=5),
        Schedule(kind="weekly", every=3, weekdays=(2,)),
        Schedule(kind="monthly", every=2, day=15),
        Schedule(kind="monthly", day=31),
        Schedule(kind="monthly", day=-1),
    ],
)
def test_no_step_is_longer_than_promised(schedule: Schedule) -> None:
    found = starts(schedule, "Europe/Lisbon", date(2025, 1, 1), date(2027, 12, 31))
    widest = max(b - a for a, b in pairwise(found)) / 86_400
    assert widest <= longest_step_days(schedule) + 1 / 24


def test_the_nth_weekday_of_a_month() -> None:
    def days(nth: int, weekday: int, every: int = 1) -> list[str]:
        found = Schedule(kind="monthly", nth=nth, weekdays=(weekday,), every=every, at="03:00")
        return [t[:5] for t in local(found, "UTC", date(2026, 1, 1), date(2026, 6, 30))]

    # By the calendar of 2026: the first Saturdays, the last Sundays.
    assert days(1, 5) == ["01-03", "02-07", "03-07", "04-04", "05-02", "06-06"]
    assert days(-1, 6) == ["01-25", "02-22", "03-29", "04-26", "05-31", "06-28"]
    assert days(1, 5, every=3) == ["01-03", "04-04"]
    # A fifth Friday: months that have none are skipped.
    assert days(5, 4) == ["01-30", "05-29"]


def test_hours_of_the_night_only() -> None:
    night = Schedule(kind="hourly", every=2, at="00:30", only_from="22:00", only_to="05:00")
    found = local(night, "UTC", date(2026, 1, 1), date(2026, 1, 1))
    assert [t[6:11] for t in found] == ["00:30", "02:30", "04:30", "22:30"]
    assert in_words(night) == "every 2 h at :30, 22:00 to 05:00"


def test_a_job_keeps_the_time_of_its_own_zone() -> None:
    there = Schedule(kind="daily", at="01:00", zone="America/New_York")
    (only,) = starts(there, "Europe/Berlin", date(2026, 1, 10), date(2026, 1, 10))
    assert datetime.fromtimestamp(only, UTC).hour == 6


@pytest.mark.parametrize(
    ("schedule", "field"),
    [
        (Schedule(kind="monthly", nth=2), "weekdays"),
        (Schedule(kind="monthly", nth=2, weekdays=(0, 1)), "weekdays"),
        (
            Schedule(kind="hourly", every=6, at="00:10", only_from="01:00", only_to="05:00"),
            "only_to",
        ),
        (Schedule(kind="hourly", only_from="01:00"), "only_to"),
        # 31 February, however long one waits.
        (Schedule(kind="monthly", every=12, day=31, start=date(2026, 2, 1)), "day"),
        (Schedule(kind="monthly", every=12, day=30, start=date(2026, 2, 1)), "day"),
    ],
)
def test_schedules_that_never_fire_are_refused(schedule: Schedule, field: str) -> None:
    found = complaint(schedule)
    assert found
    assert found[0] == field


def test_starts_that_a_wall_clock_rule_leaves_out_are_named() -> None:
    year = (date(2026, 1, 1), date(2026, 12, 31))
    moved = odd_starts(Schedule(kind="daily", at="02:30"), "Europe/Berlin", *year)
    assert [t.isoformat() for t in moved] == ["2026-03-29T03:00:00+02:00"]
    hourly = odd_starts(Schedule(kind="hourly", at="00:30"), "Europe/Berlin", *year)
    assert [(t.isoformat(), t.fold) for t in hourly] == [("2026-10-25T02:30:00+01:00", 1)]
    assert odd_starts(Schedule(kind="daily", at="05:00"), "Europe/Berlin", *year) == ()
