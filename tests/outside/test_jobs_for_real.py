"""lab-job on a real Btrfs, a real rsync, rsync daemon and sshd: killed, cut, full, gone, and once more.

Afterwards every point that counts is whole (its content is that of the source at that moment),
nothing that should be kept is gone, and exit code and message are true.
Sources: btrfs-subvolume(8), btrfs-receive(8), rsync(1), rsyncd.conf(5), sshd_config(5), findmnt(8).
"""

import json
import os
import shutil
import subprocess
import time
from collections.abc import Iterator
from datetime import datetime
from itertools import count
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import pytest

from kavrel.core.copies.module import Module
from kavrel.formats.lab_jobs import lab_jobs
from tests.builders import job, lab
from tests.conftest import free_port, needs, until_it_answers
from tests.formats.hostside.box import START, Box

pytestmark = [
    needs("mkfs.btrfs"),
    needs("rsync"),
    pytest.mark.skipif(os.geteuid() != 0, reason="mounting needs root"),
]
DAY = 86_400
MB = 1_000_000
RULES = {"last": 5}
NIGHTS = count()


def run(*command: str) -> str:
    return subprocess.run(command, check=True, capture_output=True, text=True).stdout


def disk(folder: Path, name: str, size: int = 2000 * MB, *more: str) -> Path:
    """A Btrfs on a loop device, mounted; the caller unmounts it."""
    image, place = folder / f"{name}.img", folder / name
    place.mkdir()
    with image.open("wb") as file:
        file.truncate(size)
    run("mkfs.btrfs", "-q", *(more or ("-m", "single")), str(image))
    made = subprocess.run(
        ["mount", "-o", "loop", str(image), str(place)], capture_output=True, check=False
    )
    if made.returncode:
        pytest.skip("this kernel mounts no loop device")
    return place


@pytest.fixture
def main(tmp_path: Path) -> Iterator[Path]:
    place = disk(tmp_path, "main")
    yield place
    run("umount", str(place))


@pytest.fixture
def second(tmp_path: Path) -> Iterator[Path]:
    place = disk(tmp_path, "second")
    yield place
    if os.path.ismount(place):
        run("umount", str(place))


@pytest.fixture
def box(tmp_path: Path) -> Box:
    (tmp_path / "box").mkdir()
    return Box(tmp_path / "box")


def uuid_of(place: Path) -> str:
    return run("findmnt", "-n", "-o", "UUID", "--mountpoint", str(place)).strip()


def replication(main: Path, second: Path, *sets: str, **more: Any) -> dict[str, Any]:
    return {
        "kind": "replication",
        "filesystem": "btrfs",
        "pairs": [[f"{main}/{s}", f"{second}/r/{s}"] for s in sets or ("live",)],
        "retention": RULES,
        "mounted": [
            {"side": "source", "at": str(main), "uuid": uuid_of(main)},
            {"side": "target", "at": str(second), "uuid": uuid_of(second)},
        ],
        **more,
    }


def points(folder: Path) -> dict[str, str]:
    """What lies in a folder of points: each with the day that its diary tells."""
    if not folder.exists():
        return {}
    return {p.name: (p / "diary").read_text() for p in sorted(folder.iterdir())}


def write(live: Path, text: str) -> None:
    (live / "diary").write_text(text, encoding="utf-8")
    # rsync(1) goes by size and whole seconds: each night has a time of its own.
    moment = time.time() + 10 * next(NIGHTS)
    (live / "bulk").write_bytes(os.urandom(3 * MB))
    for name in ("diary", "bulk"):
        os.utime(live / name, (moment, moment))


class Killer:
    """Programs on the path that kill the script before, in the midst of, or after their own work."""

    NAMES = ("btrfs", "rsync", "mkdir", "touch", "ls", "findmnt", "tar", "sh", "mv", "gzip", "rm")

    def __init__(self, box: Box) -> None:
        self.box, self.count = box, box.folder / "count"
        for name in self.NAMES:
            real = shutil.which(name)
            assert real
            box.command(
                name,
                f"n=$(($(cat {self.count}) + 1)); echo $n >{self.count}\n"
                f'if [ $n = "$KILL_AT" ]; then\n'
                f"  case $KILL_WHEN in\n"
                f'    after) {real} "$@" ;;\n'
                f'    midst) {real} "$@" | head -c 200000 ;;\n'
                f"  esac\n"
                f"  kill -9 $PPID; exit 137\n"
                f"fi\n"
                f'exec {real} "$@"',
            )

    def run(self, job: str, now: float, at: int = 0, when: str = "before") -> Any:
        self.count.write_text("0", encoding="utf-8")
        return self.box.run(job, now=now, KILL_AT=str(at), KILL_WHEN=when)

    def steps(self) -> int:
        return int(self.count.read_text(encoding="utf-8"))


