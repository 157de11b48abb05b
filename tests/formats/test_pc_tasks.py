"""Tasks of a PC's own scheduler: their times are the plan's, and no name gets out of its quotes.

Sources: systemd-analyze(1), sh(1) and Python's plistlib themselves; launchd.plist(5) on how its keys match
the clock, and schtasks: value from memory.
"""

import os
import plistlib
import subprocess
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import given, settings

from kavrel.core.index import Index
from kavrel.core.plan import Schedule
from kavrel.core.schedule import starts
from kavrel.core.works.page import page_works
from kavrel.core.works.pc import can_be_entered
from kavrel.formats.servers.pc_tasks import calendar_intervals, pc_files, schtasks_words
from tests.builders import TODAY
from tests.conftest import needs
from tests.core.works.test_pc import desk, replace
from tests.outside.test_schedules import SCHEDULES

FIRST, LAST = date(2026, 1, 1), date(2026, 12, 31)
PICTURES = "tasks/copy-desk-copy-pictures"


def matched(intervals: list[dict[str, int]]) -> set[datetime]:
    """The moments of a year at which the clock is as one of these says."""
    found = set()
    for day in (FIRST + timedelta(days=n) for n in range((LAST - FIRST).days + 1)):
        for one in intervals:
            there = {"Month": day.month, "Day": day.day, "Weekday": day.isoweekday() % 7}
            if all(one.get(k, v) == v for k, v in there.items()):
                hours = [one["Hour"]] if "Hour" in one else range(24)
                found |= {datetime(day.year, day.month, day.day, h, one["Minute"]) for h in hours}
    return found


@settings(max_examples=150)
@given(SCHEDULES)
def test_launchd_is_told_each_start_and_no_other(schedule: Schedule) -> None:
    if can_be_entered("macos", schedule):
        begins = starts(schedule, "UTC", FIRST, LAST)
        wanted = {datetime.fromtimestamp(t, UTC).replace(tzinfo=None) for t in begins}
        assert matched(calendar_intervals(schedule)) == wanted


@pytest.mark.parametrize(
    ("schedule", "words"),
    [
        ({"kind": "minutes", "every": 15}, "/SC MINUTE /MO 15 /ST 00:00"),
        ({"kind": "hourly", "every": 6, "at": "00:30"}, "/SC HOURLY /MO 6 /ST 00:30"),
        ({"kind": "daily", "at": "12:15"}, "/SC DAILY /ST 12:15"),
        ({"kind": "weekly", "weekdays": (4, 0), "at": "19:00"}, "/SC WEEKLY /D MON,FRI /ST 19:00"),
        ({"kind": "monthly", "day": 5, "at": "12:00"}, "/SC MONTHLY /D 5 /M * /ST 12:00"),
        ({"kind": "monthly", "day": -1, "at": "12:00"}, "/SC MONTHLY /MO LASTDAY /M * /ST 12:00"),
        (
            {"kind": "monthly", "every": 3, "nth": 2, "weekdays": (5,), "at": "09:00"},
            "/SC MONTHLY /MO SECOND /D SAT /M JAN,APR,JUL,OCT /ST 09:00",
        ),
    ],
)
def test_schtasks_is_told_it_in_its_words(schedule: dict[str, object], words: str) -> None:
    planned = Schedule.model_validate(schedule)
    assert can_be_entered("windows", planned)
    assert schtasks_words(planned) == words


@pytest.mark.parametrize("system", ["windows", "macos", "linux"])
def test_what_a_scheduler_cannot_count_is_left_to_its_person(system: str) -> None:
    plan = replace(desk(system), schedule=Schedule(kind="daily", every=3, at="12:00"))
    assert pc_files(plan, "desk", "r", TODAY) == {}
    works = {w.title: dict(w.values) for w in page_works(Index(plan), "desk", TODAY)}
    assert works["Task desk-copy: Pictures"]["scheduler"].endswith("as said under when")


@needs("systemd-analyze")
def test_systemd_reads_the_task_of_a_linux_pc(tmp_path: Path) -> None:
    plan = replace(desk("linux"), name="50 % of\nall", catch_up=True)
    for name, text in pc_files(plan, "desk", "r", TODAY).items():
        (tmp_path / Path(name).name).write_text(text, encoding="utf-8")
    units = [str(p) for p in tmp_path.iterdir() if p.suffix in (".timer", ".service")]
    assert len(units) == 2
    done = subprocess.run(
        ["systemd-analyze", "verify", "--user", "--man=no", *units],
        capture_output=True, text=True, check=False,
        env={**os.environ, "XDG_RUNTIME_DIR": str(tmp_path)},
    )  # fmt: skip
    assert [x for x in done.stderr.splitlines() if "copy-" in x] == []
    timer = next(Path(u).read_text(encoding="utf-8") for u in units if u.endswith(".timer"))
    assert "Persistent=true" in timer


HOSTILE = "a\"$(touch pwned)`touch pwned`'%TEMP%&b"


@pytest.mark.parametrize("system", ["macos", "linux"])
def test_names_stay_names_in_the_shell_of_a_pc(system: str, tmp_path: Path) -> None:
    plan = desk(system, name=f"pcs {HOSTILE}")
    named = tuple(
        d.model_copy(update={"name": HOSTILE}) if d.id == "pictures" else d for d in plan.datasets
    )
    files = pc_files(plan.model_copy(update={"datasets": named}), "desk", "r", TODAY)
    (script,) = [text for name, text in files.items() if name.endswith(".sh")]
    for tool in ("rsync", "mountpoint", "mkdir", "test"):
        stub = tmp_path / tool
        stub.write_text(f"#!/bin/sh\nprintf '{tool}: %s\\n' \"$@\"\n", encoding="utf-8")
        stub.chmod(0o755)
    # `test` is of the shell itself: what it is asked is asked of the stub.
    text = script.replace("test -d", f"{tmp_path}/test -d").replace("/Volumes/", f"{tmp_path}/")
    (tmp_path / "run").write_text(text.replace("/mnt/", f"{tmp_path}/"), encoding="utf-8")
    done = subprocess.run(
        ["sh", str(tmp_path / "run")], cwd=tmp_path, capture_output=True, text=True, check=False,
        env={"PATH": f"{tmp_path}:/usr/bin:/bin", "HOME": "/home/ana"},
    )  # fmt: skip
    assert not (tmp_path / "pwned").exists()
    assert f"rsync: /home/ana/{HOSTILE}/" in done.stdout.splitlines()
    assert any(f"/pcs {HOSTILE}/" in x for x in done.stdout.splitlines())


def test_a_batch_file_means_its_names_and_one_variable() -> None:
    plan = desk("windows")
    named = tuple(
        d.model_copy(update={"name": HOSTILE}) if d.id == "pictures" else d for d in plan.datasets
    )
    files = pc_files(plan.model_copy(update={"datasets": named}), "desk", "r", TODAY)
    (program,) = [t for n, t in files.items() if n.endswith(".cmd") and "-once" not in n]
    assert all(line.endswith("\r") for line in program.split("\n")[:-1])
    assert "%TEMP%\\copy.log" in program
    assert "%%TEMP%%&b" in program.split("/MIR")[0]
    assert "\"C:\\a'$(touch pwned)" in program


def test_launchd_reads_its_file() -> None:
    files = pc_files(desk("macos"), "desk", "r", TODAY)
    told = plistlib.loads(files[f"{PICTURES}.plist"].encode())
    assert told["StartCalendarInterval"] == [{"Hour": 1, "Minute": 0}]
    assert told["ProgramArguments"][-1].endswith('copy-desk-copy-pictures.sh"')
