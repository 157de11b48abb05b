"""The script that cron and timers start: what it keeps, what it sends, when it complains."""

import ast
import json
import os
import shlex
import sys
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from kavrel.core.copies.retention import existing, keep
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Bucket, Plan, Retention
from kavrel.core.quantities import DAY
from kavrel.formats.hostside import lab_job
from kavrel.formats.lab_jobs import hosts_with_jobs, lab_jobs, script
from tests.builders import disk, job, lab
from tests.conftest import needs
from tests.formats.hostside.box import START, Box


@pytest.fixture
def box(tmp_path: Path) -> Box:
    return Box(tmp_path)


def test_snapshots_of_others_are_never_pruned(box: Box) -> None:
    box.zfs_state(
        {}, **{"main": {}, "main/files": {"by-hand": "", "lab-other-20200101T000000Z": ""}}
    )
    box.jobs(
        s={
            "kind": "snapshot",
            "filesystem": "zfs",
            "sets": ["main/files"],
            "retention": {"last": 2},
        }
    )
    for n in range(4):
        done = box.run("s", now=START + n * DAY)
        assert (done.returncode, done.stdout, done.stderr) == (0, "", "")
    assert list(box.sets["main/files"]) == [
        "by-hand",
        "lab-other-20200101T000000Z",
        "lab-s-20260103T020000Z",
        "lab-s-20260104T020000Z",
    ]


SENT = {
    "kind": "replication",
    "filesystem": "zfs",
    "pairs": [["main/files", "far/r/files"]],
    "peer": "100.64.0.9",
    "resumable": True,
    "retention": {"last": 3},
}


def test_what_thinning_lets_stand_is_remembered(box: Box) -> None:
    box.zfs_state({}, **{"main": {}, "main/files": {}})
    rules = Retention(thin=5, last=2)
    told = rules.model_dump(mode="json", exclude_defaults=True)
    box.jobs(s={"kind": "snapshot", "filesystem": "zfs", "sets": ["main/files"], "retention": told})
    moments = [START + n * DAY for n in range(12)]
    for now in moments:
        assert box.run("s", now=now).returncode == 0
    left = existing(keep([(t, t) for t in moments], rules, "UTC"), moments[-1])
    named = [f"lab-s-{datetime.fromtimestamp(p.data_time, UTC):%Y%m%dT%H%M%SZ}" for p in left]
    assert list(box.sets["main/files"]) == named


@pytest.mark.parametrize("pulls", [False, True])
def test_replication_sends_differences_and_prunes_the_far_end(box: Box, pulls: bool) -> None:
    box.jobs(r={**SENT, "pulls": pulls})
    box.zfs_state({}, **{"main": {}, "main/files": {}, "far": {}})
    for n in range(5):
        state = json.loads(box.zfs.read_text(encoding="utf-8"))
        state["content"] = {"main/files": f"day {n}"}
        box.zfs.write_text(json.dumps(state), encoding="utf-8")
        done = box.run("r", now=START + n * DAY)
        assert done.returncode == 0, done.stderr
    assert list(box.sets["far/r/files"].values()) == ["day 2", "day 3", "day 4"]
    assert list(box.sets["main/files"].values()) == ["day 4"]  # the next run starts from it
    told = (box.folder / "ssh.log").read_text(encoding="utf-8")
    assert set(told.split()) == {"100.64.0.9"}


def test_what_another_job_brought_is_sent_on_with_its_own_points(box: Box) -> None:
    on = {**SENT, "pairs": [["far/r/files", "third/q/files"]], "brought_by": "r", "peer": ""}
    box.jobs(r=SENT, q=on)
    box.zfs_state({}, **{"main": {}, "main/files": {}, "far": {}, "third": {}})
    early = box.run("q")
    assert "nothing to send on" in early.stderr
    for n in range(3):
        for name in ("r", "q"):
            done = box.run(name, now=START + n * DAY)
            assert done.returncode == 0, done.stderr
    assert box.run("q", now=START + 3 * DAY).returncode == 0  # nothing new: nothing to do
    names = [f"lab-r-2026010{n}T020000Z" for n in (1, 2, 3)]
    assert list(box.sets["far/r/files"]) == list(box.sets["third/q/files"]) == names


