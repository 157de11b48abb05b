"""What Kavrel writes, judged by the programs that read it.

Sources: testparm of Samba 4.17 (its warnings on stderr: it returns 0 for unknown parameters);
the icalendar package and RFC 5545; python-dateutil for the recurrence read back.
"""

import subprocess
from datetime import UTC, datetime
from itertools import islice
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from dateutil.rrule import rrulestr
from icalendar import Calendar

from kavrel.core.evaluate import evaluate
from kavrel.core.plan import Plan, Share
from kavrel.core.schedule import starts
from kavrel.formats.calendar import week_ics
from kavrel.formats.samba import smb_conf, smb_hosts
from tests.builders import TODAY, lab
from tests.conftest import NOW, needs
from tests.formats.test_papers import HOSTILE


def samba_reads(text: str, folder: Path, section: str, parameter: str) -> str:
    """The value that Samba itself reads; fails on any complaint about the file."""
    path = folder / "smb.conf"
    path.write_text(text, encoding="utf-8")
    done = subprocess.run(
        ["testparm", "-s", f"--section-name={section}", f"--parameter-name={parameter}", str(path)],
        capture_output=True,
        text=True,
        check=True,
    )
    for word in ("Unknown parameter", "ERROR", "Ignoring", "invalid", "badly formed"):
        assert word not in done.stderr, done.stderr
    return done.stdout.strip()


@needs("testparm")
def test_samba_reads_every_share_of_the_demo_lab_as_written(demo: Plan, tmp_path: Path) -> None:
    for host in smb_hosts(demo):
        text = smb_conf(demo, host, "revision 1")
        for block in text.split("\n[")[2:]:
            name = block.partition("]")[0]
            lines = dict(
                line.strip().split(" = ", 1) for line in block.splitlines()[1:] if " = " in line
            )
            for parameter in ("path", "guest ok", "read only"):
                read = samba_reads(text, tmp_path, name, parameter)
                assert read.lower() == lines[parameter].lower()
            for parameter in ("valid users", "write list"):
                read = samba_reads(text, tmp_path, name, parameter)
                wanted = set(lines.get(parameter, "").split())
                assert set(read.replace(",", " ").split()) == wanted


@needs("testparm")
@pytest.mark.parametrize("comment", HOSTILE)
def test_samba_accepts_hostile_comments(comment: str, tmp_path: Path) -> None:
    plan = lab(
        shares=(Share(id="share", name="Fotos für Tante", dataset="files", comment=comment),)
    )
    text = smb_conf(plan, "box", "revision 1")
    assert samba_reads(text, tmp_path, "Fotos für Tante", "path") == "/srv/main/files"
    assert samba_reads(text, tmp_path, "global", "server role") == "standalone server"


@needs("testparm")
def test_samba_knows_the_old_dialect_is_off(demo: Plan, tmp_path: Path) -> None:
    text = smb_conf(demo, "dipper", "revision 1")  # its workshop share asks for SMB 1
    assert samba_reads(text, tmp_path, "global", "server min protocol").startswith("SMB2")


def test_the_calendar_recurs_as_the_jobs_start(demo: Plan) -> None:
    calendar = Calendar.from_ical(week_ics(demo, evaluate(demo, TODAY), NOW))
    events = {str(e["uid"]).partition("@")[0]: e for e in calendar.walk("VEVENT")}
    place = ZoneInfo(demo.zone)
    for job in (j for j in demo.jobs if not j.after):
        event: Any = events[job.id]
        begin = event["dtstart"].dt
        assert begin.tzinfo is not None
        rule = rrulestr(event["rrule"].to_ical().decode(), dtstart=begin.replace(tzinfo=None))
        theirs = list(islice(rule.xafter(datetime(2026, 11, 20), inc=True), 10))
        found = starts(
            job.schedule, demo.zone, datetime(2026, 11, 20).date(), datetime(2032, 1, 1).date()
        )
        ours = [
            datetime.fromtimestamp(t, UTC).astimezone(place).replace(tzinfo=None) for t in found
        ]
        assert ours[:10] == theirs


def test_the_calendar_names_its_time_zone(demo: Plan) -> None:
    calendar = Calendar.from_ical(week_ics(demo, evaluate(demo, TODAY), NOW))
    (zone,) = calendar.walk("VTIMEZONE")
    assert str(zone["tzid"]) == demo.zone
