"""A night by the exported files alone: crontab lines and units with the environment that they give.

In a namespace: the crontab's own settings and nothing else (cron gives HOME, LOGNAME and SHELL), or
those of systemd's services; lab-job in /usr/local/sbin, its file in /etc, two real Btrfs in /srv.
Sources: crontab(5) of Debian; systemd.exec(5), "Environment variables in spawned processes".
"""

import json
import os
import shlex
import subprocess
from datetime import UTC, datetime
from pathlib import Path

import pytest

from kavrel.core.plan import Disk, Plan, Pool, Retention, Schedule, Share
from kavrel.formats.lab_jobs import lab_jobs, script
from kavrel.formats.timers import crontab, timer_units
from tests.builders import TODAY, daily, disk, job, lab
from tests.conftest import needs
from tests.outside import OWN_ETC

pytestmark = [
    needs("mkfs.btrfs"),
    needs("rsync"),
    needs("unshare"),
    pytest.mark.skipif(os.geteuid() != 0, reason="mounting needs root"),
]
NAMES = ("main", "second", "third")
NIGHT = datetime(2026, 11, 25, 0, 0, tzinfo=UTC)  # 01:00 in Berlin


def plan(uuids: dict[str, str]) -> Plan:
    """One box with two Btrfs pools and a third beside it: every kind that needs no repository."""

    def pool(name: str, one: Disk) -> Pool:
        return Pool(
            id=name,
            name=name,
            host=one.host or "",
            family="single",
            filesystem="btrfs",
            groups=((one.id,),),
            uuid=uuids[name],
        )

    disks = (disk(1, serial="SN-1"), disk(2), disk(1, "far"))
    chore = {"datasets": (), "retention": Retention(), "schedule": daily("01:00")}

    near = {"schedule": Schedule(kind="after")}
    return lab(
        disks=disks,
        pools=tuple(map(pool, NAMES, disks)),
        shares=(Share(id="share", name="files", dataset="files", recycle_days=7),),
        jobs=(
            job("snaps", schedule=daily("01:00")),
            job("sent", kind="replication", target_pool="second", after="snaps", **near),
            job(
                "equal",
                kind="folder_mirror",
                target_pool="second",
                schedule=daily("01:00"),
                retention=Retention(trash_days=7),
                alarm_days=2.0,
            ),
            job(
                "mended",
                kind="scrub",
                datasets=(),
                pool="main",
                retention=Retention(),
                schedule=daily("01:00", every=2, start=NIGHT.date()),
            ),
            job("plain", kind="mirror", target_pool="third", **{**chore, "datasets": ("files",)}),
            job(
                "kept",
                kind="config",
                host="box",
                target_pool="third",
                **{**chore, "retention": Retention(last=3)},
            ),
            job("asked", kind="smart_short", pool="main", **chore),
            job("waiting", kind="updates", host="box", **chore),
            job("anew", kind="restart", host="box", **chore),
        ),
    )


STAGE = """
set -e
mkdir {room}/room
mount -t tmpfs none {room}/room
{own_etc}
mount -t tmpfs none /srv; mount -t tmpfs none /var/lib
for name in main second third; do
  mkdir /srv/$name; mount -o loop {room}/$name.img /srv/$name
done
btrfs -q subvolume create /srv/main/files
echo dear >/srv/main/files/letter
mount --bind {room}/sbin /usr/local/sbin
cp {room}/lab-job /usr/local/sbin; chmod 755 /usr/local/sbin/lab-job
cp {room}/lab-jobs.json /etc/lab-jobs.json
set +e
{commands}
find /srv -name letter | sort
ls /var/lib/lab-job | sort
cat {room}/asked
umount /srv/main /srv/second /srv/third
"""
# What this machine cannot do is written down: the far box is this one, its disks answer to SMART.
STAND_INS = {
    "ssh": 'while [ "$1" = -o ]; do shift 2; done; shift; exec sh -c "$*"',
    "lsblk": """echo '{"blockdevices": [{"path": "/dev/sdx", "serial": "SN-1"}]}'""",
    "smartctl": 'echo "smartctl $*" >>@/asked',
    "apt-get": 'echo "apt-get $*" >>@/asked',
    "systemctl": 'echo "systemctl $*" >>@/asked',
}