@needs("rsync")
def test_an_empty_source_does_not_empty_the_copy(box: Box) -> None:
    source, copy = box.folder / "source", box.folder / "far" / "copy"
    source.mkdir()
    (source / "letter").write_text("dear", encoding="utf-8")
    box.jobs(m={"kind": "mirror", "pairs": [[str(source), str(copy)]]})
    assert box.run("m").returncode == 0
    (source / "letter").unlink()  # as when a disk is not mounted
    done = box.run("m", now=START + DAY)
    assert "would empty the copy" in done.stderr
    assert (copy / "letter").read_text(encoding="utf-8") == "dear"


def test_a_receive_that_was_cut_off_goes_on_where_it_was(box: Box) -> None:
    box.jobs(r=SENT)
    box.zfs_state({"main/files": "first"}, **{"main": {}, "main/files": {}, "far": {}})
    cut = box.run("r", ZFS_CUT="far/r/files")
    assert cut.returncode == 1
    assert "failed" in cut.stderr
    again = box.run("r", now=START + DAY)
    assert again.returncode == 0, again.stderr
    # What was cut off has arrived, and the next as a difference from it.
    assert list(box.sets["far/r/files"]) == ["lab-r-20260101T020000Z", "lab-r-20260102T020000Z"]
    # From the first point on nobody writes into the copy: else the next difference would not fit.
    told = json.loads(box.zfs.read_text(encoding="utf-8"))["set"]
    assert told["far/r/files"] == ["readonly=on"] * 2


def test_a_job_of_a_tool_of_ones_own_says_what_is_missing_and_then_runs(box: Box) -> None:
    box.jobs(b={"kind": "backup", "alarm_days": 2})
    missing = box.run("b")
    assert missing.returncode == 1
    assert f"put its command into {box.folder}/own/b" in missing.stderr
    box.watch({"job": "b", "own": True, "days": 2})
    late = box.run("overdue")
    assert (late.returncode, late.stderr) == (1, "b: nothing has ever arrived\n")
    own = box.folder / "own" / "b"
    own.write_text("#!/bin/sh\nexit 0\n", encoding="utf-8")
    own.chmod(0o755)
    assert box.run("b").returncode == 0
    assert box.run("overdue", now=START + DAY).returncode == 0
    late = box.run("overdue", now=START + 3 * DAY)
    assert late.stderr == "b: nothing came for 3.0 days\n"
    # Its tool knows better what lies there than the job's own word.
    newest = box.folder / "own" / "b.newest"
    newest.write_text("#!/bin/sh\necho 2025-11-01T02:00:00+00:00\n", encoding="utf-8")
    newest.chmod(0o755)
    assert "nothing came for 62.0 days" in box.run("overdue", now=START + DAY).stderr


def test_a_run_that_has_not_ended_is_not_started_twice(box: Box) -> None:
    own = box.folder / "own" / "b"
    # It starts itself again while it is running.
    own.write_text(
        f'#!/bin/sh\n{sys.executable} {box.script} b 2> "{box.folder}/second"\n', encoding="utf-8"
    )
    own.chmod(0o755)
    box.jobs(b={"kind": "backup"})
    assert box.run("b").returncode == 1
    assert "its last run has not ended" in (box.folder / "second").read_text(encoding="utf-8")


def test_what_is_asked_wrongly_is_said(box: Box) -> None:
    assert "lab-job x: " in box.run("x").stderr  # no file yet
    box.jobs(a={"kind": "backup"})
    wrong = box.run("x")
    assert (wrong.returncode, "name one of: a" in wrong.stderr) == (2, True)
    assert box.run("list").stdout == "a: it\n"


def test_smart_tests_find_their_disks_by_serial(box: Box) -> None:
    listed = json.dumps({"blockdevices": [{"path": "/dev/sdx", "serial": "S-1"}]})
    box.command("lsblk", f"echo '{listed}'")
    box.command("smartctl", f'echo "$@" >> {box.folder}/smart.log')
    box.jobs(t={"kind": "smart_long", "serials": ["S-1", "S-2"]})
    done = box.run("t")
    assert (box.folder / "smart.log").read_text(
        encoding="utf-8"
    ) == "-q errorsonly -t long /dev/sdx\n"
    assert "no disk with serial S-2" in done.stderr


