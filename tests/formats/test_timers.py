"""Crontab and timers: accepted by the real tools, and starting on the days of the schedule."""

import re
import subprocess
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import pytest

from kavrel.core.copies.schedule import in_words, starts
from kavrel.core.plan import Job, Plan, Retention, Schedule
from kavrel.formats.lab_jobs import hosts_with_jobs, runs_on
from kavrel.formats.timers import (
    cron_fields,
    crontab,
    guard,
    timer_units,
)
from tests.builders import TODAY, daily, job, lab
from tests.conftest import needs

FAR = {"kind": "replication", "target_pool": "second"}

GUARDED = (
    Schedule(kind="daily", every=3, at="02:00"),
    Schedule(kind="daily", every=2, at="02:00", start=date(2026, 2, 3), until=date(2026, 5, 1)),
    Schedule(kind="weekly", every=2, weekdays=(0, 3), at="02:00"),
    Schedule(kind="weekly", every=3, weekdays=(6,), at="02:00", start=date(2026, 1, 7)),
    Schedule(kind="monthly", every=5, day=7, at="02:00"),
    Schedule(kind="monthly", every=4, day=15, at="02:00", start=date(2025, 3, 15)),
    Schedule(kind="monthly", day=-1, at="02:00"),
    Schedule(kind="monthly", nth=2, weekdays=(6,), at="02:00"),
    Schedule(kind="monthly", nth=-1, weekdays=(4,), at="02:00"),
    Schedule(kind="monthly", nth=5, weekdays=(2,), at="02:00"),
)
FIRST, LAST = date(2026, 1, 1), date(2026, 12, 31)


def matches(fields: str, day: date) -> bool:
    """Whether cron's day, month and weekday fields hold: crontab(5), one of the two days at least
    being a star."""
    _, _, days, months, weekdays = fields.split()
    assert "*" in (days, weekdays)

    def within(field: str, value: int) -> bool:
        parts = [p.split("-") for p in field.split(",")]
        return field == "*" or any(int(p[0]) <= value <= int(p[-1]) for p in parts)

    return (
        within(days, day.day)
        and within(months, day.month)
        and within(weekdays, day.isoweekday() % 7)
    )


def holds(test: str, days: list[date]) -> set[date]:
    """The days on which a shell test holds, asked of a real shell with a clock of our own."""
    if not test:
        return set(days)
    # `date` on each of the days: a date given with -d stays what it is.
    script = f"""
date() {{
  case "$*" in
    *-d*) command date "$@" ;;
    *) command date -d "$DAY" "$@" ;;
  esac
}}
for DAY in {" ".join(d.isoformat() for d in days)}; do
  if {test}; then echo "$DAY"; fi
done
"""
    done = subprocess.run(
        ["sh", "-c", script],
        capture_output=True,
        text=True,
        check=True,
        env={"PATH": "/usr/bin:/bin", "TZ": "UTC"},
    )
    return {date.fromisoformat(line) for line in done.stdout.split()}


@pytest.mark.parametrize("schedule", GUARDED, ids=in_words)
def test_cron_runs_on_the_days_of_the_schedule(schedule: Schedule) -> None:
    fields, test = cron_fields(schedule)
    days = [FIRST + timedelta(days=n) for n in range((LAST - FIRST).days + 1)]
    found = holds(test, [d for d in days if matches(fields, d)])
    times = starts(schedule, "UTC", FIRST, LAST)
    assert found == {datetime.fromtimestamp(t, UTC).date() for t in times}


@pytest.mark.parametrize("schedule", GUARDED[:6], ids=in_words)
def test_the_condition_of_a_timer_is_the_same_test(schedule: Schedule) -> None:
    assert guard(schedule)
    assert guard(schedule) in cron_fields(schedule)[1]


