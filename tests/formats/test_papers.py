"""Hostile names in every paper: they stay data."""

import csv
import io
import re
from datetime import date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from dateutil.rrule import rrulestr
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from icalendar import Calendar
from markdown_it import MarkdownIt

from kavrel.core.evaluate import evaluate
from kavrel.core.paper.runbook import runbook
from kavrel.core.plan import Plan, Schedule, Share
from kavrel.core.schedule import dtstart, rrule
from kavrel.core.typed import pieces, typed
from kavrel.formats.calendar import week_ics
from kavrel.formats.disks_csv import COLUMNS, disks_csv
from kavrel.formats.document_markdown import document_markdown, plain_text
from kavrel.formats.samba import smb_conf, smb_hosts
from kavrel.formats.servers.bundle import host_files
from kavrel.formats.servers.files import fstab
from kavrel.sketches import SKETCHES, draw
from tests.builders import TODAY, disk, job, lab, result
from tests.conftest import NOW

HOSTILE = [
    "=1+1",
    "+cmd|' /C calc'!A0",
    "-2+3",
    "@SUM(A1)",
    'quo"te',
    "com,ma;semi",
    "<script>alert(1)</script>",
    "[global]",
    "# heading",
    "* bullet",
    "`code`",
    "$(reboot)",
    "'; DROP TABLE disk; --",
    "Platte für Tante Ö",
    "磁盤 一",
    "back\\slash\\",
    "%U%S",
    "..\\..\\etc",
]


def test_every_file_of_a_box_is_in_the_runbook_too(demo: Plan) -> None:
    """Whoever goes by one paper gets what the other gives: mounts that come back, keys, timers."""
    locked = lab().pools[0].model_copy(update={"encrypted": True, "unlock": "key_file"})
    key = lab(pools=(locked, *lab().pools[1:]))
    for plan in (demo, key, *(draw(s, {}) for s in SKETCHES)):
        paper = document_markdown(runbook(plan, evaluate(plan, TODAY), "revision 1"))
        for host in plan.hosts:
            if host.closed:
                continue
            for file in host_files(plan, host.id, "revision 1", TODAY):
                folder, _, name = file.rpartition("/")
                words = {"nut": "all files of nut", "s3": "are in the bundle"}.get(folder, name)
                if name.startswith("lab-") and folder:
                    words = "the lab-* units"
                # The units of mounts are another way of what fstab does.
                if not name.endswith(".mount") and (name != "fstab" or mounts(plan, host.id)):
                    assert words in paper, (host.name, file)


def mounts(plan: Plan, host: str) -> bool:
    return "UUID=" in fstab(plan, host, "")


def test_a_bundle_of_a_changed_plan_takes_hold_where_an_older_one_is_in_force() -> None:
    """A firewall that runs is not loaded by a start, and of two lines of fstab the older one holds."""
    beside = lab().pools[0].model_copy(update={"family": "mirror", "filesystem": "ext4"})
    beside = beside.model_copy(update={"groups": (("box1", "box2"),), "standing": False})
    files = host_files(lab(pools=(beside, *lab().pools[1:])), "box", "revision 2", TODAY)
    assert "; nft -f /etc/nftables.conf`)" in files["nftables.conf"][1]
    assert "Lines of an earlier bundle are taken out first" in files["fstab"][1]


def test_a_key_file_opens_its_pool_whether_fstab_or_units_mount_the_others() -> None:
    """Its unit is no mount unit: whoever took fstab's lines was told to leave it out."""
    locked = lab().pools[0].model_copy(update={"encrypted": True, "unlock": "key_file"})
    files = host_files(lab(pools=(locked, *lab().pools[1:])), "box", "revision 1", TODAY)
    _, said = files["systemd/kavrel-keys.service"]
    assert "`systemctl daemon-reload; systemctl enable kavrel-keys.service`" in said
    assert "fstab" not in said


