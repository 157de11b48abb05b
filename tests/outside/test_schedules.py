"""Schedules against python-dateutil's rrule and against systemd-analyze calendar.

Sources: RFC 5545 as python-dateutil implements it; systemd.time(7); cron(8) of Debian. Over both
odd nights of the year systemd and RFC 5545 skip a start in the spring gap; cron and Kavrel run it
when the gap is over. The exports name those moments, and then agree everywhere.
"""

import subprocess
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from dateutil.rrule import rrulestr
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.plan import Schedule
from kavrel.core.schedule import complaint, dtstart, in_words, odd_starts, rrule, starts
from kavrel.formats.timers import on_calendar
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
    text = rrule(schedule, "UTC").split(";UNTIL")[0]
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
    st.builds(
        Schedule,
        kind=st.just("monthly"),
        every=st.integers(1, 12),
        at=st.just("05:30"),
        nth=st.sampled_from([1, 2, 3, 4, 5, -1]),
        weekdays=st.integers(0, 6).map(lambda d: (d,)),
    ),
    st.builds(
        Schedule,
        kind=st.just("hourly"),
        every=st.sampled_from([1, 2, 3]),
        only_from=st.just("21:00"),
        only_to=st.sampled_from(["04:00", "23:30"]),
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


# Every start around the odd nights, at hours that lie in the gaps of the five zones.
ODD = (
    Schedule(kind="daily", at="02:30"),
    Schedule(kind="daily", at="02:15"),
    Schedule(kind="daily", at="01:45"),
    Schedule(kind="weekly", weekdays=(5, 6), at="02:30"),
    Schedule(kind="hourly", every=1, at="00:30"),
    Schedule(kind="hourly", every=2, at="00:30"),
    Schedule(kind="hourly", every=1, at="00:30", only_from="22:00", only_to="05:00"),
    Schedule(kind="monthly", nth=-1, weekdays=(6,), at="02:30"),
    Schedule(kind="monthly", nth=1, weekdays=(6,), every=2, at="02:30"),
    Schedule(kind="monthly", day=-1, at="02:30"),
    Schedule(kind="monthly", every=4, day=15, at="10:00"),
)
# From before the first odd night in spring to after the last in autumn, north and south.
SPANS = (
    ("2026-03-01 00:00:00", date(2026, 3, 1), date(2026, 4, 20)),
    ("2026-09-25 00:00:00", date(2026, 9, 25), date(2026, 11, 10)),
)


@needs("systemd-analyze")
@pytest.mark.parametrize("zone", ZONES)
@pytest.mark.parametrize("schedule", ODD, ids=in_words)
def test_timers_elapse_when_jobs_start_over_both_odd_nights(schedule: Schedule, zone: str) -> None:
    for base, first, last in SPANS:
        ours = {datetime.fromtimestamp(t, UTC) for t in starts(schedule, zone, first, last)}
        end = datetime.combine(last, datetime.max.time(), ZoneInfo(zone)).astimezone(UTC)
        begin = datetime.combine(first, datetime.min.time(), ZoneInfo(zone)).astimezone(UTC)
        theirs: set[datetime] = set()
        for line in on_calendar(schedule, zone, first):
            if line.endswith(" UTC") and zone != "UTC":
                moment = datetime.strptime(line, "%Y-%m-%d %H:%M:%S UTC").replace(tzinfo=UTC)
                theirs |= {moment} if begin <= moment <= end else set()
                continue
            found = by_systemd(line.removesuffix(f" {zone}"), zone, len(ours) + 3, base)
            theirs |= {t for t in found if begin <= t <= end}
        assert theirs == ours


@pytest.mark.parametrize("zone", ZONES)
@pytest.mark.parametrize("schedule", ODD, ids=in_words)
def test_calendar_events_recur_when_jobs_start_over_both_odd_nights(
    schedule: Schedule, zone: str
) -> None:
    place = ZoneInfo(zone)
    for _, first, last in SPANS:
        ours = {datetime.fromtimestamp(t, UTC) for t in starts(schedule, zone, first, last)}
        low = datetime.combine(first, datetime.min.time())
        rule = rrulestr(
            rrule(schedule, zone).split(";UNTIL")[0],
            dtstart=dtstart(schedule, zone).replace(tzinfo=None),
        )
        theirs: set[datetime] = set()
        for wall in rule.between(low, datetime.combine(last, datetime.max.time()), inc=True):
            local = wall.replace(tzinfo=place)
            # RFC 5545, 3.3.10: instances at a time that does not exist are ignored.
            if local.astimezone(UTC).astimezone(place).replace(tzinfo=None) == wall:
                theirs.add(local.astimezone(UTC))
        theirs |= {t.astimezone(UTC) for t in odd_starts(schedule, zone, first, last)}
        assert theirs == ours