def test_every_job_of_the_demo_is_known_to_the_script(box: Box, demo: Plan) -> None:
    for host in hosts_with_jobs(demo):
        (box.folder / "jobs.json").write_text(lab_jobs(demo, host, "revision 1"), encoding="utf-8")
        names = [line.partition(":")[0] for line in box.run("list").stdout.splitlines()]
        assert names
        for name in names:
            shown = box.run("--show", name)
            assert (shown.returncode, shown.stderr) == (0, ""), shown.stderr
            # The disks of a SMART test are looked up on the host itself.
            assert shown.stdout or "tests" in name, name
    shown = box.run("--show", names[0])
    assert not (box.folder / "state").exists()  # showing does nothing


def test_commands_follow_the_plan(box: Box) -> None:
    far = {"target_pool": "second"}
    plan = lab(
        jobs=(
            job("push", kind="replication", limit_mbit=8.0, **far),
            job("pull", kind="replication", credentials="target", **far),
            job(
                "bin-it",
                kind="folder_mirror",
                retention=Retention(trash_days=7),
                left_out=(".cache/",),
                **far,
            ),
            job("box", kind="config", datasets=(), host="box", retention=Retention(last=9), **far),
            job("mine", kind="backup", **far),
            job("x", kind="scrub", datasets=(), pool="main", retention=Retention()),
        ),
        buckets=(Bucket(id="pail", name="pail", site="away", account="me"),),
    )
    told = {}
    for host in ("box", "far"):
        (box.folder / "jobs.json").write_text(lab_jobs(plan, host, "revision 1"), encoding="utf-8")
        for line in box.run("list").stdout.splitlines():
            name = line.partition(":")[0]
            told[host, name] = box.run("--show", name).stdout
    assert set(told) == {
        ("box", "push"),
        ("far", "pull"),
        ("box", "bin-it"),
        ("box", "box"),
        ("box", "mine"),
        ("box", "x"),
        ("far", "upkeep-scrub-second"),  # nobody planned it, and nothing else would do it
    }
    name = "lab-push-20260101T020000Z"
    ssh = shlex.join(["ssh", "-o", "BatchMode=yes", *lab_job.never_for_ever()])
    assert (
        f"zfs send main/files@{name} | pv -q -L 977k | {ssh} far "
        "'zfs receive -s -u -o readonly=on second/push/files'" in told["box", "push"]
    )
    assert f"{ssh} box 'zfs send main/files@lab-pull-" in told["far", "pull"]
    assert (
        "rsync -aHAX --delete --partial --stats --timeout=600 --exclude=.cache/ --backup "
        "--backup-dir=/srv/second/bin-it/.trash-files/20260101T020000Z "
        "/srv/main/files/ far:/srv/second/bin-it/files" in told["box", "bin-it"]
    )
    assert f"tar -C / -cz etc | {ssh} far" in told["box", "box"]
    assert "umask 077" in told["box", "box"]
    assert told["box", "x"] == "zpool scrub -w main\n"
    assert "# refuses unless second is at /srv/second" in told["box", "bin-it"]
    *asked, own = told["box", "mine"].splitlines()
    assert own == f"{box.folder}/own/mine"
    assert asked == [
        "# refuses unless main is at /srv/main",
        "# refuses unless main/files is at /srv/main/files",
    ]


def test_the_script_knows_every_kind_or_leaves_it_to_a_tool(demo: Plan) -> None:
    told = lab_job.Job("j", {"kind": "x", "title": "x"}, "UTC", False, START)
    known = {k for k in KINDS if k in Path(str(lab_job.__file__)).read_text(encoding="utf-8")}
    assert known >= {"snapshot", "replication", "folder_mirror", "mirror", "config", "scrub", "bin"}
    with pytest.raises(lab_job.Trouble, match="a tool of yours"):
        told.run()
    assert datetime.fromtimestamp(START, UTC) + timedelta(0) == datetime(2026, 1, 1, 2, tzinfo=UTC)


