"""What runs in the rig as itself, and its stand-ins: both say the same, and a wrong stand-in is noticed.

Source: rsync, OpenSSH's client and server, and Btrfs of this machine's kernel, run beside.
"""

import os
import re
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.cli.rig import _real as said_of_real
from kavrel.core.plan import Plan, Retention
from kavrel.formats.hostside.lab_job import Side
from kavrel.formats.plan_file import dump
from kavrel.rig.box import Box
from kavrel.rig.data import Data
from kavrel.rig.days import Days
from kavrel.rig.files import File, text_file
from kavrel.rig.live import lived, rig
from kavrel.rig.real import rsync as real_rsync
from kavrel.rig.real.compared import Compared
from kavrel.rig.real.parts import Real
from kavrel.rig.said import Said
from kavrel.rig.tools.rsync import _both, ended
from kavrel.rig.trial import Trial
from tests.builders import daily, job, lab
from tests.conftest import needs

BEGAN = datetime(2026, 11, 24, tzinfo=UTC)
ROOT = pytest.mark.skipif(os.geteuid() != 0, reason="Btrfs on a loop needs root")
NAMES = ("a", "b.part", "deep/c", "deep/d.part", ".cache/e", "deep/.cache/f", "deep/g")
VERSIONS = {(n, v): File(37 * v, f"{n} {v}", 1000.0 + 10 * v) for n in NAMES for v in (1, 2, 3)}
FOLDER = st.dictionaries(st.sampled_from(NAMES), st.sampled_from((1, 2, 3))).map(
    lambda chosen: {n: VERSIONS[n, v] for n, v in chosen.items()}
)


@needs("rsync")
@settings(deadline=None, max_examples=60)
@given(
    state=FOLDER,
    now=FOLDER,
    delete=st.booleans(),
    aside=st.booleans(),
    left=st.sets(st.sampled_from(("*.part", ".cache/", "deep/"))),
)
def test_a_folder_ends_as_the_real_rsync_leaves_it(
    state: dict[str, File], now: dict[str, File], delete: bool, aside: bool, left: set[str]
) -> None:
    options = ["-aHAX", "--partial", "--stats", *(f"--exclude={p}" for p in sorted(left))]
    options += ["--delete"] * delete + ["--backup"] * aside
    assert ended(state, now, options, aside) == real_rsync.ended(state, now, options, aside)


@needs("rsync")
def test_two_files_alike_in_all_are_no_difference(standing: Days) -> None:
    """Found where malware had spoiled a file and its copy alike: both were there as objects of their own."""
    here, real = standing.lab.boxes["far"], components(standing)
    assert real.rsync is not None
    kept = real.rsync.differed
    one, same, other = (File(40, mark, 1000.0, False) for mark in ("rubbish", "rubbish", "other"))
    _both(here, {"a": one}, {"a": same}, ["-aHAX"], False)
    assert real.rsync.differed == kept
    # By its quick check one of the same size and time is left as it is, whatever is in it.
    assert _both(here, {"a": other}, {"a": same}, ["-aHAX"], False)[0] == {"a": same}
    assert real.rsync.differed == kept


@needs("rsync")
@needs("sshd")
@pytest.mark.parametrize("who", ["source", "target"])
def test_rsync_gets_to_its_other_end_by_ssh_itself(who: str) -> None:
    """Both programs are rsync's own; and where its way there is broken the job fails as it would."""
    made = job(
        "copy",
        "folder_mirror",
        target_pool="second",
        retention=Retention(trash_days=3),
        credentials=who,
    )
    with rig(lab(jobs=(made,)), BEGAN, real=True) as days:
        found = lived(days, 2)
        if days.lab.real is None or days.lab.real.ssh is None:
            pytest.skip("; ".join(found.not_real))
        assert [x.what for x in found.lines if not x.agrees] == []
        assert days.told["copy"].ended["ok"] == 2
        days.lab.real.ssh.way_of_rsync.write_text("#!/bin/sh\nexit 255\n", encoding="utf-8")
        days.until(days.lab.now + 86_400)
        assert days.told["copy"].ended["failed"] == 1
        # Whether it hears first that its way is gone, or that nothing comes: rsync(1), EXIT VALUES.
        assert re.search(r"rsync error: .*\(code (12|255)\)", days.told["copy"].said)