@pytest.mark.parametrize("name", HOSTILE)
def test_csv_keeps_the_name_and_runs_no_formula(name: str) -> None:
    plan = lab(disks=(*lab().disks, disk(4, label=name)))
    rows = list(csv.DictReader(io.StringIO(disks_csv(plan))))
    assert len(rows) == len(plan.disks)
    label = rows[-1]["label"]
    assert label in (name, f"'{name}")
    assert not label.startswith(("=", "+", "-", "@"))


def test_csv_shows_decimal_and_binary_and_where_a_disk_is(demo: Plan) -> None:
    rows = {r["label"]: r for r in csv.DictReader(io.StringIO(disks_csv(demo)))}
    assert tuple(rows["D7"]) == COLUMNS
    assert (rows["D7"]["TB"], rows["D7"]["TiB"]) == ("12.000", "10.914")
    assert (rows["D7"]["host"], rows["D7"]["pool"]) == ("dipper", "burrow")
    assert rows["D10"]["shelf"] == "Lantern Row"
    assert rows["D1"]["price"] == "179.00"


@pytest.mark.parametrize("name", HOSTILE)
def test_markdown_keeps_the_name_on_its_line(name: str) -> None:
    plan = lab(disks=(*lab().disks, disk(4, label=name)))
    text = document_markdown(runbook(plan, result(plan), "revision 1"))
    plain = re.sub(r"\\([\\`*_\[\]<#>=+.)~&-])", r"\1", text)
    assert any(line.startswith(f"- [ ] {name}: surface-check") for line in plain.splitlines())
    assert not re.search(r"(?<!\\)<script>", text)


@given(st.text("**__~~ab  .#-1)[]<&;`\\|!/>'", min_size=1, max_size=20))
@settings(max_examples=1000, deadline=None)
def test_markdown_shows_what_was_written_and_a_shell_takes_its_commands(text: str) -> None:
    """Read by markdown-it-py, which keeps to CommonMark 0.31 and GitHub's tables and strikethrough."""
    words = " ".join(text.split())
    assume(words)
    reader = MarkdownIt("commonmark").enable(["table", "strikethrough"])
    inline = [
        t for t in reader.parse(f"- [ ] a step\n  - {plain_text(text)}\n") if t.type == "inline"
    ]
    assert [t.content for t in inline[:1]] == ["[ ] a step"]
    leaves = inline[1].children or ()
    cut = [(leaf.type == "code_inline", leaf.content) for leaf in leaves if leaf.content]
    wanted = list(pieces(words))
    assert len(inline) == 2
    assert [t for t in cut if t[0]] == [t for t in wanted if t[0]], (
        "code is what is typed, and only that"
    )
    assert "".join(t for _, t in cut) == "".join(t for _, t in wanted)


def test_a_command_copied_out_of_the_bare_markdown_runs() -> None:
    command = "cat /sys/block/md*/md/mismatch_cnt; zfs send a/b_c@P | ssh d zfs receive && ls ~/x >/dev/null"
    assert plain_text(command) == command
    assert plain_text(f"look: {typed(command)}, *then* `") == f"look: `{command}`, \\*then* \\`"
    for quoted in ("systemctl list-timers 'lab-*'", r"printf 'Subject: tried\n\nfrom box\n'"):
        assert plain_text(quoted) == quoted


@pytest.mark.parametrize("name", HOSTILE)
def test_a_comment_cannot_break_out_of_its_line_in_smb_conf(name: str) -> None:
    plan = lab(shares=(Share(id="share", name="files", dataset="files", comment=name),))
    text = smb_conf(plan, "box", "revision 1")
    assert [x for x in text.splitlines() if x.startswith("[")] == ["[global]", "[files]"]
    (comment,) = [x for x in text.splitlines() if x.strip().startswith("comment =")]
    assert "%" not in comment
    assert not comment.endswith("\\")


@given(st.text(max_size=60))
@settings(max_examples=50, deadline=None)
def test_any_plan_name_leaves_smb_conf_whole(name: str) -> None:
    try:
        plan = lab(name=name)
    except ValueError:
        return
    lines = smb_conf(plan, "box", "revision 1").splitlines()
    assert [x for x in lines if not x.startswith(("#", " ", "["))] == [""] * lines.count("")