def test_a_job_that_reads_a_copy_is_told_whose_points_they_are() -> None:
    third = (
        lab()
        .pools[1]
        .model_copy(update={"id": "third", "name": "third", "groups": (("far3", "far4"),)})
    )
    plan = lab(
        disks=(*lab().disks, disk(3, "far"), disk(4, "far")),
        pools=(*lab().pools, third),
        jobs=(
            job("push", kind="replication", target_pool="second"),
            job("on", kind="replication", reads_from="push", target_pool="third"),
        ),
    )
    told = json.loads(lab_jobs(plan, "far", "revision 1"))["jobs"]["on"]
    assert told["brought_by"] == "push"
    assert told["pairs"] == [["second/push/files", "third/on/files"]]
    assert "peer" not in told  # both are in this box


def test_it_runs_with_the_python_that_an_old_host_has() -> None:
    ast.parse(script(), feature_version=(3, 9))


def test_what_ran_out_is_locked_and_what_waits_is_told(box: Box) -> None:
    for name in ("smbpasswd", "usermod"):
        box.command(name, f'echo "{name} $*" >>{box.folder}/shut')
    box.command(
        "apt-get", 'case "$*" in *-s*) echo "Inst libfoo [1] (2 Debian)"; echo "Conf libfoo";; esac'
    )
    box.jobs(
        e={
            "kind": "expiry",
            "accounts": [["ana", "2026-01-01"], ["bo", "2026-01-02"]],
            "grants": [["2026-01-01", "the right of bo on files ended"]],
        },
        u={"kind": "updates"},
    )
    told = box.run("e")  # 03:00 of 1 January in Berlin
    assert told.returncode == 3
    assert "the right of bo on files ended; account ana ran out" in told.stderr
    shut = (box.folder / "shut").read_text(encoding="utf-8").splitlines()
    assert shut == ["smbpasswd -d ana", "usermod --lock --expiredate 1 ana"]
    waiting = box.run("u")
    assert (waiting.returncode, "1 updates wait: libfoo" in waiting.stderr) == (3, True)
    assert (box.folder / "state" / "u.done").exists()  # it went well, and has something to tell


def test_a_failed_unit_is_told_to_root(box: Box) -> None:
    box.jobs()
    box.command("journalctl", 'echo "it said: no disk"')
    box.command("sendmail", f"cat >{box.folder}/mail")
    assert box.run("tell", "lab-push").returncode == 0
    mail = (box.folder / "mail").read_text(encoding="utf-8")
    assert mail.startswith("To: root\nSubject: ")
    assert "lab-push failed" in mail
    assert "it said: no disk" in mail
    for name in ("sendmail", "wall", "logger"):
        box.command(name, "exit 1")
    assert "nobody could be told" in box.run("tell", "lab-push").stderr


def test_a_restart_waits_for_nothing_and_a_broken_file_fails_the_unit(box: Box) -> None:
    box.command("systemctl", f'echo "$*" >>{box.folder}/done')
    box.jobs(w={"kind": "restart", "schedule": {"kind": "daily", "at": "03:00"}})
    assert box.run("w").returncode == 0
    assert (box.folder / "done").read_text(encoding="utf-8") == "reboot\n"
    assert box.run("due", "w", now=START + 5 * DAY).returncode == 0
    assert box.run("due", "w", now=START + 5.5 * DAY).returncode == 1
    (box.folder / "jobs.json").write_text("{", encoding="utf-8")
    # systemd.service(5), ExecCondition: 1 to 254 skip the unit in silence, 255 fails it.
    assert box.run("due", "w").returncode == 255


