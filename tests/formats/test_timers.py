"""Crontab and timers: accepted by the real tools, and starting on the days of the schedule."""

import json
import re
import subprocess
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.copies.carrier import runs_on
from kavrel.core.edit import EditError, put
from kavrel.core.index import Index
from kavrel.core.plan import Plan, Retention, Schedule
from kavrel.core.schedule import calendar_says_all, in_words, starts
from kavrel.core.shares.names import job_names
from kavrel.formats.hostside import lab_job
from kavrel.formats.lab_jobs import hosts_with_jobs, lab_jobs
from kavrel.formats.plan_file import dump, load
from kavrel.formats.timers import (
    cron_fields,
    crontab,
    elsewhere_fields,
    timer_units,
)
from tests.builders import TODAY, book, daily, disk, job, lab
from tests.conftest import needs
from tests.outside.test_schedules import SCHEDULES, ZONES

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


def told(schedule: Schedule) -> dict[str, Any]:
    """A schedule as the job file has it."""
    return schedule.model_dump(mode="json", exclude_defaults=True)


@pytest.mark.parametrize("schedule", GUARDED, ids=in_words)
def test_cron_runs_on_the_days_of_the_schedule(schedule: Schedule) -> None:
    days = [FIRST + timedelta(days=n) for n in range((LAST - FIRST).days + 1)]
    asked = [d for d in days if matches(cron_fields(schedule), d)]
    found = {d for d in asked if lab_job.starts_on(told(schedule), "UTC", d)}
    times = starts(schedule, "UTC", FIRST, LAST)
    assert found == {datetime.fromtimestamp(t, UTC).date() for t in times}
    # A timer's service asks the same where its calendar alone would fire on other days.
    assert calendar_says_all(schedule) == (schedule.every == 1)


@given(SCHEDULES, st.sampled_from(ZONES))
@settings(max_examples=40, deadline=None)
def test_the_script_knows_the_same_starts_over_both_odd_nights(
    schedule: Schedule, zone: str
) -> None:
    for first in (date(2026, 3, 1), date(2026, 10, 1)):
        days = [first + timedelta(days=n) for n in range(40)]
        theirs = [t for d in days for t in lab_job.starts_on(told(schedule), zone, d)]
        assert tuple(sorted(theirs)) == starts(schedule, zone, days[0], days[-1])


def test_a_schedule_of_another_zone_is_looked_at_whenever_it_may_start_here() -> None:
    schedule = daily("03:00", zone="Asia/Kolkata")
    # 03:00 there is 22:30 in Berlin's winter and 23:30 in its summer.
    assert elsewhere_fields(schedule, "Europe/Berlin", TODAY) == "30 * * * *"


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
    index = Index(plan)
    assert {j.id: runs_on(index, j) for j in plan.jobs} == {
        "push": "box",
        "pull": "far",
        "x": "far",
        "hand": None,
        "odd": "box",
        "zone": "box",
    }
    assert hosts_with_jobs(plan) == ["box", "far"]
    text = crontab(plan, "box", "revision 1", TODAY)
    assert "30 2 * * * /usr/local/sbin/lab-job --cron push" in text
    assert "30 * * * * /usr/local/sbin/lab-job --cron zone" in text
    # cron starts with hardly any path: zpool, zfs and findmnt are in sbin.
    assert re.search(r"^PATH=.*:/usr/sbin:.*:/sbin:", text, re.M)
    assert not re.search(
        r"(?<!\\)%", "".join(x for x in text.splitlines() if not x.startswith("#"))
    )


def test_what_follows_on_another_box_looks_for_what_it_waits_for() -> None:
    plan = busy()
    line = "*/10 * * * * /usr/local/sbin/lab-job --cron x"
    assert line in crontab(plan, "far", "revision 1", TODAY)
    units = timer_units(plan, "far", "revision 1", TODAY)
    assert "OnCalendar=*:0/10\n" in units["lab-x.timer"]
    assert "ExecCondition=/usr/local/sbin/lab-job due x\n" in units["lab-x.service"]
    waits = json.loads(lab_jobs(plan, "far", "revision 1"))["jobs"]["x"]["waits_for"]
    # push is a replication to this very box: its points tell.
    assert waits == {
        "job": "push",
        "filesystem": "zfs",
        "places": ["second/push/files"],
        "received": True,
    }


def test_a_chain_that_no_box_can_carry_is_refused_and_an_old_one_never_runs() -> None:
    third = lab().hosts[1].model_copy(update={"id": "third", "name": "third"})
    other = (
        lab()
        .pools[1]
        .model_copy(
            update={"id": "other", "name": "other", "host": "third", "groups": (("t1", "t2"),)}
        )
    )
    more = tuple(disk(n, "third", id=f"t{n}") for n in (1, 2))
    elsewhere = lab().datasets[0].model_copy(update={"id": "data", "name": "data", "pool": "other"})
    parts: dict[str, Any] = {
        "hosts": (*lab().hosts, third),
        "disks": (*lab().disks, *more),
        "pools": (*lab().pools, other),
        "datasets": (*lab().datasets, elsewhere),
    }
    snaps = job("snaps", datasets=("data",), schedule=Schedule(kind="after"), after="push")
    push = job("push", **FAR)
    with pytest.raises(EditError, match="push runs on box, this on third: no box"):
        lab(**parts, jobs=(push, snaps))
    good = lab(**parts, jobs=(push,))
    old = good.model_copy(update={"jobs": (push, snaps)})
    assert len(book(old).points(snaps)) == 0  # nothing counts on it
    assert "snaps" not in crontab(old, "third", "revision 1", TODAY)
    # It opens and is worked on; taking it over again is refused, mending it is not.
    assert load(dump(old).encode()) == old
    put(old, "jobs", push.model_copy(update={"name": "pushed"}))
    with pytest.raises(EditError, match="no box"):
        put(good, "jobs", snaps)