def a_lab() -> Plan:
    """Points on Btrfs, pulled by another box by SSH, and a mirror that leaves some things out."""
    jobs = (
        job("snaps", schedule=daily("01:00"), retention=Retention(all_days=2)),
        job(
            "far", "replication", target_pool="second", schedule=daily("02:00"),
            retention=Retention(all_days=3),
        ),
        job(
            "copy", "folder_mirror", target_pool="second", retention=Retention(trash_days=3),
            schedule=daily("02:30"), left_out=("*.part", ".cache/"),
        ),
    )  # fmt: skip
    plan = lab(jobs=jobs)
    told = {"filesystem": "btrfs", "family": "copies2"}
    return plan.model_copy(update={"pools": tuple(p.model_copy(update=told) for p in plan.pools)})


def components(days: Days) -> Real:
    assert days.lab.real is not None
    return days.lab.real


@pytest.mark.prove
@ROOT
@needs("rsync")
@needs("sshd")
@needs("mkfs.btrfs")
def test_a_lab_fares_the_same_by_this_machines_own() -> None:
    """All of lab-job's own words, read by what will read them in earnest."""
    fared, asked = [], {}
    for real in (False, True):
        with rig(a_lab(), BEGAN, real=real) as days:
            life = lived(days, 6)
            every = [(x.what, x.happened, x.agrees) for x in life.lines]
            fared.append([x for x in every if "its stand-in" not in x[0]])
            assert all(x.agrees for x in life.lines), every
            assert life.not_real == ()
            asked = {c.name: c.asked for c in days.lab.real.compared} if days.lab.real else {}
    assert fared[0] == fared[1]
    assert min(asked["rsync"], asked["SSH"], asked["Btrfs"]) >= 6
    assert asked["Btrfs"] > 100


@pytest.fixture(scope="module")
def standing() -> Iterator[Days]:
    with rig(a_lab(), BEGAN, real=True) as days:
        yield days


ARRIVES = (
    ("a file's name", "two  spaces", "$HOME `id` $(id)", "semi; colon | pipe & > /tmp/x", "*", "ünï", "~"),
    ('both " and \'', "line\nbreak", "\\back\\slash", "", "-n", "!", "#"),
)  # fmt: skip


@needs("sshd")
@pytest.mark.parametrize("words", ARRIVES, ids=("words", "more words"))
def test_words_arrive_by_ssh_as_they_were_sent(standing: Days, words: tuple[str, ...]) -> None:
    box, real = standing.lab.boxes["box"], components(standing)
    assert real.ssh is not None, real.left
    asked = []

    def stat(box: Box, words: list[str], stdin: bytes) -> Said:
        asked.append((words, stdin))
        return Said(3, bytes(range(256)), "a complaint\n")

    far = standing.lab.boxes["far"]
    far.own["stat"] = stat
    try:
        said = box.command(Side("root@far").words("stat", *words), b"\x00what was read\xff")
    finally:
        del far.own["stat"]
    assert asked == [(list(words), b"\x00what was read\xff")]
    assert said == Said(3, bytes(range(256)), "a complaint\n")


@needs("sshd")
def test_no_way_and_no_command_end_as_by_ssh_itself(standing: Days) -> None:
    box, lab = standing.lab.boxes["box"], standing.lab
    assert box.command(["ssh", "root@far", "nonesuch"]).code == 127
    lab.boxes["far"].up = False
    assert box.command(["ssh", "root@far", "hostname"]).code == 255
    lab.boxes["far"].up = True
    # No command of this machine is reached, by whatever path.
    for words in (
        "/bin/cat /etc/passwd",
        "exec /bin/sh",
        "python3 -c 1",
        "cd /",
    ):
        said = box.command(["ssh", "root@far", words])
        assert said.code != 0, words
        assert b"root:" not in said.out


@needs("sshd")
def test_a_difference_is_said_beside_the_cells_of_the_proof(
    standing: Days, capsys: pytest.CaptureFixture[str]
) -> None:
    real = components(standing)
    assert real.ssh is not None, real.left
    kept, real.ssh.compared = real.ssh.compared, Compared("SSH")
    try:
        real.ssh.compared.same(True, "")
        assert said_of_real(standing) == 0
        real.ssh.compared.same(False, "far: it ended with 3, by SSH with 0")
        assert said_of_real(standing) == 1
    finally:
        real.ssh.compared = kept
    told = capsys.readouterr().err
    assert "SSH of this machine and its stand-in: 2 answers, 1 the same" in told
    assert "far: it ended with 3, by SSH with 0" in told


POINT = "/srv/main/.points/files"
AWAY = "/srv/second/.points/files"