def test_each_run_is_written_down_and_its_points_are_told(box: Box) -> None:
    """What lab-look picks up: how each run went, when the last good one was, and archives that lie here."""
    etc, kept = box.folder / "etc", box.folder / "kept"
    etc.mkdir()
    (etc / "hosts").write_text("x", encoding="utf-8")
    box.jobs(
        c={
            "kind": "config",
            "folder": str(kept),
            "paths": [str(etc)[1:]],
            "retention": {"last": 3},
        },
        b={"kind": "backup"},
    )
    assert box.run("c").returncode == 0
    assert box.run("c", now=START + DAY).returncode == 0
    assert box.run("b", now=START + DAY).returncode == 1
    said = json.loads(box.run("points").stdout)["points"]
    assert said["c"] == {"": [START + DAY], str(kept): [START, START + DAY]}
    assert said["b"] == {}
    runs = [json.loads(p.read_text()) for p in sorted((box.folder / "state/runs").glob("*.json"))]
    assert [(r["job"], r["result"]) for r in runs] == [("c", "ok"), ("c", "ok"), ("b", "failed")]
    assert "put its command into" in runs[2]["said"]
    assert runs[0]["bytes"] == (kept / sorted(os.listdir(kept))[0]).stat().st_size
    assert "bytes" not in runs[2], "nothing was counted, which is not the same as nothing"
    assert (box.folder / "state/runs").stat().st_mode & 0o777 == 0o700


@needs("rsync")
def test_a_run_says_what_it_carried(box: Box) -> None:
    """As rsync counts it: contents that crossed, not what was there already."""
    source, copy = box.folder / "source", box.folder / "far" / "copy"
    source.mkdir()
    (source / "big").write_bytes(os.urandom(1_234_567))
    box.jobs(m={"kind": "mirror", "pairs": [[str(source), str(copy)]]})
    for day in range(2):
        assert box.run("m", now=START + day * DAY, LANG="de_DE.UTF-8").returncode == 0
    (source / "small").write_bytes(b"12345")
    assert box.run("m", now=START + 2 * DAY).returncode == 0
    runs = [json.loads(p.read_text()) for p in sorted((box.folder / "state/runs").glob("*.json"))]
    assert [r["bytes"] for r in runs] == [1_234_567, 0, 5]


@needs("rsync")
def test_some_files_are_brought_back_from_a_copy_compared_and_timed(box: Box) -> None:
    source, copy = box.folder / "source", box.folder / "far" / "copy"
    source.mkdir()
    for n in range(4):
        (source / f"letter {n}\\odd").write_text(f"dear {n}", encoding="utf-8")
    box.jobs(m={"kind": "mirror", "pairs": [[str(source), str(copy)]]})
    early = box.run("try", "m")
    assert (early.returncode, "no file to bring back" in early.stderr) == (1, True)
    assert box.run("m").returncode == 0
    (source / "letter 0\\odd").write_text("dear, later", encoding="utf-8")
    done = box.run("try", "m")
    assert done.returncode == 0, done.stderr
    assert done.stdout.startswith("4 files, 0.0 MB in ")
    # One was changed since: it is held against its own point.
    assert done.stdout.strip().endswith("3 as they are live")
    # A copy that rotted is told, and with it the file.
    (copy / "letter 1\\odd").write_bytes(b"deaf 1")
    os.utime(copy / "letter 1\\odd", ns=((source / "letter 1\\odd").stat().st_mtime_ns,) * 2)
    scratch = box.folder / "scratch"
    scratch.mkdir()
    bad = box.run("try", "m", TMPDIR=str(scratch))
    assert (bad.returncode, "came back from" in bad.stderr) == (1, True)
    runs = [json.loads(p.read_text()) for p in (box.folder / "state/runs").glob("*-try-m.json")]
    assert sorted(r["result"] for r in runs) == ["failed", "failed", "ok"]
    # Nothing of it is left.
    assert not list(scratch.iterdir())
    own = box.folder / "own" / "b.try"
    box.jobs(b={"kind": "backup"})
    assert "brings something back" in box.run("try", "b").stderr
    own.write_text("#!/bin/sh\nexit 0\n", encoding="utf-8")
    own.chmod(0o755)
    assert box.run("try", "b").returncode == 0


AGED = {"all_days": 14}


def hourly(**more: object) -> dict[str, object]:
    snapshots = {"kind": "snapshot", "filesystem": "zfs", "sets": ["main/files"], "retention": AGED}
    return {**snapshots, "schedule": {"kind": "hourly", "at": "00:00"}, **more}