def test_every_job_of_the_demo_is_started_by_something(demo: Plan) -> None:
    index, names = Index(demo), job_names(demo)
    for one in demo.jobs:
        host = runs_on(index, one)
        if host is None:
            continue  # somebody does it by hand, and is reminded
        told = json.loads(lab_jobs(demo, host, "r"))["jobs"]
        behind = [n for other in told.values() for n in other.get("then", ())]
        lines = crontab(demo, host, "r", TODAY).splitlines()
        starts_it = [x for x in lines if x.endswith(f"--cron {names[one.id]}")]
        units = timer_units(demo, host, "r", TODAY)
        timed = f"lab-{names[one.id]}.timer" in units
        assert (bool(starts_it), timed) == (
            (False, False) if names[one.id] in behind else (True, True)
        )
    # The dump lies on heron by what wren did; dipper looks there for it.
    waits = json.loads(lab_jobs(demo, "dipper", "r"))["jobs"]["ledger-dump-to-the-mill"][
        "waits_for"
    ]
    marks = json.loads(lab_jobs(demo, "wren", "r"))["jobs"]["ledger-dump"]
    heron = index.hosts["heron"]
    assert (waits["mark"], waits["peer"]) == (marks["marks"], heron.vpn_address)
    assert marks["peer"] == heron.address, "wren is on heron's LAN, and not in the VPN"


def test_what_follows_on_the_same_box_runs_behind_it() -> None:
    base = busy()
    near = job("x", schedule=Schedule(kind="after"), after="push")
    plan = base.model_copy(update={"jobs": (base.jobs[0], near)})
    assert "lab-job --cron x" not in crontab(plan, "box", "revision 1", TODAY)
    units = timer_units(plan, "box", "revision 1", TODAY)
    assert "lab-x.timer" not in units
    assert "OnSuccess=lab-x.service" in units["lab-push.service"]
    assert json.loads(lab_jobs(plan, "box", "revision 1"))["jobs"]["push"]["then"] == ["x"]


def test_failure_is_told_and_what_was_missed_is_made_up_for() -> None:
    plan = lab(jobs=(job("push", schedule=daily("02:30"), catch_up=True, alarm_days=2.0, **FAR),))
    units = timer_units(plan, "box", "revision 1", TODAY)
    assert all(
        "OnFailure=lab-tell@%N.service" in units[u]
        for u in units
        if u.endswith(".service") and not u.startswith("lab-tell")
    )
    assert "Persistent=true" in units["lab-push.timer"]
    text = crontab(plan, "box", "revision 1", TODAY)
    assert len(re.findall(r"lab-job --cron push$", text, re.M)) == 2
    # Silence is heard at both ends: this box asks the far one, and the far one looks itself.
    arrival = {
        "job": "push",
        "filesystem": "zfs",
        "places": ["second/push/files"],
        "received": True,
        "days": 2.0,
    }
    assert json.loads(lab_jobs(plan, "box", "r"))["watched"] == [{**arrival, "peer": "far"}]
    assert json.loads(lab_jobs(plan, "far", "r"))["watched"] == [arrival]
    assert "lab-job overdue" in crontab(plan, "far", "revision 1", TODAY)
    # One that pulls tells the box that it pulls from.
    pull = lab(jobs=(job("pull", credentials="target", alarm_days=2.0, **FAR),))
    assert json.loads(lab_jobs(pull, "box", "r"))["watched"] == [
        {"job": "pull", "stamp": "heard", "days": 2.0}
    ]
    assert json.loads(lab_jobs(pull, "far", "r"))["jobs"]["pull"]["tells_source"] == "box"
    # A tool of one's own that pulls has no other end in its job file, but the box is told all the same.
    tool = lab(
        jobs=(job("pull", "backup", credentials="target", alarm_days=2.0, target_pool="second"),)
    )
    told = json.loads(lab_jobs(tool, "far", "r"))["jobs"]["pull"]
    assert (told["tells_source"], "pulls" in told) == ("box", False)


@needs("crontab")
def test_cron_accepts_the_file(tmp_path: Path, demo: Plan) -> None:
    for plan, host in ((busy(), "box"), (demo, "heron"), (demo, "dipper")):
        path = tmp_path / "crontab"
        path.write_text(crontab(plan, host, "revision 1", TODAY), encoding="utf-8")
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


def test_the_moments_of_the_spring_gap_are_named_for_ten_years() -> None:
    units = timer_units(lab(jobs=(job("push", schedule=daily("02:30"), **FAR),)), "box", "r", TODAY)
    named = re.findall(r"OnCalendar=(\d{4})-03-\d\d 01:00:00 UTC", units["lab-push.timer"])
    assert named == [str(y) for y in range(2027, 2037)]