def busy() -> Plan:
    return lab(
        jobs=(
            job("push", schedule=daily("02:30"), **FAR),
            job("pull", kind="backup", target_pool="second", credentials="target"),
            job(
                "x",
                kind="backup",
                reads_from="push",
                after="push",
                target_pool="main",
                schedule=Schedule(kind="after"),
            ),
            job("hand", kind="shelf", target_disk="loose9", retention=Retention(last=1)),
            job(
                "odd", schedule=Schedule(kind="weekly", every=2, weekdays=(6,), at="03:00")
            ).model_copy(update={"name": "odd %name"}),
            job("zone", schedule=daily("03:00", zone="Asia/Kolkata")),
        )
    )


def test_each_box_runs_its_own_jobs() -> None:
    plan = busy()
    jobs = {j.id: runs_on(plan, j) for j in plan.jobs}
    assert jobs == {
        "push": "box",
        "pull": "far",
        "x": "far",
        "hand": None,
        "odd": "box",
        "zone": "box",
    }
    assert hosts_with_jobs(plan) == ["box", "far"]
    text = crontab(plan, "box", "revision 1")
    assert "30 2 * * * /usr/local/sbin/lab-job push" in text
    assert "use its timer" in text  # cron knows one zone only
    assert not re.search(
        r"(?<!\\)%", "".join(x for x in text.splitlines() if not x.startswith("#"))
    )


def test_what_follows_runs_in_the_same_line() -> None:
    base = busy()
    near = Job.model_validate(
        {
            **base.jobs[2].model_dump(),
            "reads_from": None,
            "after": "push",
            "kind": "snapshot",
            "target_pool": None,
        }
    )
    plan = base.model_copy(update={"jobs": (base.jobs[0], near)})
    assert "lab-job push && /usr/local/sbin/lab-job x" in crontab(plan, "box", "revision 1")


@needs("crontab")
def test_cron_accepts_the_file(tmp_path: Path, demo: Plan) -> None:
    for plan, host in ((busy(), "box"), (demo, "heron"), (demo, "dipper")):
        path = tmp_path / "crontab"
        path.write_text(crontab(plan, host, "revision 1"), encoding="utf-8")
        done = subprocess.run(
            ["crontab", "-n", str(path)], capture_output=True, text=True, check=False
        )
        assert done.returncode == 0, done.stderr


@needs("systemd-analyze")
def test_systemd_accepts_the_units(tmp_path: Path, demo: Plan) -> None:
    for plan, host in ((busy(), "box"), (demo, "heron")):
        folder = tmp_path / host
        folder.mkdir()
        units = timer_units(plan, host, "revision 1", TODAY)
        for name, text in units.items():
            # The script is not on this machine: any that exists will do here.
            path = folder / name
            path.write_text(text.replace("/usr/local/sbin/lab-job", "/bin/true"), encoding="utf-8")
        done = subprocess.run(
            ["systemd-analyze", "verify", "--man=no", *map(str, folder.iterdir())],
            capture_output=True,
            text=True,
            check=False,
        )
        assert done.returncode == 0, done.stderr
        ours = [x for x in done.stderr.splitlines() if "lab-" in x]
        assert not ours, ours
    assert any(
        "OnCalendar=" in t and "02:30:00 Europe/Berlin" in t
        for t in timer_units(busy(), "box", "r", TODAY).values()
    )


def test_a_follower_has_no_timer_and_is_started_by_its_source() -> None:
    base = busy()
    near = base.jobs[2].model_copy(
        update={"reads_from": None, "kind": "snapshot", "target_pool": None}
    )
    plan = base.model_copy(update={"jobs": (base.jobs[0], near)})
    units = timer_units(plan, "box", "revision 1", TODAY)
    assert "lab-x.timer" not in units
    assert "OnSuccess=lab-x.service" in units["lab-push.service"]


def test_the_moments_of_the_spring_gap_are_named_for_ten_years() -> None:
    units = timer_units(lab(jobs=(job("push", schedule=daily("02:30"), **FAR),)), "box", "r", TODAY)
    named = re.findall(r"OnCalendar=(\d{4})-03-\d\d 01:00:00 UTC", units["lab-push.timer"])
    assert named == [str(y) for y in range(2027, 2037)]