def settle(box: Box, job: str, now: float) -> Any:
    """The next run; what a killed one left running may still hold the lock for a moment."""
    deadline = time.monotonic() + 60
    while True:
        done = box.run(job, now=now)
        if "its last run has not ended" not in done.stderr or time.monotonic() > deadline:
            return done


def killed_at(main: Path, second: Path, box: Box, kind: str, at: int, when: str, n: int) -> int:
    """Three nights, the second of them killed at a step; gives how many steps a night has."""
    live, killer, job = main / f"live{n}", Killer(box), f"j{n}"
    run("btrfs", "subvolume", "create", str(live))
    copy = second / f"r{n}" / "live"
    told = {
        "replication": replication(main, second) | {"pairs": [[str(live), str(copy)]]},
        "folder_mirror": {
            "kind": "folder_mirror",
            "pairs": [[str(live), str(copy)]],
            "trash_days": 30,
            "retention": {"trash_days": 30},
        },
        "config": {
            "kind": "config",
            "folder": str(copy),
            "paths": [str(live).lstrip("/")],
            "retention": RULES,
        },
    }[kind]
    box.jobs(**{job: told})
    for night in range(3):
        write(live, f"night {night}")
        now = START + night * DAY
        if night == 1:
            killer.run(job, now, at, when)
        else:
            done = killer.run(job, now) if night == 0 else settle(box, job, now)
            assert (done.returncode, done.stderr) == (0, ""), (kind, at, when)
            steps = killer.steps() if night == 0 else 0
        if night == 0:
            whole = steps
    if kind == "replication":
        there = points(copy.parent / ".points" / "live")
        assert {f"lab-{job}-2026010{1 + k}T020000Z": f"night {k}" for k in (0, 2)}.items() <= (
            there.items()
        ), (at, when)
        listed = run(
            "btrfs", "subvolume", "list", "-o", "-R", str(copy.parent / ".points" / "live")
        )
        assert not [
            x for x in listed.splitlines() if f"lab-{job}-" in x and "received_uuid - " in x
        ]
        assert len([p for p in (main / ".points" / live.name).iterdir() if job in p.name]) == 1
    elif kind == "folder_mirror":
        assert (copy / "diary").read_text() == "night 2"
        assert (copy / "bulk").read_bytes() == (live / "bulk").read_bytes()
        thrown = {p.read_text() for p in copy.parent.rglob(".trash-live/*/diary")}
        assert "night 0" in thrown or "night 1" in thrown
    else:
        names = sorted(p.name for p in copy.iterdir())
        for name in names:
            assert name.endswith(".tar.gz"), (at, when, names)  # nothing half counts, or lies about
            run("tar", "-tzf", str(copy / name))
        assert [n for n in names if "20260101" in n]
        assert [n for n in names if "20260103" in n]
    return whole


KINDS = ("replication", "folder_mirror", "config")


