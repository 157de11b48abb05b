"""Schedules against python-dateutil's rrule and against systemd-analyze calendar.

Sources: RFC 5545 as python-dateutil implements it; systemd.time(7). Over both odd nights of the
year they differ by design, and the tests say how: Kavrel moves a start in the spring gap by the
gap, systemd and RFC 5545 skip it.
"""

import subprocess
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from dateutil.rrule import rrulestr
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.copies.schedule import complaint, dtstart, rrule, starts
from kavrel.core.plan import Schedule
from tests.conftest import needs

FIRST, LAST = date(2026, 1, 1), date(2026, 12, 31)
LATER = date(2031, 12, 31)  # for twelve quarterly starts
ZONES = ("UTC", "Europe/Berlin", "America/New_York", "Australia/Lord_Howe", "Asia/Kolkata")


def walls(schedule: Schedule, zone: str) -> list[datetime]:
    """Local wall times of all starts."""
    place = ZoneInfo(zone)
    return [
        datetime.fromtimestamp(t, UTC).astimezone(place).replace(tzinfo=None)
        for t in starts(schedule, zone, FIRST, LAST)
    ]


def by_rrule(schedule: Schedule) -> list[datetime]:
    """The same by dateutil, in wall time."""
    begin = dtstart(schedule, "UTC").replace(tzinfo=None)
    text = rrule(schedule).split(";UNTIL")[0]
    found = rrulestr(text, dtstart=begin)
    low, high = (
        datetime.combine(FIRST, datetime.min.time()),
        datetime.combine(LAST, datetime.max.time()),
    )
    until = datetime.combine(schedule.until, datetime.max.time()) if schedule.until else high
    return list(found.between(low, min(high, until), inc=True))


# 05:30 exists once on every day in all five zones.
SCHEDULES = st.one_of(
    st.builds(Schedule, kind=st.just("hourly"), every=st.sampled_from([1, 2, 3, 4, 6, 8, 12])),
    st.builds(
        Schedule,
        kind=st.just("daily"),
        every=st.integers(1, 40),
        at=st.just("05:30"),
        start=st.none() | st.dates(date(2025, 1, 1), date(2026, 6, 1)),
        until=st.none() | st.dates(date(2026, 7, 1), date(2027, 6, 1)),
    ),
    st.builds(
        Schedule,
        kind=st.just("weekly"),
        every=st.integers(1, 6),
        at=st.just("05:30"),
        weekdays=st.sets(st.integers(0, 6), min_size=1).map(lambda s: tuple(sorted(s))),
        start=st.none() | st.dates(date(2025, 1, 1), date(2026, 6, 1)),
    ),
    st.builds(
        Schedule,
        kind=st.just("monthly"),
        every=st.integers(1, 12),
        at=st.just("05:30"),
        day=st.sampled_from([1, 15, 28, 29, 30, 31, -1]),
    ),
).filter(lambda s: complaint(s) is None)


@given(SCHEDULES, st.sampled_from(ZONES))
@settings(max_examples=25, deadline=None)
def test_starts_are_those_of_dateutil(schedule: Schedule, zone: str) -> None:
    found = walls(schedule, zone)
    if schedule.kind == "hourly":
        # The odd nights differ by design: compare the days that have all their hours once.
        odd = {w.date() for w in found if found.count(w) > 1}
        odd |= {d for d in {w.date() for w in found} if _hours(d, zone) != 24}
        assert [w for w in found if w.date() not in odd] == [
            w for w in by_rrule(schedule) if w.date() not in odd
        ]
    else:
        assert found == by_rrule(schedule)


def _hours(day: date, zone: str) -> float:
    place = ZoneInfo(zone)
    begin = datetime(day.year, day.month, day.day, tzinfo=place).timestamp()
    after = day + timedelta(days=1)
    return (datetime(after.year, after.month, after.day, tzinfo=place).timestamp() - begin) / 3600


def by_systemd(spec: str, zone: str, count: int, base: str) -> list[datetime]:
    """Next elapses as systemd reckons them, as instants."""
    done = subprocess.run(
        ["systemd-analyze", "calendar", spec, f"--iterations={count}", f"--base-time={base}"],
        capture_output=True,
        text=True,
        check=True,
        env={"TZ": zone, "PATH": "/usr/bin:/bin", "LC_ALL": "C"},
    )
    found = []
    for line in done.stdout.splitlines():
        label, _, rest = line.strip().partition(": ")
        if (zone == "UTC" and (label == "Next elapse" or label.startswith("Iter"))) or (
            zone != "UTC" and label == "(in UTC)"
        ):
            found.append(rest)
    return [
        datetime.strptime(" ".join(f.split()[1:3]), "%Y-%m-%d %H:%M:%S").replace(tzinfo=UTC)
        for f in found
    ]


@needs("systemd-analyze")
@pytest.mark.parametrize(
    ("schedule", "spec"),
    [
        (Schedule(kind="daily", at="05:30"), "*-*-* 05:30:00"),
        (Schedule(kind="weekly", weekdays=(0, 3), at="04:15"), "Mon,Thu *-*-* 04:15:00"),
        (Schedule(kind="monthly", day=31, at="06:00"), "*-*-31 06:00:00"),
        (Schedule(kind="monthly", day=-1, at="06:00"), "*-*~01 06:00:00"),
        (Schedule(kind="monthly", every=3, day=15, at="10:00"), "*-01/3-15 10:00:00"),
    ],
)
@pytest.mark.parametrize("zone", ZONES)
def test_starts_are_those_of_systemd(schedule: Schedule, spec: str, zone: str) -> None:
    wanted = by_systemd(spec, zone, 12, "2026-01-01 00:00:00")
    assert len(wanted) == 12
    found = [datetime.fromtimestamp(t, UTC) for t in starts(schedule, zone, FIRST, LATER)]
    assert found[:12] == wanted


@needs("systemd-analyze")
def test_in_the_spring_gap_systemd_skips_and_kavrel_moves() -> None:
    zone = "Europe/Berlin"
    theirs = by_systemd("*-*-* 02:30:00", zone, 2, "2026-03-28 12:00:00")
    ours = [
        datetime.fromtimestamp(t, UTC)
        for t in starts(
            Schedule(kind="daily", at="02:30"), zone, date(2026, 3, 29), date(2026, 3, 30)
        )
    ]
    assert theirs[0] == datetime(2026, 3, 30, 0, 30, tzinfo=UTC)
    assert ours == [datetime(2026, 3, 29, 1, 30, tzinfo=UTC), theirs[0]]