@pytest.mark.parametrize("years", [1, 10, -5])
def test_a_clock_that_was_set_wrong_costs_no_point(box: Box, years: int) -> None:
    """By it all of them would be too old, and their names would stand in the way for years."""
    box.zfs_state({}, **{"main": {}, "main/files": {}})
    box.jobs(s=hourly())
    box.command("timedatectl", "echo no")
    for hours in range(5):
        assert box.run("s", now=START + hours * 3600).returncode == 0
    before = box.sets
    wrong = START + 5 * 3600 + years * 365 * DAY
    done = box.run("s", now=wrong)
    assert (done.returncode, box.sets) == (1, before)
    assert "the clock of this box says" in done.stderr
    assert "lab-job clock" in done.stderr
    # Set right again, it goes on as before.
    assert box.run("s", now=START + 6 * 3600).returncode == 0
    assert len(box.sets["main/files"]) == 6


def test_a_box_that_was_off_for_long_goes_on_once_its_clock_is_known_to_be_right(box: Box) -> None:
    box.zfs_state({}, **{"main": {}, "main/files": {}})
    box.jobs(s=hourly(), m=hourly(schedule={"kind": "monthly", "day": 1, "at": "02:00"}))
    box.command("timedatectl", "echo no")
    summer = START + 151 * DAY  # the first of June
    for name in "sm":
        assert box.run(name).returncode == 0
    assert box.run("s", now=summer).returncode == 1
    # What runs once a month was not missed for being away a month.
    assert box.run("m", now=START + 31 * DAY).returncode == 0
    assert box.run("m", now=summer).returncode == 1
    # By others, or by somebody who looked.
    box.command("timedatectl", "echo yes")
    assert box.run("s", now=summer).returncode == 0
    box.command("timedatectl", "exit 1")
    assert box.run("clock", now=summer).stdout == "it is 2026-06-01 04:00\n"
    assert box.run("m", now=summer).returncode == 0
    assert box.run("s", now=summer + 60 * DAY).returncode == 1


def test_points_of_a_wrong_clock_let_no_other_go(box: Box) -> None:
    """What comes after them has to be named after them, all on one day: rules by days would keep one."""
    ahead = "lab-s-20360101T000000Z"
    box.zfs_state({}, **{"main": {}, "main/files": {ahead: ""}})
    box.jobs(s=hourly(retention={"daily": 3}))
    told = []
    for days in range(5):
        done = box.run("s", now=START + days * DAY)
        told.append((done.returncode, "named by a clock that was wrong" in done.stderr))
    assert told == [(3, True)] * 5  # once a day
    assert box.run("s", now=START + 4.1 * DAY).returncode == 0
    assert len(box.sets["main/files"]) == 7
    # Removed, as it says, and all is as it was.
    state = {n: c for n, c in box.sets["main/files"].items() if "2036" not in n}
    box.zfs_state({}, **{"main": {}, "main/files": state})
    assert box.run("s", now=START + 5 * DAY).returncode == 0


def test_a_tool_of_ones_own_asks_for_what_has_to_be_there_on_its_box() -> None:
    """Which the far end has it cannot see; a bare array is mounted nowhere; a dead parity takes nothing."""

    def asked(host: str = "box", credentials: str = "source", **pool: object) -> list[str]:
        first = lab().pools[0].model_copy(update=pool)
        plan = lab(
            pools=(first, lab().pools[1]),
            jobs=(job("b", "image", target_pool="second", credentials=credentials),),
        )
        told = json.loads(lab_jobs(plan, host, "r"))["jobs"]["b"]["mounted"]
        assert {m["side"] for m in told} <= {"here"}
        return [m["at"] for m in told]

    assert asked() == ["/srv/main", "/srv/main/files"]
    assert asked("far", "target") == ["/srv/second"]
    assert asked(family="raid5", filesystem="none") == []
    groups = (("box1", "box2"), ("box3",))
    apart = ["/srv/main-disk1", "/srv/main-disk2", "/srv/main"]
    assert asked(family="parity1", filesystem="xfs", groups=groups) == apart