@ROOT
@needs("mkfs.btrfs")
def test_btrfs_refuses_what_its_stand_in_refuses(standing: Days) -> None:
    lab, real = standing.lab, components(standing)
    assert real.btrfs is not None, real.left
    box, far = lab.boxes["box"], lab.boxes["far"]
    before = real.btrfs.compared.asked

    def said(at: Box, line: str, stdin: bytes = b"") -> tuple[int, bytes]:
        told = at.command(["btrfs", *line.split()], stdin)
        return told.code, told.out

    assert said(box, f"subvolume snapshot -r /srv/main/files {POINT}/x1")[0] == 0
    assert said(box, f"subvolume snapshot -r /srv/main/files {POINT}/x1")[0] != 0  # there is one
    data, _ = box.find("/srv/main/files")
    data.write("letter", text_file("dear", lab.now))
    assert said(box, f"subvolume snapshot -r /srv/main/files {POINT}/x2")[0] == 0
    assert b"readonly" in said(box, f"subvolume show {POINT}/x2")[1]
    for wrong in (
        f"subvolume show {POINT}/none",
        f"subvolume delete {POINT}/none",
        f"send {POINT}/none",
    ):
        assert said(box, wrong)[0] != 0
    code, whole = said(box, f"send -q {POINT}/x1")
    later = said(box, f"send -q -p {POINT}/x1 {POINT}/x2")[1]
    assert code == 0
    assert said(far, f"receive -q {AWAY}", later)[0] != 0  # what it builds on is not there
    assert said(far, f"receive -q {AWAY}", whole)[0] == 0
    assert said(far, f"receive -q {AWAY}", whole)[0] != 0  # it is there already
    assert said(far, f"receive -q {AWAY}", later)[0] == 0
    assert b"Received UUID" in said(far, f"subvolume show {AWAY}/x2")[1]
    assert said(box, f"subvolume delete {POINT}/x1")[0] == 0
    assert said(box, "scrub start -B -q /srv/main")[0] == 0
    assert real.btrfs.compared.asked > before + 15
    assert real.btrfs.compared.differs == []


@ROOT
@needs("mkfs.btrfs")
def test_a_stand_in_that_is_wrong_is_noticed(monkeypatch: pytest.MonkeyPatch) -> None:
    with rig(a_lab(), BEGAN, real=True) as days:
        whole = Data.become

        def forgets(data: Data, files: dict[str, File]) -> int:
            return whole(data, {n: f for n, f in files.items() if n != ".worked-until"})

        monkeypatch.setattr(Data, "become", forgets)
        wrong = [x for x in lived(days, 2).lines if x.what.startswith("Btrfs of this machine")]
    assert [x.agrees for x in wrong] == [False]
    assert "not all the same" in wrong[0].there.inputs[0].name


@pytest.mark.prove
@needs("rsync")
def test_the_proof_is_tried_over_it_too() -> None:
    """Its hazards befall copies of the lab, which have no loops of their own."""
    with rig(a_lab(), BEGAN, real=True) as days:
        days.until(days.lab.now + 6 * 86_400)
        trial = Trial(days, days.lab.folder.parent)
        trial.at(trial.moments(1, 1)[0], late=False)
        cells = [c for c in trial.compared() if c.happened != "not tried"]
    assert len({c.hazard for c in cells}) > 8
    assert all(c.agrees for c in cells), [c for c in cells if not c.agrees]


@ROOT
@needs("losetup")
def test_a_rig_that_is_killed_leaves_no_loop_and_no_mount(tmp_path: Path) -> None:
    file = tmp_path / "plan.json"
    file.write_text(dump(a_lab()))
    command = [sys.executable, "-m", "kavrel.cli", "rig", str(file), "--real", "--days", "1000"]
    with subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL) as going:
        until(lambda: loops_of(going.pid) != [], 60)
        mine = loops_of(going.pid)
        assert all("kavrel-rig-" not in line for line in mounts()), "nobody else sees them"
        going.kill()
    until(lambda: not set(mine) & set(loops()), 30)


def loops() -> list[str]:
    said = subprocess.run(
        ["losetup", "-n", "-O", "BACK-FILE"], check=True, capture_output=True, text=True
    )
    return [line for line in said.stdout.splitlines() if "kavrel-rig-" in line]


def loops_of(process: int) -> list[str]:
    """Files of loops in the folder that a process holds."""
    with_it = []
    for one in Path(f"/proc/{process}/fd").iterdir():
        with suppress(OSError):  # closed meanwhile
            with_it.append(os.readlink(one))
    names = {Path(p).name for p in with_it if "kavrel-rig-" in p}
    return [line for line in loops() if any(name in line for name in names)]


def mounts() -> list[str]:
    return Path("/proc/self/mounts").read_text().splitlines()


def until(done: Callable[[], bool], seconds: float) -> None:
    end = time.monotonic() + seconds
    while not done():
        assert time.monotonic() < end
        time.sleep(0.05)