def stage(folder: Path, commands: list[str]) -> tuple[list[str], str]:
    """What is seen after the commands, and what they said."""
    text = STAGE.format(
        room=folder, own_etc=OWN_ETC.replace("ROOM", f"{folder}/room"), commands="\n".join(commands)
    )
    done = subprocess.run(
        ["unshare", "-m", "sh", "-c", text], capture_output=True, text=True, check=False
    )
    return done.stdout.splitlines(), done.stderr


@pytest.fixture
def made(tmp_path: Path) -> Plan:
    uuids = {}
    (tmp_path / "sbin").mkdir()
    for name, text in STAND_INS.items():
        path = tmp_path / "sbin" / name
        path.write_text(f"#!/bin/sh\n{text.replace('@', str(tmp_path))}\n", encoding="utf-8")
        path.chmod(0o755)
    for name in NAMES:
        image = tmp_path / f"{name}.img"
        with image.open("wb") as file:
            file.truncate(200_000_000)
        subprocess.run(["mkfs.btrfs", "-q", "--mixed", str(image)], check=True)
        said = subprocess.run(
            ["blkid", "-o", "value", "-s", "UUID", str(image)],
            capture_output=True,
            text=True,
            check=True,
        )
        uuids[name] = said.stdout.strip()
    found = plan(uuids)
    (tmp_path / "lab-job").write_text(script(), encoding="utf-8")
    (tmp_path / "lab-jobs.json").write_text(lab_jobs(found, "box", "r"), encoding="utf-8")
    return found


def expected(seen: list[str]) -> None:
    stamp = f"{NIGHT:%Y%m%dT%H%M%SZ}"
    assert f"/srv/main/.points/files/lab-snaps-{stamp}/letter" in seen
    assert f"/srv/second/sent/.points/files/lab-sent-{stamp}/letter" in seen
    assert "/srv/second/equal/files/letter" in seen
    assert "/srv/third/plain/files/letter" in seen
    done = {"snaps", "sent", "equal", "mended", "plain", "kept", "asked", "waiting", "anew"}
    assert {f"{name}.done" for name in done} <= set(seen)
    assert {"systemctl reboot", "apt-get -qq update"} <= set(seen)
    assert "smartctl -q errorsonly -t short /dev/sdx" in seen


def test_a_night_by_the_crontab(made: Plan, tmp_path: Path) -> None:
    lines = crontab(made, "box", "revision 1", TODAY).splitlines()
    given = [x for x in lines if "=" in x.split(" ")[0] and not x.startswith("#")]
    due = [x.split(" ", 5)[5] for x in lines if x[:1].isdigit() or x[:1] == "*"]
    # Eight by themselves (one more follows behind), the bins, another scrub, and what is overdue.
    assert len(due) == 8 + 3
    env = " ".join(map(shlex.quote, [*given, "HOME=/root", "LOGNAME=root", "TZ=Europe/Berlin"]))
    moment = f"LAB_JOB_NOW={NIGHT.timestamp():.0f}"
    # cron hands the line to the shell that it names, with no terminal.
    commands = [f"env -i {env} {moment} /bin/sh -c {shlex.quote(c)} </dev/null" for c in due]
    seen, said = stage(tmp_path, commands)
    assert said == ""
    expected(seen)


def test_a_night_by_the_units(made: Plan, tmp_path: Path) -> None:
    units = timer_units(made, "box", "revision 1", TODAY)
    path = "PATH=/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin"
    commands = []

    def start(service: str) -> str:
        """A service as systemd runs it: the condition, the command, then what succeeds it."""
        text = units[service]
        parts = [x.partition("=")[2] for x in text.splitlines() if x.startswith("ExecCondition=")]
        parts += [x.partition("=")[2] for x in text.splitlines() if x.startswith("ExecStart=")]
        follows = [x.partition("=")[2] for x in text.splitlines() if x.startswith("OnSuccess=")]
        env = f"env -i {path} LAB_JOB_NOW={NIGHT.timestamp():.0f}"
        return " && ".join([*(f"{env} {p} </dev/null" for p in parts), *map(start, follows)])

    for name in sorted(units):
        if name.endswith(".timer"):
            commands.append(start(name.replace(".timer", ".service")))
    seen, said = stage(tmp_path, commands)
    assert said == ""
    expected(seen)
    told = json.loads((tmp_path / "lab-jobs.json").read_text(encoding="utf-8"))
    assert set(told["jobs"]) >= {
        "snaps",
        "sent",
        "equal",
        "mended",
        "upkeep-bins",
        "upkeep-scrub-second",
    }