def test_smb_conf_lists_who_may(demo: Plan) -> None:
    text = smb_conf(demo, "heron", "revision 1")
    section = text.split("[archive]")[1].split("[")[0]
    assert "valid users = ines rui tomas" in section
    assert "write list = ines rui\n" in section
    assert "recycle" in section
    assert "password" not in text.lower().replace("set passwords with", "")


def test_a_share_for_nobody_lets_nobody_in() -> None:
    text = smb_conf(lab(grants=()), "box", "r")
    assert "valid users = -nobody-" in text


def test_only_hosts_with_shares_get_a_file(demo: Plan) -> None:
    assert smb_hosts(demo) == ["heron", "dipper"]
    assert smb_hosts(lab(shares=(), grants=())) == []


@pytest.mark.parametrize("name", HOSTILE)
def test_calendar_keeps_the_name(name: str) -> None:
    plan = lab(jobs=(job("s", name=name),))
    calendar = Calendar.from_ical(week_ics(plan, result(plan), NOW))
    summaries = [str(e["summary"]) for e in calendar.walk("VEVENT")]
    assert f"{name} (snapshot)" in summaries


def test_calendar_has_every_job_and_everything_due(demo: Plan) -> None:
    found = evaluate(demo, TODAY)
    calendar = Calendar.from_ical(week_ics(demo, found, NOW))
    events = list(calendar.walk("VEVENT"))
    assert len(events) == len(demo.jobs) + len(found.due)
    assert len({str(e["uid"]) for e in events}) == len(events)
    timed = {f"{j.id}@kavrel.invalid": not j.after for j in demo.jobs}
    for event in events[: len(demo.jobs)]:
        assert ("rrule" in event) == timed[str(event["uid"])]
        rdates: Any = event.get("rdate")
        assert timed[str(event["uid"])] or len(rdates.dts) > 300


def test_a_follower_past_midnight_is_drawn_after_what_it_follows() -> None:
    late = Schedule(kind="weekly", weekdays=(6,), at="23:50")
    plan = lab(
        jobs=(
            job("first", kind="image", target_pool="second", schedule=late),
            job("then", schedule=Schedule(kind="after"), after="first"),
        )
    )
    events = {
        str(e["uid"]).partition("@")[0]: e
        for e in Calendar.from_ical(week_ics(plan, result(plan), NOW)).walk("VEVENT")
    }
    rdates: Any = events["then"]["rdate"]
    mondays = [events["then"].decoded("dtstart"), *(x.dt for x in rdates.dts)]
    place = ZoneInfo("Europe/Berlin")
    local = [m.astimezone(place) for m in mondays]
    hours = result(plan).jobs[0].usual_run.value
    assert isinstance(hours, float)
    # Every one of the coming year a Monday or later, as long after Sunday 23:50 as a run takes.
    for moment in local:
        sunday = datetime.combine(moment.date(), time(23, 50), place)
        sunday -= timedelta(days=(sunday.weekday() + 1) % 7)
        gone = moment.timestamp() - sunday.timestamp()
        assert abs(gone - hours * 3600) < 2
    assert len(local) > 50
    assert "rrule" not in events["then"]


@pytest.mark.parametrize("zone", ["America/Los_Angeles", "UTC", "Pacific/Auckland"])
def test_until_ends_with_that_day_in_the_plans_zone(zone: str) -> None:
    place = ZoneInfo(zone)
    schedule = Schedule(kind="daily", at="22:00", start=date(2026, 3, 1), until=date(2026, 3, 5))
    text = rrule(schedule, zone)
    # RFC 5545 by python-dateutil: with a DTSTART in a zone, UNTIL is an instant in UTC.
    found = list(rrulestr(text, dtstart=dtstart(schedule, zone)))
    assert [f.astimezone(place).date().day for f in found] == [1, 2, 3, 4, 5]
