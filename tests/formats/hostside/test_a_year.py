"""A year of random jobs in fast time: the points that are there are those that the core predicts.

Cron starts the script by the exported crontab, in five zones with both odd nights in the year; the
snapshots are kept in memory. What Debian's cron(8) does on the odd nights is played here: a start
from the spring gap comes when the gap is over, one from the repeated hour once.
"""

import json
from datetime import UTC, date, datetime, time, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import pytest
from hypothesis import HealthCheck, assume, example, given, settings
from hypothesis import strategies as st

from kavrel.core.copies.retention import existing
from kavrel.core.copies.rules import complaint as rules_complaint
from kavrel.core.copies.rules import keeps_nothing
from kavrel.core.plan import Job, Plan, Retention, Schedule, Window
from kavrel.core.schedule import complaint, gap_end
from kavrel.formats.hostside import lab_job
from kavrel.formats.lab_jobs import lab_jobs
from kavrel.formats.timers import crontab
from tests.builders import book, job, lab
from tests.outside.test_schedules import ZONES

BEGIN, END = date(2026, 2, 20), date(2027, 2, 20)

SCHEDULES = st.one_of(
    st.builds(
        Schedule,
        kind=st.just("hourly"),
        every=st.sampled_from([6, 12]),
        at=st.sampled_from(["00:15", "02:30"]),
    ),
    st.builds(
        Schedule,
        kind=st.just("daily"),
        every=st.integers(1, 3),
        at=st.sampled_from(["01:30", "02:15", "02:30", "23:50"]),
        start=st.sampled_from([None, date(2026, 3, 10)]),
        until=st.sampled_from([None, date(2026, 12, 24)]),
    ),
    st.builds(
        Schedule,
        kind=st.just("weekly"),
        every=st.integers(1, 2),
        weekdays=st.sets(st.integers(0, 6), min_size=1).map(lambda s: tuple(sorted(s))),
        at=st.sampled_from(["02:30", "12:00"]),
        zone=st.sampled_from([None, "Asia/Kolkata"]),
    ),
    st.builds(
        Schedule,
        kind=st.just("monthly"),
        every=st.sampled_from([1, 3, 5]),
        day=st.sampled_from([1, 29, 31, -1]),
        at=st.just("02:30"),
    ),
    st.builds(
        Schedule,
        kind=st.just("monthly"),
        nth=st.sampled_from([1, 5, -1]),
        weekdays=st.integers(0, 6).map(lambda d: (d,)),
        at=st.just("02:30"),
    ),
).filter(lambda s: complaint(s) is None)
RULES = st.one_of(
    st.builds(
        Retention,
        last=st.sampled_from([0, 3]),
        all_days=st.sampled_from([0, 10]),
        daily=st.sampled_from([0, 5]),
        weekly=st.sampled_from([0, 3]),
        monthly=st.sampled_from([0, 4]),
        counting=st.sampled_from(["beyond", "each"]),
        of_period=st.sampled_from(["last", "first"]),
        thin=st.sampled_from([0, 6]),
    ).filter(lambda r: not keeps_nothing(r)),
    st.sampled_from(
        [
            Retention(
                windows=(Window(every="daily", days=20), Window(every="weekly", days=90)),
                of_period=which,
            )
            for which in ("last", "first")
        ]
    ),
).filter(lambda r: rules_complaint(r) is None)


class Memory(lab_job.Side):
    """A side whose snapshots are kept in memory."""

    snapshots: list[str]

    def run(self, *command: str, fine: object = (0,)) -> None:
        verb, what = command[1], command[-1]
        if verb == "snapshot":
            assert what not in self.snapshots
            self.snapshots.append(what)
        else:
            assert verb == "destroy"
            self.snapshots.remove(what)

    def ask(self, *command: str) -> list[str]:
        return list(self.snapshots)