@pytest.mark.parametrize("kind", KINDS)
def test_killed_in_the_midst_it_is_whole_after_the_next_run(
    main: Path, second: Path, box: Box, kind: str
) -> None:
    steps = killed_at(main, second, box, kind, 0, "before", 0)
    for n, (at, when) in enumerate(((steps // 2, "midst"), (steps - 1, "after")), 1):
        killed_at(main, second, box, kind, at, when, n)


@pytest.mark.prove
@pytest.mark.parametrize("kind", KINDS)
def test_killed_at_each_step_it_is_whole_after_the_next_run(
    main: Path, second: Path, box: Box, kind: str
) -> None:
    steps = killed_at(main, second, box, kind, 0, "before", 0)
    for n, at in enumerate(range(1, steps + 1)):
        for k, when in enumerate(("before", "midst", "after")):
            killed_at(main, second, box, kind, at, when, 1 + 3 * n + k)


def test_a_receive_that_was_cut_off_is_no_point_and_is_cleared_away(
    main: Path, second: Path, box: Box
) -> None:
    live = main / "live"
    run("btrfs", "subvolume", "create", str(live))
    box.jobs(r=replication(main, second))
    folder = second / "r" / ".points" / "live"
    write(live, "day 0")
    assert box.run("r").returncode == 0
    # What a cut leaves: a subvolume of the right name, writable, without the mark of its source.
    broken = folder / "lab-r-20260102T020000Z"
    run("btrfs", "subvolume", "create", str(broken))
    (broken / "diary").write_text("half a")
    sending = box.folder / "state" / f"r.{second}/r/live.sending".replace("/", "_")
    assert not sending.exists()  # the first has arrived whole: it is nobody's to clear away
    # One that another hand made, or opened to write in it, is not this job's to delete.
    done = box.run("r", now=START + DAY / 2)
    assert done.returncode == 1
    assert f"{broken} is no whole point, and not this run's" in done.stderr
    assert (broken / "diary").exists()
    sending.write_text(broken.name)
    box.watch(
        {
            "job": "r",
            "filesystem": "btrfs",
            "places": [f"{second}/r/live"],
            "received": True,
            "days": 1,
        }
    )
    late = box.run("overdue", now=START + 2 * DAY)
    assert "nothing came for 1.5 days" in late.stderr  # the half one does not count
    write(live, "day 2")
    done = box.run("r", now=START + 2 * DAY)
    assert (done.returncode, done.stderr) == (0, "")
    assert points(folder) == {
        "lab-r-20260101T020000Z": "day 0",
        "lab-r-20260101T140000Z": "day 0",
        "lab-r-20260103T020000Z": "day 2",
    }


def test_points_on_a_mounted_subvolume_stay_points(
    main: Path, second: Path, box: Box, tmp_path: Path
) -> None:
    # Seen from the file system's root their paths begin elsewhere: none is taken for a half one.
    run("btrfs", "subvolume", "create", str(second / "@data"))
    run("umount", str(second))
    run("mount", "-o", "loop,subvol=@data", str(tmp_path / "second.img"), str(second))
    live = main / "live"
    run("btrfs", "subvolume", "create", str(live))
    box.jobs(r=replication(main, second))
    for day in range(3):
        write(live, f"day {day}")
        done = box.run("r", now=START + day * DAY)
        assert (done.returncode, done.stderr) == (0, "")
    assert list(points(second / "r" / ".points" / "live").values()) == ["day 0", "day 1", "day 2"]


def test_nothing_is_written_where_the_disk_is_not_mounted(
    main: Path, second: Path, box: Box, tmp_path: Path
) -> None:
    live = main / "live"
    run("btrfs", "subvolume", "create", str(live))
    write(live, "day 0")
    target = [{"side": "target", "at": str(second), "uuid": uuid_of(second)}]
    box.jobs(
        r=replication(main, second),
        m={"kind": "mirror", "pairs": [[str(live), f"{second}/m/live"]], "mounted": target},
        c={
            "kind": "config",
            "folder": f"{second}/c",
            "paths": [str(live).lstrip("/")],
            "retention": RULES,
            "mounted": target,
        },
    )
    run("umount", str(second))
    for name in ("r", "m", "c"):
        done = box.run(name)
        assert done.returncode == 1
        assert f"nothing is mounted at {second}" in done.stderr
        assert not (box.folder / "state" / f"{name}.done").exists()
    assert list(second.iterdir()) == []
    # Another disk in its place is not it either.
    other = disk(tmp_path, "other")
    run("mount", "--bind", str(other), str(second))
    try:
        done = box.run("m")
        assert "refused" in done.stderr
        assert list(other.iterdir()) == []
    finally:
        run("umount", str(second))
        run("umount", str(other))
    run("mount", "-o", "loop", str(tmp_path / "second.img"), str(second))
    for name in ("r", "m", "c"):
        assert box.run(name).returncode == 0
    # A file system whose UUID the plan does not know is remembered from its first run.
    box.jobs(
        m={
            "kind": "mirror",
            "pairs": [[str(live), f"{second}/m/live"]],
            "mounted": [{"side": "target", "at": str(second)}],
        }
    )
    assert box.run("m").returncode == 0
    run("umount", str(second))
    run("mount", "-t", "tmpfs", "none", str(second))
    assert "refused" in box.run("m", now=START + DAY).stderr


def test_a_tool_of_ones_own_is_not_started_on_an_empty_folder(
    main: Path, box: Box, tmp_path: Path
) -> None:
    """It asks nobody: night after night a point of nothing, until the last good one is let go."""
    told = lab_jobs(lab(jobs=(job("b", "backup", target_pool="second"),)), "box", "r")
    planned = json.loads(told)["jobs"]["b"]["mounted"]
    assert [(m["side"], m["at"], m["zfs"]) for m in planned] == [
        ("here", "/srv/main", "main"),
        ("here", "/srv/main/files", "main/files"),
    ]
    write(main, "day 0")
    seen = tmp_path / "seen"
    own = box.folder / "own" / "b"
    own.parent.mkdir(exist_ok=True)
    own.write_text(f"#!/bin/sh\nls {main} >>{seen}\n", encoding="utf-8")
    own.chmod(0o755)
    at = [{"side": "here", "at": str(main), "uuid": uuid_of(main)}]
    box.jobs(b={"kind": "backup", "title": "backup", "mounted": at})
    assert box.run("b").returncode == 0
    assert seen.read_text().split() == ["bulk", "diary"]
    run("umount", str(main))
    try:
        done = box.run("b", now=START + DAY)
        assert done.returncode == 1
        assert (
            f"nothing is mounted at {main}: refused, for it would take an empty folder"
            in done.stderr
        )
        assert seen.read_text().split() == ["bulk", "diary"]
    finally:
        run("mount", "-o", "loop", str(tmp_path / "main.img"), str(main))


def test_a_full_or_read_only_target_is_said_and_loses_nothing(
    main: Path, box: Box, tmp_path: Path
) -> None:
    small = disk(tmp_path, "small", 120 * MB, "--mixed")
    try:
        live = main / "live"
        run("btrfs", "subvolume", "create", str(live))
        write(live, "day 0")
        box.jobs(r=replication(main, small))
        assert box.run("r").returncode == 0
        folder = small / "r" / ".points" / "live"
        (live / "large").write_bytes(os.urandom(140 * MB))
        (live / "diary").write_text("day 1")
        full = box.run("r", now=START + DAY)
        assert full.returncode == 1
        assert "failed: btrfs send" in full.stderr or "btrfs receive" in full.stderr
        (live / "large").unlink()
        (live / "diary").write_text("day 2")
        done = box.run("r", now=START + 2 * DAY)
        assert (done.returncode, done.stderr) == (0, ""), done.stderr
        assert list(points(folder).values()) == ["day 0", "day 2"]
        run("mount", "-o", "remount,ro", str(small))
        closed = box.run("r", now=START + 3 * DAY)
        assert closed.returncode == 1
        assert "Read-only" in closed.stderr
        assert list(points(folder).values()) == ["day 0", "day 2"]
    finally:
        run("umount", str(small))


def test_one_dataset_that_is_missing_does_not_keep_the_others(
    main: Path, second: Path, box: Box
) -> None:
    for name in ("one", "three"):
        run("btrfs", "subvolume", "create", str(main / name))
        write(main / name, name)
    sets = ("one", "two", "three")
    snaps = {"kind": "snapshot", "filesystem": "btrfs", "sets": [f"{main}/{s}" for s in sets]}
    box.jobs(
        r=replication(main, second, *sets),
        s={**snaps, "retention": RULES},
        m={"kind": "mirror", "pairs": [[f"{main}/{s}", f"{second}/m/{s}"] for s in sets]},
    )
    for name in ("r", "s", "m"):
        done = box.run(name)
        assert done.returncode == 1
        assert f"{main}/two" in done.stderr
        assert f"{main}/three" not in done.stderr
    assert points(second / "r" / ".points" / "three")
    assert len(points(main / ".points" / "three")) == 2  # the snapshot, and what r goes on from
    assert (second / "m" / "three" / "diary").read_text() == "three"
    # One that is locked or not mounted looks like an empty folder: it is named, the rest goes on.
    locked = {"side": "source", "at": f"{main}/one", "zfs": "main/one", "for": f"{main}/one"}
    write(main / "three", "once more")
    box.jobs(
        m={
            "kind": "mirror",
            "pairs": [[f"{main}/{s}", f"{second}/m/{s}"] for s in ("one", "three")],
            "mounted": [locked],
        }
    )
    done = box.run("m", now=START + DAY)
    assert done.returncode == 1
    assert f"nothing is mounted at {main}/one" in done.stderr
    assert "Traceback" not in done.stderr
    assert (second / "m" / "three" / "diary").read_text() == "once more"


def test_a_clock_that_goes_back_puts_no_point_before_those_that_are_there(
    main: Path, second: Path, box: Box
) -> None:
    live = main / "live"
    run("btrfs", "subvolume", "create", str(live))
    box.jobs(r=replication(main, second, retention={"last": 2}))
    for n, now in enumerate((START, START - 3600, START - 3600, START + DAY)):
        write(live, f"run {n}")
        done = box.run("r", now=now)
        assert (done.returncode, done.stderr) == (0, "")
    found = points(second / "r" / ".points" / "live")
    assert list(found.values()) == ["run 2", "run 3"]
    assert next(iter(found)) == "lab-r-20260101T020002Z"
    box.watch(
        {
            "job": "r",
            "filesystem": "btrfs",
            "places": [f"{second}/r/live"],
            "received": True,
            "days": 1,
        }
    )
    assert "from the future" in box.run("overdue", now=START - 9 * DAY).stderr


def test_what_changes_or_vanishes_meanwhile_is_no_failure_and_a_failed_tar_is_no_point(
    main: Path, second: Path, box: Box
) -> None:
    live = main / "live"
    live.mkdir()
    write(live, "day 0")
    real_rsync, real_tar = shutil.which("rsync"), shutil.which("tar")
    # rsync(1): 24, partial transfer because source files vanished. tar: 1, some files differ.
    box.command("rsync", f'{real_rsync} "$@"; exit 24')
    box.command("tar", f'{real_tar} "$@"; exit 1')
    config = {"kind": "config", "folder": f"{second}/c", "paths": [str(live).lstrip("/")]}
    box.jobs(
        m={"kind": "mirror", "pairs": [[str(live), f"{second}/m/live"]]},
        c={**config, "retention": RULES},
    )
    assert box.run("m").returncode == 0
    assert box.run("c").returncode == 0
    (packed,) = (second / "c").iterdir()
    assert packed.stat().st_mode & 0o777 == 0o600  # /etc holds secrets
    assert (second / "c").stat().st_mode & 0o777 == 0o700
    box.command("tar", f'{real_tar} "$@" | head -c 300; exit 2')
    failed = box.run("c", now=START + DAY)
    assert failed.returncode == 1
    assert [p.name for p in (second / "c").iterdir() if p.name.endswith(".tar.gz")] == [packed.name]
    box.command("tar", f'exec {real_tar} "$@"')
    assert box.run("c", now=START + 2 * DAY).returncode == 0
    names = sorted(p.name for p in (second / "c").iterdir())
    assert names == [packed.name, "lab-c-20260103T020000Z.tar.gz"]  # what was left is gone


def test_two_at_once_and_a_child_that_outlives_its_script_hold_the_lock(
    main: Path, box: Box
) -> None:
    live = main / "live"
    live.mkdir()
    write(live, "x")
    gate, real = box.folder / "gate", shutil.which("rsync")
    os.mkfifo(gate)
    # The first tells that it has begun, and waits until somebody opens the gate.
    wait = f"if mkdir {box.folder}/begun 2>/dev/null; then cat {gate} >/dev/null; fi"
    box.command("rsync", f'{wait}; exec {real} "$@"')
    box.jobs(
        m={"kind": "mirror", "pairs": [[str(live), f"{main}/copy"]]},
        w={"kind": "restart"},
    )
    first = box.start("m")
    deadline = time.monotonic() + 60
    while not (box.folder / "begun").exists():
        assert time.monotonic() < deadline
    assert "its last run has not ended" in box.run("m").stderr
    assert "m is running: not restarted" in box.run("w").stderr
    first.kill()
    first.wait(90)
    # The script is dead, its rsync is not: two of them at one target would fight.
    assert "its last run has not ended" in box.run("m").stderr
    gate.write_text("")
    done = settle(box, "m", START)
    assert (done.returncode, done.stderr) == (0, "")


HARD = ("plain", "two blanks ", "-rf", "o'brien", 'say "so"', "line\nbreak", "stern*", "ünïcode")


class Sshd:
    """A real sshd on loopback, and an ssh on the path that knows its port and key."""

    def __init__(self, folder: Path, box: Box) -> None:
        folder.mkdir()
        for name in ("host", "user"):
            run("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", str(folder / name))
        self.port = free_port()
        Path("/run/sshd").mkdir(exist_ok=True)
        (folder / "config").write_text(
            f"Port {self.port}\nListenAddress 127.0.0.1\nHostKey {folder}/host\n"
            f"AuthorizedKeysFile {folder}/user.pub\nStrictModes no\nUsePAM no\n"
            f"PermitRootLogin prohibit-password\nPidFile {folder}/pid\n"
            f"SetEnv PATH={box.folder}/bin:/usr/sbin:/usr/bin:/sbin:/bin\n",
            encoding="utf-8",
        )
        (folder / "known").write_text(
            f"[127.0.0.1]:{self.port} {(folder / 'host.pub').read_text()}", encoding="utf-8"
        )
        sshd = shutil.which("sshd", path=f"{os.environ['PATH']}:/usr/sbin")
        assert sshd
        with (folder / "log").open("w") as log:
            command = [sshd, "-D", "-e", "-f", str(folder / "config")]
            self.process = subprocess.Popen(command, stderr=log)
        box.command(
            "ssh",
            f"exec /usr/bin/ssh -F /dev/null -p {self.port} -i {folder}/user "
            f'-o UserKnownHostsFile={folder}/known -o ConnectTimeout=5 "$@"',
        )
        until_it_answers(self.port)

    def stop(self) -> None:
        self.process.terminate()
        self.process.wait(90)


@pytest.fixture
def far(tmp_path: Path, box: Box) -> Iterator[Sshd]:
    found = Sshd(tmp_path / "ssh", box)
    yield found
    found.stop()


@pytest.mark.prove
@needs("ssh-keygen")
def test_over_a_real_ssh_every_name_arrives_and_both_ends_hear_of_it(
    main: Path, second: Path, box: Box, far: Sshd
) -> None:
    live = main / "live"
    run("btrfs", "subvolume", "create", str(live))
    write(live, "day 0")
    for name in HARD:
        (live / name).write_text(name, encoding="utf-8")
    peer = {"peer": "127.0.0.1"}
    mark = f"{second}/m/.lab-m"
    box.jobs(
        r=replication(main, second, **peer),
        m={
            "kind": "folder_mirror",
            "pairs": [[str(live), f"{second}/m/live"]],
            "trash_days": 7,
            "marks": mark,
            **peer,
        },
        p={
            "kind": "mirror",
            "pairs": [[str(live), f"{second}/p/live"]],
            "pulls": True,
            "tells_source": "127.0.0.1",
            **peer,
        },
        after={"kind": "backup", "waits_for": {"job": "m", "mark": mark, **peer}},
    )
    for name in ("r", "m", "p"):
        done = box.run(name)
        assert (done.returncode, done.stderr) == (0, ""), name
    for copy in (
        second / "r" / ".points" / "live" / "lab-r-20260101T020000Z",
        second / "m" / "live",
        second / "p" / "live",
    ):
        assert {p.name for p in copy.iterdir()} == {*HARD, "diary", "bulk"}
        assert (copy / "line\nbreak").read_text(encoding="utf-8") == "line\nbreak"
    # A follower looks for the mark, runs once for it, and not again.
    own = box.folder / "own" / "after"
    own.write_text(f"#!/bin/sh\necho ran >>{box.folder}/ran\n", encoding="utf-8")
    own.chmod(0o755)
    for _ in range(2):
        assert box.run("--cron", "after", now=START + 300, TZ="Europe/Berlin").returncode == 0
    assert (box.folder / "ran").read_text() == "ran\n"
    box.watch(
        {"job": "m", "mark": mark, "days": 1, **peer},
        {"job": "p", "stamp": "heard", "days": 1},
    )
    assert box.run("overdue", now=START + 3600).returncode == 0
    late = box.run("overdue", now=START + 3 * DAY).stderr.splitlines()
    assert late == ["m: nothing came for 3.0 days", "p: nothing was heard of it for 3.0 days"]
    far.stop()
    # Who cannot be asked has not answered: that is said, and by the follower once a day.
    silent = box.run("overdue", now=START + 3600).stderr
    assert "m: 127.0.0.1 cannot be asked" in silent
    asked = [box.run("--cron", "after", now=START + DAY + n, TZ="Europe/Berlin") for n in range(3)]
    assert [a.returncode for a in asked] == [1, 0, 0]
    cut = box.run("m", now=START + DAY)
    assert cut.returncode == 1
    assert (second / "m" / "live" / "plain").exists()


def test_a_mirror_lands_in_a_module_of_a_real_rsync_daemon(
    main: Path, second: Path, box: Box
) -> None:
    live = main / "live"
    live.mkdir()
    (second / "data").mkdir()
    port = free_port()
    (box.folder / "secrets").write_text("courier:right\n", encoding="utf-8")
    (box.folder / "secrets").chmod(0o600)
    (box.folder / "rsyncd.conf").write_text(
        f"pid file = {box.folder}/rsyncd.pid\nuse chroot = yes\nuid = root\ngid = root\n"
        f"[mill]\n path = {second}/data\n read only = no\n auth users = courier\n"
        f" secrets file = {box.folder}/secrets\n",
        encoding="utf-8",
    )
    daemon = subprocess.Popen(
        [
            "rsync",
            "--daemon",
            "--no-detach",
            f"--config={box.folder}/rsyncd.conf",
            f"--port={port}",
            "--address=127.0.0.1",
        ]
    )
    try:
        (box.folder / "secret").mkdir()
        secret = box.folder / "secret" / "m.secret"
        secret.write_text("wrong\n", encoding="utf-8")
        secret.chmod(0o600)
        url = f"rsync://courier@127.0.0.1:{port}/mill"
        copy = f"{second}/data/m/live"
        box.jobs(
            m={
                "kind": "folder_mirror",
                "pairs": [[str(live), copy]],
                "module": {"url": url, "path": f"{second}/data"},
                "trash_days": 2,
                "marks": f"{second}/data/m/.lab-m",
            },
            t={"kind": "trash", "cans": [[f"{second}/data/m/.trash-live", 2]]},
        )
        more: dict[str, Any] = {"LAB_JOB_SECRETS": str(box.folder / "secret")}
        (live / "diary").write_text("day 0")
        until_it_answers(port)
        refused = box.run("m", **more)
        assert refused.returncode == 1
        assert "auth failed" in refused.stderr
        secret.write_text("right\n", encoding="utf-8")
        for day in range(5):
            (live / "diary").write_text(f"day {day}")
            os.utime(live / "diary", (START + day * DAY, START + day * DAY))
            done = box.run("m", now=START + day * DAY, **more)
            assert (done.returncode, done.stderr) == (0, "")
            assert box.run("t", now=START + day * DAY).returncode == 0
        assert Path(copy, "diary").read_text() == "day 4"
        cans = sorted(p.name for p in Path(second, "data/m/.trash-live").iterdir())
        # A module lets nobody delete: the far box empties the cans itself, after two days.
        assert cans == ["20260104T020000Z", "20260105T020000Z"]
        assert os.stat(f"{second}/data/m/.lab-m").st_mtime == START + 4 * DAY
        # Back as the restore sheet has it: the newest state, and over it what each day threw away.
        module, back, states = Module(url, f"{second}/data"), box.folder / "back", []
        for folder in (copy, *(f"{second}/data/m/.trash-live/{c}" for c in reversed(cans))):
            fetch = ["rsync", "-aHAX", "--partial", f"{module.within(folder)}/", f"{back}/"]
            subprocess.run(fetch, check=True, env={**os.environ, "RSYNC_PASSWORD": "right"})
            states.append((back / "diary").read_text())
        assert states == ["day 4", "day 3", "day 2"]
    finally:
        daemon.terminate()
        daemon.wait(90)


def test_the_bin_counts_from_the_move_into_it(main: Path, box: Box) -> None:
    share, homes = main / "share", main / "homes"
    thrown = share / ".bin" / "ana" / "2019" / "photo \n of -1999"
    at_home = homes / "bo" / ".bin" / "bo" / "draft"
    # A tool's own folder of that name, deep in somebody's work, is no bin of the share.
    theirs = (share / "site" / ".bin" / "build", homes / "bo" / "site" / ".bin" / "build")
    old = time.time() - 400 * DAY
    for where in (share / "letter", thrown, at_home, *theirs):
        where.parent.mkdir(parents=True, exist_ok=True)
        where.write_text("old")
        os.utime(where, (old, old))  # moved there just now; the file keeps its own date
    box.jobs(b={"kind": "bin", "bins": [[str(share), 7], [f"{homes}/*", 7]]})
    now = time.time()
    for days, there in ((0, True), (6.9, True), (7.1, False)):
        assert box.run("b", now=now + days * DAY).returncode == 0
        assert (thrown.exists(), at_home.exists()) == (there, there)
    assert not thrown.parent.exists()
    assert all(p.exists() for p in (share / "letter", *theirs))
    box.jobs(b={"kind": "bin", "bins": [[f"{main}/gone", 7]]})
    assert "is not there" in box.run("b", now=now + 8 * DAY).stderr


def test_what_was_missed_is_made_up_for_where_the_plan_says_so(box: Box) -> None:
    own = box.folder / "own"
    for name in ("kept", "let"):
        (own / name).write_text(f"#!/bin/sh\necho {name} >>{box.folder}/ran\n", encoding="utf-8")
        (own / name).chmod(0o755)
    nightly = {"kind": "backup", "schedule": {"kind": "daily", "at": "03:00"}}  # 02:00 UTC
    box.jobs(kept={**nightly, "catch_up": True}, let=nightly)

    def cron(hours: float) -> None:
        for name in ("kept", "let"):
            done = box.run("--cron", name, now=START + hours * 3600, TZ="Europe/Berlin")
            assert (done.returncode, done.stderr) == (0, "")

    def ran() -> list[str]:
        path = box.folder / "ran"
        return path.read_text().split() if path.exists() else []

    cron(-1)
    assert ran() == []  # set up an hour before its first start: nothing was missed
    cron(0)
    cron(0.1)
    assert ran() == ["kept", "let"]
    cron(30)  # off at the second start, on again six hours later
    assert ran() == ["kept", "let", "kept"]
    cron(31)
    assert ran() == ["kept", "let", "kept"]
    cron(48)
    assert ran()[3:] == ["kept", "let"]
    # By a clock that is a year ahead nothing runs, and ever after nothing is kept from running.
    ahead = box.run("--cron", "let", now=START + 365 * DAY, TZ="Europe/Berlin")
    assert (ahead.returncode, "the clock of this box says 2027" in ahead.stderr) == (1, True)
    box.command("timedatectl", "echo yes")  # believed, and wrong all the same
    cron(365 * 24)
    cron(96)
    assert ran()[5:] == ["kept", "let", "kept", "let"]
    wrong = box.run("--cron", "let", now=START + 72 * 3600, TZ="America/New_York")
    assert "timedatectl set-timezone Europe/Berlin" in wrong.stderr


def test_a_scrub_says_what_it_found(box: Box) -> None:
    box.jobs(
        z={"kind": "scrub", "filesystem": "zfs", "pool": "main"},
        b={"kind": "scrub", "filesystem": "btrfs", "pool": "plain"},
    )
    box.zfs_state({}, main={})
    assert box.run("z").returncode == 0
    box.break_pool("main", "3 data errors, use '-v' for a list")
    found = box.run("z")
    assert found.returncode == 1
    assert "3 data errors" in found.stderr
    # btrfs-device(8), stats --check: not 0 where a counter is not.
    box.command("btrfs", 'case "$*" in *stats*) echo "[/dev/x].corruption_errs 2"; exit 64;; esac')
    assert "btrfs device stats -c /srv/plain" in box.run("b").stderr


def test_a_pool_that_nobody_made_is_not_read_and_one_that_was_made_is_missed(box: Box) -> None:
    (box.folder / "kavrel").mkdir()
    made = str(box.folder / "kavrel")
    rule = {"kind": "daily", "at": "02:00"}
    scrub = {"kind": "scrub", "pool": "main", "wanted": True, "schedule": rule}
    box.jobs(z={**scrub, "filesystem": "zfs"}, p={**scrub, "filesystem": "ext4", "folder": "/no"})
    box.zfs_state({})
    night = datetime(2026, 11, 24, 2, 0, tzinfo=ZoneInfo("Europe/Berlin")).timestamp()

    def cron(job: str, nights: int) -> Any:
        at = night + nights * DAY
        return box.run("--cron", job, now=at, TZ="Europe/Berlin", KAVREL_STATE=made)

    for scrub_of in ("z", "p"):
        assert (cron(scrub_of, 0).returncode, cron(scrub_of, 0).stderr) == (0, "")
        assert not list(box.folder.rglob(f"{scrub_of}.done")), "what was not read is not said to be"
        by_hand = box.run(scrub_of, now=night, KAVREL_STATE=made)
        assert by_hand.returncode == 1, "whoever asks for it is told"
    # Made, read, and gone again: now it is missed.
    box.zfs_state({}, main={})
    assert cron("z", 1).returncode == 0
    assert list(box.folder.rglob("z.done"))
    box.zfs_state({})
    assert "no such pool" in cron("z", 2).stderr
    # Noted by setup.sh, and never seen since.
    (box.folder / "kavrel" / "done").write_text("2026-11-24 pool/main uuid=1\n", encoding="utf-8")
    assert "nothing is mounted at /no" in cron("p", 2).stderr


def test_a_raw_stream_for_what_is_encrypted_and_a_lost_token_begins_anew(box: Box) -> None:
    sent = {
        "kind": "replication",
        "filesystem": "zfs",
        "pairs": [["main/files", "far/r/files"]],
        "resumable": True,
        "encrypted": True,
        "retention": {"last": 3},
    }
    box.jobs(r=sent)
    box.zfs_state({"main/files": "first"}, **{"main": {}, "main/files": {}, "far": {}})
    assert "zfs send --raw main/files@" in box.run("--show", "r").stdout
    assert box.run("r", ZFS_CUT="far/r/files").returncode == 1
    # The snapshot that the token goes on from is gone: it is given up, and sent whole.
    subprocess.run(
        [str(box.folder / "bin" / "zfs"), "destroy", "main/files@lab-r-20260101T020000Z"],
        check=True,
        env={**os.environ, "ZFS_STATE": str(box.zfs)},
    )
    again = box.run("r", now=START + DAY)
    assert (again.returncode, again.stderr) == (0, "")
    assert list(box.sets["far/r/files"]) == ["lab-r-20260102T020000Z"]
    # Without the flag it would be a plain stream onto a raw copy: refused there, and said.
    box.jobs(r={**sent, "encrypted": False})
    assert box.run("r", now=START + 2 * DAY).returncode == 1


def test_a_slow_target_is_waited_for_and_not_started_again(main: Path, box: Box) -> None:
    live = main / "live"
    live.mkdir()
    write(live, "x")
    box.jobs(
        m={"kind": "mirror", "pairs": [[str(live), f"{main}/copy"]], "limit_kib_per_s": 500},
    )
    # 3 MB at 500 KiB/s take some six seconds, whatever the machine.
    first = box.start("m")
    deadline = time.monotonic() + 60
    while not (box.folder / "state" / "m.began").exists():
        assert time.monotonic() < deadline
    assert "its last run has not ended" in box.run("m").stderr
    assert not (box.folder / "state" / "m.done").exists()
    assert first.wait(120) == 0
    assert (main / "copy" / "bulk").read_bytes() == (live / "bulk").read_bytes()
    assert (box.folder / "state" / "m.done").exists()