def cron_starts(fields: str, zone: str) -> list[float]:
    """When Debian's cron starts a line in the year, on a host that keeps the plan's time."""
    place = ZoneInfo(zone)
    minutes, hours, days, months, weekdays = fields.split()
    assert "*" in (days, weekdays)

    def listed(field: str, most: int) -> list[int]:
        return list(range(most)) if field == "*" else [int(x) for x in field.split(",")]

    def within(field: str, value: int) -> bool:
        parts = [p.split("-") for p in field.split(",")]
        return field == "*" or any(int(p[0]) <= value <= int(p[-1]) for p in parts)

    found = []
    for n in range((END - BEGIN).days):
        day = BEGIN + timedelta(days=n)
        if not (
            within(days, day.day)
            and within(months, day.month)
            and within(weekdays, day.isoweekday() % 7)
        ):
            continue
        for hour in listed(hours, 24):
            for minute in listed(minutes, 60):
                local = datetime.combine(day, time(hour, minute), place)
                if hours == "*":  # by what the clock says: twice in an hour that comes twice
                    twice = {local.timestamp(), local.replace(fold=1).timestamp()}
                    found += [] if gap_end(local) else sorted(twice)
                else:
                    found.append(gap_end(local) or local.timestamp())
    return sorted(found)


def live_through(plan: Plan, made: Job, folder: Path) -> list[tuple[float, list[float]]]:
    """The year by the exported crontab: after each start that cron makes, the points there are."""
    lines = crontab(plan, "box", "revision 1", BEGIN).splitlines()
    (line,) = [x for x in lines if x.endswith("lab-job --cron it")]
    told = json.loads(lab_jobs(plan, "box", "revision 1"))
    settings_ = told["jobs"]["it"]
    sides: list[str] = []
    seen = []
    for at in cron_starts(" ".join(line.split()[:5]), plan.zone):
        now = at + 1.0  # cron is a second late
        if not lab_job.is_due("it", settings_, told["zone"], now):
            continue
        lab_job.stamp("it", "began", now)
        run = lab_job.Job("it", settings_, told["zone"], False, now)
        run.source = Memory()
        run.source.snapshots = sides
        run.run()
        points = lab_job.Points(run.source, "zfs", "main/files", "it").all()
        seen.append((now, sorted(points.values())))
    return seen


@given(SCHEDULES, RULES, st.sampled_from(ZONES))
@example(
    Schedule(kind="weekly", weekdays=(6,), at="12:00", zone="Asia/Kolkata"),
    Retention(last=3),
    "America/New_York",
)
@settings(
    max_examples=25,
    deadline=None,
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow],
)
@pytest.mark.prove
def test_a_year_by_the_crontab_leaves_the_points_that_the_core_predicts(
    tmp_path_factory: pytest.TempPathFactory, schedule: Schedule, rules: Retention, zone: str
) -> None:
    folder = tmp_path_factory.mktemp("year")
    made = job("it", schedule=schedule, retention=rules)
    plan = lab(zone=zone, jobs=(made,))
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(lab_job, "STATE", folder)
        seen = live_through(plan, made, folder)
    from kavrel.core.copies.flow import points as flow_points

    flow = book(plan).flow(made)
    # In another zone than the host's the first or last day may begin before or after the year.
    first, last = (datetime.combine(d, time(), ZoneInfo(zone)).timestamp() for d in (BEGIN, END))
    predicted = [p for p in flow_points(flow, BEGIN, END) if p.data_time < last]
    assume(all(first <= p.data_time for p in predicted))
    # The same starts, all of them, and after each of them the same points.
    assert [round(t - 1) for t, _ in seen] == [round(p.data_time) for p in predicted]
    for (now, there), point in zip(seen, predicted, strict=True):
        expected = existing(predicted, point.available_at)
        assert [round(t - 1) for t in there] == [round(p.data_time) for p in expected], (
            datetime.fromtimestamp(now, UTC)
        )
