#!/usr/bin/env python3
"""lab-job: runs one job of the lab by the system's own tools. Written by Kavrel; needs Python 3.9.

    lab-job NAME             runs the job NAME of /etc/lab-jobs.json
    lab-job --cron NAME      the same from cron: only where a start of its calendar is due, and
                             then what follows it on this box
    lab-job --show NAME      prints the commands instead: it looks, and changes nothing
    lab-job due NAME         whether a start is due now: exit code 0 or 1, 255 where it cannot say
    lab-job overdue          says of which jobs nothing has come for too long; fails if there are any
    lab-job tell UNIT        mails root what a unit said that failed
    lab-job list             prints the jobs
    lab-job try NAME         brings some files back from the newest copy of the job NAME into a place of
                             their own, compares them, says how long it took, and removes them
    lab-job points           prints as JSON when each job last went well and what lies here of it
    lab-job clock            says that the clock of this box is right, where a job refused to believe it

Snapshots are named lab-JOB-TIME in UTC; only those of the job itself are ever pruned, by its
retention. Nothing is written to a place that is not what the plan says is mounted there. What no
common tool does (a repository, a bucket, a hypervisor) is a script of your own in
/usr/local/lib/lab-job.d/JOB; JOB.newest beside it prints when its newest point is from, JOB.points
when all of them are, as JSON, for lab-look. It says nothing when all goes well, so that mail means
trouble. Exit codes: 0 went well, 1 did not, 2 asked wrongly, 3 went well and has something to tell.
"""

from __future__ import annotations

import fcntl
import glob
import json
import os
import re
import shlex
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from datetime import date, datetime, timedelta, timezone
from functools import lru_cache, partial
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

CONFIG = Path(os.environ.get("LAB_JOBS", "/etc/lab-jobs.json"))
STATE = Path(os.environ.get("LAB_JOB_STATE", "/var/lib/lab-job"))
OWN = Path(os.environ.get("LAB_JOB_OWN", "/usr/local/lib/lab-job.d"))
SECRETS = Path(os.environ.get("LAB_JOB_SECRETS", "/etc/lab-job.d"))
# What setup.sh has made here.
MADE = Path(os.environ.get("KAVREL_STATE", "/var/lib/kavrel")) / "done"
STAMP = "%Y%m%dT%H%M%SZ"
DAY = 86_400.0
LATE = 600.0  # a start counts as due for so long; cron and systemd are seconds late
CLOCK_BACK = 7200.0  # by so much a clock may have been set back since the last run
CLOCK_ON = 8 * DAY  # and by so much it may have gone on, where no start of the job lies between
GONE_MEANWHILE = 24  # rsync: files vanished while it looked; the copy is whole without them
CHANGED_MEANWHILE = 1  # tar: a file changed while it was read
KEPT_RUNS = 400
NO_WAY = 255  # ssh: could not reach the other box, or was not let in
# A line that is cut in the middle tells nobody: a run that waits for the rest would wait for ever, and each
# later one would be left out. Sources: ssh_config(5), ServerAliveInterval; rsync(1), --timeout.
SILENT_SECONDS = 600
REACHED_SECONDS = 60
PERIODS = (
    ("hourly", "%Y-%m-%d %H"),
    ("daily", "%Y-%m-%d"),
    ("weekly", "%G-%V"),
    ("monthly", "%Y-%m"),
    ("yearly", "%Y"),
)


class Trouble(Exception):
    """The job cannot go on; the text says why."""


class Found(Exception):
    """The job went well, and has something to tell."""


# --- which points stay -----------------------------------------------------------------------


def stays(
    times: Sequence[float],
    rules: dict[str, Any],
    zone: str,
    now: float,
    standing: Sequence[float] = (),
) -> list[float]:
    """Which of the points (epoch s, oldest first) stay: while any rule keeps them; the newest always.

    `counting` says whether hours, days, weeks, months and years count beyond what the finer rules
    keep, or each on its own; `of_period` which point stands for a period. `standing` are those
    that thinning lets stand.
    """
    if not times:
        return []
    place = ZoneInfo(zone)
    hold = rules.get("hold_until")
    if hold and now < datetime.fromisoformat(hold).replace(tzinfo=place).timestamp():
        return list(times)
    last, forms = rules.get("last", 0), dict(PERIODS)
    kept = set(times[-last:]) if last else set()
    kept |= {t for t in times if t + rules.get("all_days", 0) * DAY > now}

    def of_each_period(points: Sequence[float], form: str) -> list[float]:
        """The point that stands for each period, the newest period first."""
        chosen: dict[str, float] = {}
        for point in points:
            period = period_of(point, place, form)
            if rules.get("of_period") != "first" or period not in chosen:
                chosen[period] = point
        return sorted(chosen.values(), reverse=True)

    for name, form in PERIODS:
        wanted = rules.get(name, 0)
        if not wanted:
            continue
        counted = of_each_period(times, form)
        if rules.get("counting") != "each":
            counted = [point for point in counted if point not in kept]
        kept |= set(counted[:wanted])
    opens = 0.0
    for window in rules.get("windows", ()):
        ends = window["days"] * DAY
        inside = [t for t in times if t + opens <= now < t + ends]
        kept |= set(of_each_period(inside, forms[window["every"]]))
        opens = ends
    kept |= set(standing)
    return [t for t in times if t in kept or t == times[-1]]


@lru_cache(maxsize=50_000)
def period_of(point: float, place: ZoneInfo, form: str) -> str:
    """The hour, day, week, month or year that a point is in, in local time."""
    return datetime.fromtimestamp(point, place).strftime(form)


def still_standing(before: Sequence[float], times: Sequence[float], most: int) -> list[float]:
    """What thinning lets stand of those it let stand before, and of what is newer than those.

    What it once let go does not come back because another rule still keeps it.
    """
    newest = before[-1] if before else float("-inf")
    return thinned([t for t in times if t in before or t > newest], most) if most else []


def thinned(times: Sequence[float], most: int) -> list[float]:
    """At most so many: those go whose neighbours lie closest together against their age."""
    left = list(times)
    while len(left) > most:
        if most < 3:
            del left[most - 1]
            continue
        spread = [
            ((left[k + 1] - left[k - 1]) / (left[-1] - left[k]), k) for k in range(1, len(left) - 1)
        ]
        del left[min(spread)[1]]
    return left


def prunes(
    what: str, times: Sequence[float], rules: dict[str, Any], zone: str, now: float, show: bool
) -> list[float]:
    """What stays; what thinning let stand is remembered from run to run."""
    if not times:
        return []
    ahead = [t for t in times if t > now + DAY]
    if ahead:
        moment = datetime.fromtimestamp(ahead[0], timezone.utc).strftime(STAMP)
        _noticed.append(
            f"{len(ahead)} points of {what} are named by a clock that was wrong, from {moment} on: nothing is "
            "let go until they are removed, on both ends"
        )
        return list(times)
    memory = STATE / f"{what.replace('/', '_')}.thin"
    before = json.loads(memory.read_text(encoding="utf-8")) if memory.exists() else []
    standing = still_standing(before, times, rules.get("thin", 0))
    if standing and not show:
        write_whole(memory, json.dumps(standing))
    return stays(times, rules, zone, now, standing)


# --- commands, here or on the other box ------------------------------------------------------

LISTED = "listed"  # the place of points of which all are told

# The lock of the run; children keep it too, so that it holds until the last of them has ended.
_held: list[int] = []
# What the run has to tell beside that it went well.
_noticed: list[str] = []
# Bytes of contents that the run has carried, as its commands counted them.
_carried: list[int] = []
METER = ["dd", "bs=1M"]  # lets all through, and says at its end how much that was
COUNTED = re.compile(r"^(\d+) bytes", re.MULTILINE)
LITERAL = re.compile(r"^Literal data: ([\d.,]+) bytes", re.MULTILINE)  # of rsync --stats


def finished(words: Sequence[str]) -> subprocess.CompletedProcess[str]:
    """What a command said and how it ended; raises Trouble where it is not on this box."""
    try:
        return subprocess.run(
            words,
            check=False,
            stdin=subprocess.DEVNULL,
            capture_output=True,
            text=True,
            errors="replace",
            pass_fds=_held,
        )
    except OSError as error:
        raise Trouble(f"{words[0]} cannot be started: {error.strerror}") from error


def never_for_ever() -> list[str]:
    """Options with which ssh gives up an end that says nothing any more, asked ten times."""
    told = (
        f"ConnectTimeout={REACHED_SECONDS}",
        f"ServerAliveInterval={-(-SILENT_SECONDS // 10)}",
        "ServerAliveCountMax=10",
    )
    return [word for one in told for word in ("-o", one)]


class Side:
    """Where commands run: here, or on another box by SSH."""

    def __init__(self, peer: str = "", show: bool = False) -> None:
        self.peer, self.show = peer, show

    def words(self, *command: str) -> list[str]:
        """The command as this box has to start it."""
        if not self.peer:
            return list(command)
        return ["ssh", "-o", "BatchMode=yes", *never_for_ever(), self.peer, shlex.join(command)]

    def run(self, *command: str, fine: Sequence[int] = (0,)) -> None:
        """Runs it. Raises Trouble with what it complained of."""
        self.heard(*command, fine=fine)

    def heard(self, *command: str, fine: Sequence[int] = (0,)) -> str:
        """Runs it; what it said. Raises Trouble with what it complained of."""
        words = self.words(*command)
        if self.show:
            print(shlex.join(words))
            return ""
        done = finished(words)
        if done.returncode not in fine:
            raise Trouble(f"{shlex.join(words)}: {done.stderr.strip() or done.returncode}")
        return done.stdout

    def ask(self, *command: str) -> list[str]:
        """Its lines; none where it fails, as when a dataset is not there yet.

        Raises Trouble where the other box cannot be asked: that is no answer.
        """
        try:
            done = finished(self.words(*command))
        except Trouble:
            if self.show:
                return []
            raise
        if self.peer and done.returncode == NO_WAY and not self.show:
            raise Trouble(f"{self.peer} cannot be asked: {done.stderr.strip() or 'no way to it'}")
        return done.stdout.splitlines() if done.returncode == 0 else []

    def told(self, *command: str) -> list[str]:
        """Its lines; raises Trouble where it fails: no answer is not the same as none."""
        if self.show:
            return self.ask(*command)
        done = finished(self.words(*command))
        if done.returncode:
            raise Trouble(f"{command[0]} gave no answer: {done.stderr.strip() or done.returncode}")
        return done.stdout.splitlines()

    def make(self, folder: str) -> None:
        """A folder with all above it."""
        self.run("mkdir", "-p", folder)

    def mark(self, path: str, moment: float) -> None:
        """Leaves a mark of a moment: a file whose time it is."""
        self.make(path.rpartition("/")[0])
        self.run("touch", "-d", f"@{moment:.0f}", path)

    def marked(self, path: str) -> float | None:
        """The moment of a mark."""
        lines = self.ask("stat", "-c", "%Y", path)
        return float(lines[0]) if lines else None

    def end(self, folder: str) -> str:
        """A folder as rsync names it; an address with colons stands in brackets."""
        if not self.peer:
            return folder
        return f"[{self.peer}]:{folder}" if ":" in self.peer else f"{self.peer}:{folder}"

    def check_mounted(self, told: dict[str, str]) -> None:
        """Raises Trouble unless what the plan says is mounted there.

        Nothing is read of an empty folder, and nothing goes onto the root disk. A file system that the
        plan knows no UUID of is remembered from its first run on. What ZFS received is mounted here.
        """
        at = told["at"]
        asked = ("findmnt", "-n", "-r", "-o", "FSTYPE,SOURCE,UUID", "--mountpoint", at)
        lines = self.ask(*asked)
        where = f" on {self.peer}" if self.peer else ""
        if self.show:
            print(
                f"# refuses unless {told.get('zfs') or told.get('uuid') or 'its disk'} is at {at}"
            )
            return
        if not lines and told.get("received"):
            self.run("zfs", "mount", told["zfs"])
            lines = self.ask(*asked)
        if not lines:
            raise Trouble(
                f"nothing is mounted at {at}{where}: refused, for it would take an empty folder for the "
                "data, or fill the root disk"
            )
        system, source, uuid = (*lines[-1].split(" "), "", "")[:3]
        if "zfs" in told:
            wanted, there = told["zfs"], source if system == "zfs" else f"a {system}"
        else:
            memory = STATE / f"mounted.{self.peer}{at}".replace("/", "_")
            if "uuid" not in told and not memory.exists() and uuid:
                write_whole(STATE / memory.name, uuid)
            known = memory.read_text(encoding="utf-8") if memory.exists() else uuid
            wanted, there = told.get("uuid", known), uuid
        if wanted != there:
            raise Trouble(f"at {at}{where} is {there or 'something else'}, not {wanted}: refused")


def write_whole(path: Path, text: str) -> None:
    """Writes a file aside and puts it in its place: it is never there by half."""
    path.parent.mkdir(parents=True, exist_ok=True)
    part = path.with_name(f"{path.name}.part")
    part.write_text(text, encoding="utf-8")
    os.replace(part, path)


def close_end(one: subprocess.Popen[bytes]) -> None:
    """Closes this script's hold on what a command writes."""
    if one.stdout:
        one.stdout.close()


def pipe(show: bool, *parts: list[str], fine: Sequence[int] = (0,)) -> None:
    """Runs commands of which each reads what the one before it writes, and counts what the first one says.

    `fine` are exit codes of the first one with which all went well.
    """
    if show:
        print(" | ".join(shlex.join(p) for p in parts))
        return
    parts = (parts[0], METER, *parts[1:])
    running: list[subprocess.Popen[bytes]] = []
    missing = ""
    for n, part in enumerate(parts):
        try:
            one = subprocess.Popen(
                part,
                stdin=running[-1].stdout if running else subprocess.DEVNULL,
                stdout=subprocess.PIPE if n + 1 < len(parts) else subprocess.DEVNULL,
                stderr=subprocess.PIPE if part is METER else None,
                env={**os.environ, "LC_ALL": "C"} if part is METER else None,
                pass_fds=_held,
            )
        except OSError as error:
            missing = f"{part[0]} cannot be started: {error.strerror}"
            break
        running.append(one)
        if n:
            close_end(running[n - 1])  # so that it hears when its reader ends
    if missing and running:
        close_end(running[-1])
    told = running[1].stderr if running[1:] else None
    counted = told.read().decode("ascii", "replace") if told else ""
    codes = [one.wait() for one in running]
    _carried.extend(int(n) for n in COUNTED.findall(counted))
    if missing:
        raise Trouble(missing)
    failed = [
        shlex.join(p) for n, p in enumerate(parts) if codes[n] not in (fine if n == 0 else (0,))
    ]
    if len(failed) > 1 and shlex.join(METER) in failed:
        failed.remove(shlex.join(METER))  # it only hears that its reader went
    if failed:
        raise Trouble(f"failed: {'; '.join(failed)}")


# --- points ----------------------------------------------------------------------------------


@lru_cache(maxsize=20_000)
def moment_of(pattern: re.Pattern[str], name: str) -> float | None:
    """When a point was taken, from its name."""
    match = pattern.match(name)
    if match is None:
        return None
    # A box has thousands of points and a weak processor: strptime takes ten times as long.
    told = match.group(1)
    day, clock = (
        (int(told[:4]), int(told[4:6]), int(told[6:8])),
        (told[9:11], told[11:13], told[13:15]),
    )
    hour, minute, second = map(int, clock)
    try:
        return datetime(*day, hour, minute, second, tzinfo=timezone.utc).timestamp()
    except ValueError:  # no such day: it is no name of ours
        return None


def next_name(job: str, now: float, there: Sequence[float]) -> str:
    """The name of a point that is taken now: after those that are there, whatever the clock says."""
    moment = max([now, *(t + 1 for t in there)])
    return f"lab-{job}-{datetime.fromtimestamp(moment, timezone.utc).strftime(STAMP)}"


# What the tools say of each subvolume in a folder; what is none has its name alone.
LOOK = (
    'for p in "$1"/lab-*; do [ -d "$p" ] || continue; '
    'btrfs subvolume show "$p" 2>/dev/null || echo "Name: ${p##*/}"; done'
)


class Points:
    """The snapshots of one job on one dataset, on one side: {name: epoch s}.

    `received`: they came from elsewhere. Of those only the whole ones are points: a receive that was
    cut off leaves a writable subvolume without the mark of its source.
    """

    def __init__(
        self, side: Side, filesystem: str, place: str, job: str, received: bool = False
    ) -> None:
        self.side, self.zfs, self.place, self.job = side, filesystem == "zfs", place, job
        self.received = received
        self.pattern = re.compile(rf"^lab-{re.escape(job)}-(\d{{8}}T\d{{6}}Z)$")

    @property
    def folder(self) -> str:
        """Where Btrfs keeps the points of a subvolume."""
        above, _, name = self.place.rpartition("/")
        return f"{above}/.points/{name}"

    def all(self) -> dict[str, float]:
        """Those that are there and whole, oldest first."""
        names = self._of_zfs() if self.zfs else self._of_btrfs()
        return {n: m for n in sorted(names) if (m := moment_of(self.pattern, n)) is not None}

    def _of_zfs(self) -> list[str]:
        lines = self.side.ask("zfs", "list", "-H", "-t", "snapshot", "-o", "name", self.place)
        return [line.partition("@")[2] for line in lines]

    def _of_btrfs(self) -> list[str]:
        """Read-only subvolumes of the folder; of what was received, those with its source's mark."""
        return [
            name
            for name, (read_only, from_elsewhere) in self._looked_at().items()
            if read_only and (from_elsewhere or not self.received)
        ]

    def _looked_at(self) -> dict[str, tuple[bool, bool]]:
        """Each subvolume of the folder: whether it is read-only, and has the mark of a source."""
        looked: dict[str, tuple[bool, bool]] = {}
        name, mark = "", False
        for line in self.side.told("sh", "-c", LOOK, "sh", self.folder):
            field, _, value = line.strip().partition(":")
            if field == "Name":
                name, mark = value.strip(), False
                looked[name] = (False, False)
            elif field == "Received UUID":
                mark = value.strip() != "-"
            elif field == "Flags" and name:
                looked[name] = ("readonly" in value, mark)
        return looked

    def by_half(self) -> list[str]:
        """What has the name of a point and did not arrive whole."""
        if self.zfs or not self.received:
            return []
        # One look for both: what is missing from another look may be whole.
        return [
            name
            for name, (read_only, from_elsewhere) in self._looked_at().items()
            if self.pattern.match(name) and not (read_only and from_elsewhere)
        ]

    def where(self, name: str) -> str:
        """A point as its own tools name it."""
        return f"{self.place}@{name}" if self.zfs else f"{self.folder}/{name}"

    def take(self, name: str) -> None:
        """Marks the present state."""
        if self.zfs:
            self.side.run("zfs", "snapshot", self.where(name))
        else:
            self.side.make(self.folder)
            self.side.run("btrfs", "subvolume", "snapshot", "-r", self.place, self.where(name))

    def remove(self, name: str) -> None:
        """Lets one go."""
        if self.zfs:
            self.side.run("zfs", "destroy", self.where(name))
        else:
            self.side.run("btrfs", "subvolume", "delete", self.where(name))

    def prune(self, rules: dict[str, Any], zone: str, now: float) -> None:
        """Lets go what no rule keeps."""
        there = self.all()
        times = list(there.values())
        kept = set(prunes(f"{self.job}.{self.place}", times, rules, zone, now, self.side.show))
        for name, moment in there.items():
            if moment not in kept:
                self.remove(name)


# --- the kinds of job ------------------------------------------------------------------------


class Job:
    """One job of this host as it stands in the file."""

    def __init__(self, name: str, told: dict[str, Any], zone: str, show: bool, now: float) -> None:
        self.name, self.told, self.zone, self.show, self.now = name, told, zone, show, now
        peer = Side(told.get("peer", ""), show)
        self.here = Side("", show)
        self.source, self.target = (peer, self.here) if told.get("pulls") else (self.here, peer)
        self.troubles: list[str] = []

    def run(self) -> None:
        """Does what its kind does; raises Trouble with all that went wrong, in the end."""
        kinds = {
            "snapshot": self.snapshot,
            "replication": self.replication,
            "folder_mirror": self.mirror,
            "mirror": self.mirror,
            "config": self.config,
            "scrub": self.scrub,
            "parity": self.parity,
            "mover": self.mover,
            "smart_short": self.smart,
            "smart_long": self.smart,
            "bin": self.recycle_bin,
            "trash": self.trash,
            "updates": self.updates,
            "restart": self.restart,
            "expiry": self.expiry,
        }
        for mount in self.told.get("mounted", ()):
            if "for" not in mount:
                self.side(mount).check_mounted(mount)
        kinds.get(self.told["kind"], self.own)()
        if self.troubles:
            raise Trouble("; ".join(self.troubles))

    def side(self, mount: dict[str, str]) -> Side:
        """The side on which a mount has to be."""
        return {"here": self.here, "source": self.source}.get(mount["side"], self.target)

    def each(self, place: str, work: Callable[[], None]) -> None:
        """One dataset of several: what goes wrong with it does not keep the others from their run."""
        try:
            for mount in self.told.get("mounted", ()):
                if mount.get("for") == place:
                    self.side(mount).check_mounted(mount)
            work()
        except Trouble as error:
            self.troubles.append(f"{place}: {error}" if place not in str(error) else str(error))

    def snapshot(self) -> None:
        """Marks every dataset, then prunes."""
        for place in self.told["sets"]:
            self.each(place, partial(self.snapshot_one, place))

    def snapshot_one(self, place: str) -> None:
        """One dataset."""
        points = Points(self.source, self.told["filesystem"], place, self.name)
        points.take(next_name(self.name, self.now, list(points.all().values())))
        points.prune(self.told["retention"], self.zone, self.now)

    def replication(self) -> None:
        """Sends each dataset from the newest point that both ends have, then prunes.

        What another job has brought here goes on with that job's own points: one more in its copy
        would be in the way of its next run.
        """
        for place, copy in self.told["pairs"]:
            self.each(place, partial(self.replicate, place, copy))

    def replicate(self, place: str, copy: str) -> None:
        """One dataset."""
        system, brought_by = self.told["filesystem"], self.told.get("brought_by")
        here = Points(self.source, system, place, brought_by or self.name, bool(brought_by))
        there = Points(self.target, system, copy, brought_by or self.name, received=True)
        if here.zfs:
            self.target.run("zfs", "create", "-p", copy.rpartition("/")[0])
            self.go_on(copy)
        else:
            self.target.make(there.folder)
            self.clear_broken(there)
        arrived = there.all()
        common = [n for n in here.all() if n in arrived]
        if brought_by:
            name = self.newest(here)
        if there.zfs and arrived and not (brought_by and name in arrived):
            fits(copy, list(arrived)[-1], common[-1] if common else None)
        if not brought_by:
            name = next_name(self.name, self.now, [*here.all().values(), *arrived.values()])
            here.take(name)
        if name not in arrived:
            self.began_to_send(there, name)
            self.send(here, there, name, common[-1] if common else None)
            if not self.show and name not in there.all():
                raise Trouble(f"{copy}: {name} did not arrive whole")
            self.on_its_way(there).unlink(missing_ok=True)
        if not brought_by:
            # The source keeps only what the next run starts from.
            for old in here.all():
                if old != name:
                    here.remove(old)
        there.prune(self.told["retention"], self.zone, self.now)

    def began_to_send(self, there: Points, name: str) -> None:
        """Remembers what is on its way, so that the next run knows its leavings for its own."""
        if not there.zfs and not self.show:
            write_whole(self.on_its_way(there), name)

    def on_its_way(self, there: Points) -> Path:
        """The file that says which point was last begun to be sent there."""
        return STATE / f"{self.name}.{there.place.replace('/', '_')}.sending"

    def clear_broken(self, there: Points) -> None:
        """Takes away what a cut left of this job's own sending; of anything else it only tells."""
        if self.show:
            return
        memory = self.on_its_way(there)
        own = memory.read_text(encoding="utf-8") if memory.exists() else ""
        for name in there.by_half():
            if name != own:
                self.troubles.append(f"{there.where(name)} is no whole point, and not this run's")
                continue
            there.remove(name)
            # Its room is there again once the file system has cleaned up behind it.
            self.target.run("btrfs", "filesystem", "sync", there.folder)
            self.target.run("btrfs", "subvolume", "sync", there.folder)

    def newest(self, points: Points) -> str:
        """The newest point that another job has brought."""
        every = list(points.all())
        if not every and not self.show:
            raise Trouble(f"{points.place} has no point yet: nothing to send on")
        return every[-1] if every else "POINT"

    def go_on(self, copy: str) -> None:
        """Ends a receive that was cut off, where the far end kept what it had."""
        if self.show or not self.told.get("resumable"):
            return
        answer = self.target.ask("zfs", "get", "-H", "-o", "value", "receive_resume_token", copy)
        token = answer[0].strip() if answer else "-"
        if token in ("-", ""):
            return
        if not self.source.ask("zfs", "send", "-n", "-v", "-t", token):
            # What it would go on from is gone here: it begins anew.
            self.target.run("zfs", "receive", "-A", copy)
            return
        self.carry(
            self.source.words("zfs", "send", "-t", token),
            self.target.words("zfs", "receive", "-s", "-u", copy),
        )
        # What a receive that was cut off had been told to set, it took back: zfs-receive(8), -o.
        self.target.run("zfs", "set", "readonly=on", copy)

    def send(self, here: Points, there: Points, name: str, common: str | None) -> None:
        """One point, whole or as the difference from a common one; encrypted ones as they lie."""
        if here.zfs:
            raw = ["--raw"] if self.told.get("encrypted") else []
            since = ["-i", f"@{common}"] if common else []
            keep = ["-s"] if self.told.get("resumable") else []
            self.carry(
                self.source.words("zfs", "send", *raw, *since, here.where(name)),
                self.target.words("zfs", "receive", *keep, "-u", "-o", "readonly=on", there.place),
            )
        else:
            since = ["-p", here.where(common)] if common else []
            self.carry(
                self.source.words("btrfs", "send", "-q", *since, here.where(name)),
                self.target.words("btrfs", "receive", "-q", there.folder),
            )

    def carry(self, sender: list[str], receiver: list[str]) -> None:
        """From the one to the other, no faster than the limit."""
        limit = self.told.get("limit_kib_per_s")
        slow = [["pv", "-q", "-L", f"{limit}k"]] if limit else []
        pipe(self.show, sender, *slow, receiver)

    def mirror(self) -> None:
        """Makes the folder at the other end equal; what goes is kept in a trash can, if there is one."""
        for place, copy in self.told["pairs"]:
            self.each(place, partial(self.mirror_one, place, copy))
        days = self.told.get("trash_days", 0)
        if days and not self.told.get("module") and not self.troubles and not self.show:
            self.remember(days)

    def remember(self, days: int) -> None:
        """Writes down which states can be had back: each takes all that later runs threw away.

        A folder of the trash can has the name of the run that filled it; one that somebody took away
        before its time takes every older state along.
        """
        cans = []
        for _, copy in self.told["pairs"]:
            above, _, leaf = copy.rpartition("/")
            there = self.target.ask("ls", "-1", f"{above}/.trash-{leaf}")
            cans += [f"{leaf}/{n}" for n in there if thrown_at(n, self.zone) is not None]
        memory = STATE / f"{self.name}.states"
        known: dict[str, Any] = {"runs": [], "cans": []}
        if memory.exists():
            known = json.loads(memory.read_text(encoding="utf-8"))
        thrown = [
            thrown_at(c.rpartition("/")[2], self.zone) for c in known["cans"] if c not in cans
        ]
        lost = [m for m in thrown if m is not None and self.now - m < days * DAY]
        runs: list[float] = [*(t for t in known["runs"] if t < self.now), self.now]
        # A state goes when the can that the run after it filled does.
        left = [t for n, t in enumerate(runs[:-1]) if self.now - runs[n + 1] < days * DAY]
        left = [t for t in left if t >= max(lost, default=0.0)]
        write_whole(memory, json.dumps({"runs": [*left, self.now], "cans": cans}))

    def mirror_one(self, place: str, copy: str) -> None:
        """One dataset."""
        if not self.show and not self.source.ask("ls", "-A", place):
            raise Trouble(f"{place} is empty or not mounted: mirroring that would empty the copy")
        days, module = self.told.get("trash_days", 0), self.told.get("module")
        above, _, leaf = copy.rpartition("/")
        trash = f"{above}/.trash-{leaf}"
        options = ["-aHAX", "--delete", "--partial", "--stats", f"--timeout={SILENT_SECONDS}"]
        options += [f"--exclude={pattern}" for pattern in self.told.get("left_out", ())]
        options += [f"--exclude={exactly(n)}" for n in self.told.get("within", {}).get(place, ())]
        if days:
            day = datetime.fromtimestamp(self.now, timezone.utc).strftime(STAMP)
            # A path that begins with a slash is, for a module, one inside it.
            options += ["--backup", f"--backup-dir={self.inside(trash)}/{day}"]
        limit = self.told.get("limit_kib_per_s")
        if limit:
            options.append(f"--bwlimit={limit}")
        if module:
            options += ["--mkpath", f"--password-file={SECRETS / self.name}.secret"]
            options.append(f"--contimeout={REACHED_SECONDS}")
            to = f"{module['url']}{self.inside(copy)}/"
        else:
            self.target.make(copy)
            to = self.target.end(f"{copy}/")
        ends = (self.source.end(f"{place}/"), to)
        told = self.here.heard("rsync", *options, *ends, fine=(0, GONE_MEANWHILE))
        _carried.extend(int(re.sub(r"\D", "", n)) for n in LITERAL.findall(told))
        if days and not module:
            self.target.make(trash)
            self.empty(self.target, trash, days)

    def inside(self, folder: str) -> str:
        """A folder of the far end as its module names it."""
        module = self.told.get("module")
        return folder[len(module["path"]) :] if module else folder

    def trash(self) -> None:
        """Empties trash cans whose jobs cannot do it, because they come through a module."""
        for folder, days in self.told["cans"]:
            self.each(folder, partial(self.empty, self.here, folder, days))

    def empty(self, side: Side, trash: str, days: int) -> None:
        """Days of the trash can that are older than so many days go, by their names."""
        if self.show:
            print(f"# remove what is older than {days} days from {trash}")
            return
        for name in side.ask("ls", "-1", trash):
            moment = thrown_at(name, self.zone)
            if moment is not None and self.now - moment >= days * DAY:
                side.run("rm", "-rf", "--one-file-system", f"{trash}/{name}")

    def config(self) -> None:
        """Packs /etc to the other end, then prunes. Only root reads it there: it holds secrets."""
        folder = self.told["folder"]
        self.target.run("mkdir", "-p", "-m", "700", folder)
        there = self.packed()
        name = next_name(self.name, self.now, list(there.values()))
        part, whole = f"{folder}/.{name}.part", f"{folder}/{name}.tar.gz"
        pipe(
            self.show,
            self.source.words("tar", "-C", "/", "-cz", *self.told["paths"]),
            self.target.words("sh", "-c", 'umask 077; exec cat > "$1"', "sh", part),
            fine=(0, CHANGED_MEANWHILE),
        )
        self.target.run("gzip", "-t", "-S", ".part", part)
        self.target.run("mv", part, whole)
        there = self.packed()
        rules = self.told["retention"]
        kept = prunes(self.name, list(there.values()), rules, self.zone, self.now, self.show)
        for packed, moment in there.items():
            if moment not in kept:
                self.target.run("rm", f"{folder}/{packed}")
        for left in self.target.ask("ls", "-1A", folder):
            if left.startswith(f".lab-{self.name}-") and left.endswith(".part"):
                self.target.run("rm", f"{folder}/{left}")

    def packed(self) -> dict[str, float]:
        """The archives at the other end that are whole."""
        return packed(self.target, self.told["folder"], self.name)

    def scrub(self) -> None:
        """Reads everything, mends what it can, and says what it found."""
        system, pool = self.told["filesystem"], self.told["pool"]
        if system == "zfs":
            self.source.run("zpool", "scrub", "-w", pool)
            said = self.source.ask("zpool", "status", "-x", pool)
            if not self.show and "is healthy" not in " ".join(said):
                told = [line.strip() for line in said if line.strip()]
                raise Trouble(f"pool {pool} is not well: {' | '.join(told) or 'no answer'}")
        elif system == "btrfs":
            folder = self.told.get("folder", f"/srv/{pool}")
            self.source.run("btrfs", "scrub", "start", "-B", "-q", folder)
            # Fails where any counter of errors is not 0.
            self.source.run("btrfs", "device", "stats", "-c", folder)
        elif self.told.get("parity"):
            self.source.run("snapraid", "-q", "-c", self.told["parity"], "-p", "full", "scrub")
        else:
            self.check_arrays(self.told.get("folder", f"/srv/{pool}"))

    def check_arrays(self, folder: str) -> None:
        """Has md compare all members of the arrays that a folder lies on, and says what differs."""
        source = "".join(self.source.ask("findmnt", "-n", "-o", "SOURCE", "--mountpoint", folder))
        if not source and not self.show:
            raise Trouble(f"nothing is mounted at {folder}")
        below = self.source.ask(
            "lsblk", "-n", "-l", "-s", "-p", "-o", "NAME,TYPE", source or folder
        )
        arrays = sorted(
            {line.split()[0] for line in below if " raid" in line and "raid0" not in line}
        )
        if not arrays:
            self.own()
        for array in arrays:
            self.source.run("mdadm", "--action=check", array)
            self.source.run("mdadm", "--wait", array, fine=(0, 1))
            counted = self.source.ask(
                "cat", f"/sys/block/{os.path.basename(array)}/md/mismatch_cnt"
            )
            if counted and counted[0].strip() != "0":
                self.troubles.append(
                    f"{array}: {counted[0].strip()} sectors differ between its disks"
                )

    def parity(self) -> None:
        """Brings the parity of separately formatted disks up to date; what looks wrong is not synced."""
        self.source.run("snapraid", "-q", "-c", self.told["parity"], "sync")

    def mover(self) -> None:
        """Takes files on from the fast tier to where most is free; one that is open stays."""
        if not self.told.get("fast"):
            self.own()
            return
        for fast in self.told["fast"]:
            self.each(fast, partial(self.move_from, fast))

    def move_from(self, fast: str) -> None:
        """All files of one tier, in one go for each place that they go to."""
        slow = max(self.told["slow"], key=room_at) if not self.show else self.told["slow"][0]
        if self.show:
            print(
                f"# moves what is not open from {fast} to where most is free of {self.told['slow']}"
            )
            return
        busy = open_files(fast)
        names = []
        for folder, _, files in os.walk(fast):
            for name in files:
                path = os.path.join(folder, name)
                if path not in busy and not name.startswith(".fuse_hidden"):
                    names.append(os.path.relpath(path, fast))
        if not names:
            return
        listed = STATE / f"{self.name}.moving"
        listed.write_bytes(b"\0".join(os.fsencode(n) for n in names))
        # It takes a file away only when it is still as it was sent.
        options = ("-aHAX", "--from0", f"--files-from={listed}", "--remove-source-files")
        self.source.run("rsync", *options, f"{fast}/", f"{slow}/", fine=(0, GONE_MEANWHILE))

    def smart(self) -> None:
        """Starts the drives' own test; smartd or the next look tells how it ended."""
        length = self.told["kind"].rpartition("_")[2]
        listed = self.source.ask("lsblk", "--json", "--nodeps", "-o", "PATH,SERIAL")
        there = json.loads("\n".join(listed) or "{}").get("blockdevices", [])
        paths = {d["serial"]: d["path"] for d in there if d.get("serial")}
        missing = [s for s in self.told["serials"] if s not in paths]
        for serial in self.told["serials"]:
            if serial in paths:
                test = ("smartctl", "-q", "errorsonly", "-t", length, paths[serial])
                self.each(serial, partial(self.source.run, *test))
        if missing and not self.show:
            self.troubles.append(f"no disk with serial {', '.join(missing)}")

    def recycle_bin(self) -> None:
        """Empties the bins of the shares of what was moved there longer ago.

        A file keeps its own date when it is moved; the time of its last change of state is that of
        the move. The bin is the share's own: somebody's folder .bin further down is theirs.
        """
        for place, days in self.told["bins"]:
            self.each(place, partial(self.empty_share, place, days))

    def empty_share(self, place: str, days: int) -> None:
        """The bin of one share, or of each of its homes."""
        if self.show:
            print(f"# remove what was moved into {place}/.bin over {days} days ago")
            return
        homes = glob.glob(place)
        if not homes and "*" not in place:
            raise Trouble(f"{place} is not there")
        for home in homes:
            empty_bin(os.path.join(home, ".bin"), self.now - days * DAY)

    def updates(self) -> None:
        """Asks the package lists, and tells what waits."""
        if (OWN / self.name).exists():
            self.own()
            return
        self.source.run("apt-get", "-qq", "update")
        lines = self.source.ask("apt-get", "-s", "-qq", "dist-upgrade")
        waiting = [line.split()[1] for line in lines if line.startswith("Inst ")]
        if waiting and not self.show:
            raise Found(f"{len(waiting)} updates wait: {' '.join(waiting)}")

    def restart(self) -> None:
        """Restarts this box, unless one of its jobs is running."""
        for lock in sorted(STATE.glob("*.lock")):
            if lock.stem != self.name and not self.show and not is_free(lock):
                raise Trouble(f"{lock.stem} is running: not restarted")
        if not self.show:
            stamp(self.name, "done", self.now)
        self.here.run("systemctl", "reboot")

    def expiry(self) -> None:
        """Shuts accounts that have run out, and tells which files still let somebody in."""
        place = ZoneInfo(self.zone)
        today = datetime.fromtimestamp(self.now, place).date().isoformat()
        over = [text for day, text in self.told["grants"] if day <= today]
        for login, day in self.told["accounts"]:
            if day <= today:
                # It may have no SMB password, or be no account of this box.
                self.here.run("smbpasswd", "-d", login, fine=range(256))
                self.here.run("usermod", "--lock", "--expiredate", "1", login, fine=range(256))
                over.append(f"account {login} ran out on {day}")
        if over and not self.show:
            raise Found(f"{'; '.join(over)}: write this box's server files anew")

    def own(self) -> None:
        """What no common tool does: a script of the administrator's."""
        script = OWN / self.name
        if not self.show and not os.access(script, os.X_OK):
            raise Trouble(
                f"{self.told['title']} needs a tool of yours: put its command into {script}"
            )
        self.here.run(str(script))

    def announce(self) -> None:
        """Tells other boxes that it went well: those that follow it, and those that miss it else."""
        mark = self.told.get("marks")
        if mark:
            module = self.told.get("module")
            if module:
                mine = STATE / f"{self.name}.arrived"
                mine.touch()
                os.utime(mine, (self.now, self.now))
                options = ["-t", "--mkpath", f"--password-file={SECRETS / self.name}.secret"]
                options += [f"--timeout={SILENT_SECONDS}", f"--contimeout={REACHED_SECONDS}"]
                to = f"{module['url']}{self.inside(mark)}"
                self.here.run("rsync", *options, str(mine), to)
            else:
                self.target.mark(mark, self.now)
        if self.told.get("tells_source"):
            heard = Side(self.told["tells_source"], self.show)
            heard.mark(f"{STATE}/{self.name}.heard", self.now)


def fits(copy: str, newest: str, common: str | None) -> None:
    """Raises Trouble where ZFS would not take a difference: it fits the newest point of a copy alone."""
    if common is None:
        raise Trouble(
            f"{copy}: none of its points is here any more. Once it is not needed: zfs rename {copy} {copy}-old "
            "there, and the next run sends all anew"
        )
    if common != newest:
        raise Trouble(
            f"{copy}: it has points that are here no more, up to {newest}. Where an older one was brought "
            f"back: zfs rollback -r {copy}@{common} there lets those go, and the next run goes on"
        )


def room_at(folder: str) -> int:
    """Bytes that are free there."""
    room = os.statvfs(folder)
    return room.f_bavail * room.f_frsize


def open_files(folder: str) -> set[str]:
    """Paths below a folder that some process has open."""
    held = set()
    for link in glob.glob("/proc/[0-9]*/fd/*"):
        with suppress(OSError):
            path = os.readlink(link)
            if path.startswith(f"{folder}/"):
                held.add(path)
    return held


def exactly(folder: str) -> str:
    """A pattern of rsync's for one folder below what is copied: a backslash counts beside a wildcard only."""
    if re.search(r"[*?[]", folder):
        folder = re.sub(r"([*?[\\])", r"\\\1", folder)
    return f"/{folder}/"


def thrown_at(name: str, zone: str) -> float | None:
    """When a folder of a trash can was filled, from its name; None where it is something else."""
    for form, place in ((STAMP, "UTC"), ("%Y-%m-%d-%H%M%S", zone)):
        try:
            return datetime.strptime(name, form).replace(tzinfo=ZoneInfo(place)).timestamp()
        except ValueError:
            continue
    return None


def empty_bin(folder: str, before: float) -> None:
    """Removes files of a bin whose state last changed before a moment."""
    for above, folders, files in os.walk(folder, topdown=False):
        for name in files:
            path = os.path.join(above, name)
            with suppress(FileNotFoundError):
                if os.lstat(path).st_ctime < before:
                    os.unlink(path)
        for name in folders:
            # A folder goes when nothing is left in it.
            with suppress(OSError):
                os.rmdir(os.path.join(above, name))


def packed(side: Side, folder: str, job: str) -> dict[str, float]:
    """The archives of a job in a folder, oldest first."""
    pattern = re.compile(rf"^lab-{re.escape(job)}-(\d{{8}}T\d{{6}}Z)\.tar\.gz$")
    names = sorted(side.ask("ls", "-1", folder))
    return {n: m for n in names if (m := moment_of(pattern, n)) is not None}


# --- when ------------------------------------------------------------------------------------


def fires_on(schedule: dict[str, Any], day: date) -> bool:
    """Whether a schedule has a start on a local day."""
    start, until = schedule.get("start"), schedule.get("until")
    if (start and day < date.fromisoformat(start)) or (until and day > date.fromisoformat(until)):
        return False
    anchor = date.fromisoformat(start) if start else date(2024, 1, 1)
    every, kind = schedule.get("every", 1), schedule["kind"]
    if kind == "daily":
        return bool((day - anchor).days % every == 0)
    weekdays = schedule.get("weekdays", ())
    if kind == "weekly":
        monday = anchor - timedelta(days=anchor.weekday())
        return day.weekday() in weekdays and (day - monday).days // 7 % every == 0
    if kind == "monthly":
        months = day.year * 12 + day.month - anchor.year * 12 - anchor.month
        if months % every:
            return False
        ends = (day + timedelta(days=1)).month != day.month
        nth = schedule.get("nth", 0)
        if nth:
            last = (day + timedelta(days=7)).month != day.month
            return day.weekday() == weekdays[0] and (last if nth < 0 else (day.day + 6) // 7 == nth)
        wanted = schedule.get("day", 1)
        return ends if wanted == -1 else day.day == wanted
    return True


def starts_on(schedule: dict[str, Any], zone: str, day: date) -> list[float]:
    """Starts (epoch s) on a local day; one in the spring gap comes when the gap is over."""
    if not fires_on(schedule, day):
        return []
    place, kind = ZoneInfo(schedule.get("zone") or zone), schedule["kind"]
    midnight, following = (
        datetime(d.year, d.month, d.day, tzinfo=place).timestamp()
        for d in (day, day + timedelta(days=1))
    )
    if kind == "minutes":
        step = schedule["every"] * 60
        return [midnight + n * step for n in range(int((following - midnight) // step))]
    clock = schedule.get("at", "00:00")
    minute, hours = int(clock[3:]), [int(clock[:2])]
    if kind == "hourly":
        every = schedule.get("every", 1)
        hours = list(range(hours[0] % every, 24, every))
        low, high = schedule.get("only_from"), schedule.get("only_to")
        if low and high:
            times = {h: f"{h:02}:{minute:02}" for h in hours}
            if low <= high:
                hours = [h for h in hours if low <= times[h] < high]
            else:
                hours = [h for h in hours if times[h] >= low or times[h] < high]
    always = kind == "hourly" and len(hours) == 24
    begins = set()
    for hour in hours:
        local = datetime(day.year, day.month, day.day, hour, minute, tzinfo=place)
        once, again = local.timestamp(), local.replace(fold=1).timestamp()
        if again < once:  # in the spring gap
            if not always:
                begins.add(gap_end(again, once, place))
            continue
        begins.add(once)
        if always:
            begins.add(again)
    return sorted(begins)


def gap_end(low: float, high: float, place: ZoneInfo) -> float:
    """The instant between the two readings of a missing time at which the clocks go on."""
    before = datetime.fromtimestamp(low, place).utcoffset()
    while high - low > 0.5:
        middle = (low + high) / 2
        if datetime.fromtimestamp(middle, place).utcoffset() == before:
            low = middle
        else:
            high = middle
    return float(round(high))


def last_start(
    schedule: dict[str, Any], zone: str, now: float, most_days: int = 400
) -> float | None:
    """The newest start up to now, of those of the last days."""
    place = ZoneInfo(schedule.get("zone") or zone)
    today = datetime.fromtimestamp(now, place).date()
    for back in range(-1, most_days):
        begins = [t for t in starts_on(schedule, zone, today - timedelta(days=back)) if t <= now]
        if begins:
            return begins[-1]
    return None


def is_due(name: str, told: dict[str, Any], zone: str, now: float) -> bool:
    """Whether a job has to start now: its time has come, or what it waits for has arrived.

    One that is to be caught up is due as well when its last start was missed. What is for a
    whole pool has nothing to do before there is one.
    """
    return start_is_due(name, told, zone, now) and not never_made(told)


def never_made(told: dict[str, Any]) -> bool:
    """Whether nobody has made the pool yet that the plan still wants.

    Once setup.sh has noted it, or it was seen here, it is missed like any other that is not there.
    """
    if not told.get("wanted"):
        return False
    pool = told["pool"]
    memory = STATE / f"{pool}.here"
    if told["filesystem"] == "zfs":
        look = ["zpool", "list", "-H", "-o", "name", pool]
    else:
        folder = told.get("folder", f"/srv/{pool}")
        look = ["findmnt", "-n", "-o", "TARGET", "--mountpoint", folder]
    with suppress(Trouble):  # where nobody needed that tool yet, nothing was made by it
        if finished(look).returncode == 0:
            STATE.mkdir(parents=True, exist_ok=True)
            memory.touch()
    if memory.exists():
        return False
    lines = MADE.read_text(encoding="utf-8").splitlines() if MADE.exists() else []
    return not any(line.split(" ")[1:2] == [f"pool/{pool}"] for line in lines)


def start_is_due(name: str, told: dict[str, Any], zone: str, now: float) -> bool:
    """The same, whatever there is to do."""
    if "waits_for" in told:
        followed = stamped(name, "followed")
        try:
            arrived = newest_arrived(told["waits_for"], zone)
        except Trouble:
            # It is asked every few minutes: complaining once a day is enough.
            complained = stamped(name, "complained")
            if complained is not None and now - complained < DAY:
                return False
            stamp(name, "complained", now)
            raise
        return arrived is not None and (followed is None or arrived > followed)
    began = stamped(name, "began")
    if began is not None and began > now + DAY:
        began = (
            None  # the clock was wrong then: what it said must not keep the job from ever running
        )
    start = last_start(told["schedule"], zone, now)
    if start is None or (began is not None and began >= start):
        return False
    if now - start <= LATE:
        return True
    if began is None:
        # Nothing was missed before it was first looked at.
        since = stamped(name, "since")
        if since is None:
            stamp(name, "since", now)
            return False
        began = since
    return bool(told.get("catch_up")) and began < start


def stamp(name: str, what: str, moment: float) -> None:
    """Remembers a moment of a job."""
    path = STATE / f"{name}.{what}"
    if not path.exists():
        write_whole(path, "")
    os.utime(path, (moment, moment))


def stamped(name: str, what: str) -> float | None:
    """A moment that was remembered."""
    path = STATE / f"{name}.{what}"
    return path.stat().st_mtime if path.exists() else None


def check_clock(name: str, told: dict[str, Any], zone: str, now: float) -> None:
    """Raises Trouble where the clock may be wrong: by it points are named, and let go for their age.

    It is not believed where it stands before the last run, or where starts were missed since: then the
    box was off, or its clock was set wrong. Unless the system keeps it right by others, or somebody said
    so (`lab-job clock`).
    """
    before, why = stamped(name, "began"), ""
    if "waits_for" in told:
        arrived = newest_arrived(told["waits_for"], zone)
        if arrived is not None and abs(now - arrived) > CLOCK_ON:
            why = f"what it waits for came on {shown(arrived, zone)}"
    elif before is not None and now < before - CLOCK_BACK:
        why = f"its last run was on {shown(before, zone)}"
    elif before is not None and now > before + CLOCK_ON and "schedule" in told:
        newest = last_start(told["schedule"], zone, now)
        missed = newest and last_start(told["schedule"], zone, newest - 1)
        if missed and missed > before:
            why = f"its last run was on {shown(before, zone)}, and starts were missed since"
    said = stamped("clock", "right")
    if not why or (said is not None and abs(now - said) <= CLOCK_ON):
        return
    with suppress(Trouble):
        if Side().ask("timedatectl", "show", "-p", "NTPSynchronized", "--value") == ["yes"]:
            return
    raise Trouble(
        f"the clock of this box says {shown(now, zone)}; {why}. Nothing is made or let go by a clock that may "
        "be wrong: set it (timedatectl set-time), or have it set (timedatectl set-ntp true); where it is "
        "right, say so: lab-job clock"
    )


def shown(moment: float, zone: str) -> str:
    """A moment as people there say it."""
    return datetime.fromtimestamp(moment, ZoneInfo(zone)).strftime("%Y-%m-%d %H:%M")


# --- silence ---------------------------------------------------------------------------------


def newest_arrived(arrival: dict[str, Any], zone: str) -> float | None:
    """When the newest point was taken that lies where it should; None where there is none.

    Of several datasets that of the oldest. Raises Trouble where nobody can be asked.
    """
    side, job = Side(arrival.get("peer", "")), arrival["job"]
    if "places" in arrival:
        newest = []
        for place in arrival["places"]:
            points = Points(side, arrival["filesystem"], place, job, bool(arrival.get("received")))
            newest.append(max(points.all().values(), default=None))
        return None if None in newest else min(n for n in newest if n is not None)
    if "folder" in arrival:
        return max(packed(side, arrival["folder"], job).values(), default=None)
    if "mark" in arrival:
        return side.marked(arrival["mark"])
    if "came" in arrival:  # files that a PC writes after each good run
        marks = [side.marked(mark) for mark in arrival["came"]]
        return None if None in marks else min(m for m in marks if m is not None)
    script = OWN / f"{job}.newest"
    if arrival.get("own") and os.access(script, os.X_OK):
        lines = side.ask(str(script))
        return as_moment(lines[0], zone) if lines else None
    return side.marked(f"{STATE}/{job}.{arrival.get('stamp', 'done')}")


def as_moment(text: str, zone: str) -> float:
    """Seconds since 1970, or a date and time as ISO 8601 has them."""
    with suppress(ValueError):
        return float(text)
    try:
        moment = datetime.fromisoformat(text.strip().replace("Z", "+00:00"))
    except ValueError as error:
        raise Trouble(f"{text!r} is no moment") from error
    return (moment if moment.tzinfo else moment.replace(tzinfo=ZoneInfo(zone))).timestamp()


def overdue(config: dict[str, Any], now: float) -> list[str]:
    """What has not come for longer than its alarm allows, asked where it should lie."""
    late = []
    for watched in config.get("watched", ()):
        name, days = watched["job"], watched["days"]
        try:
            newest = newest_arrived(watched, config["zone"])
        except Trouble as error:
            late.append(f"{name}: {error}")
            continue
        if newest is None:
            since = stamped(name, "watched")
            if since is None:
                stamp(name, "watched", now)
                since = now
            waits = watched.get("stamp") == "heard" or "came" in watched
            if not waits or now - since > days * DAY:
                late.append(f"{name}: nothing has ever arrived")
        elif newest > now + DAY:
            late.append(f"{name}: its newest point is from the future: the clock was wrong")
        elif now - newest > days * DAY:
            what = "nothing was heard of it" if watched.get("stamp") == "heard" else "nothing came"
            late.append(f"{name}: {what} for {(now - newest) / DAY:.1f} days")
    return late


def tell(unit: str) -> None:
    """Mails root the last words of a unit; where no mail goes out, all who are signed in see it."""
    words = subprocess.run(
        ["journalctl", "-u", unit, "-n", "40", "--no-pager", "-o", "cat"],
        check=False,
        capture_output=True,
        text=True,
        errors="replace",
    ).stdout
    host = socket.gethostname()
    mail = f"To: root\nSubject: {host}: {unit} failed\n\n{words or 'It said nothing.'}\n"
    for command in (["sendmail", "-t"], ["wall"], ["logger", "-p", "user.err", "-t", "lab-job"]):
        with suppress(OSError):
            path = [os.environ.get("PATH", ""), "/usr/sbin:/usr/bin:/sbin:/bin"]
            done = subprocess.run(
                command, check=False, input=mail, text=True, env={"PATH": ":".join(path)}
            )
            if done.returncode == 0:
                return
    raise Trouble(f"nobody could be told that {unit} failed")


# --- from the shell --------------------------------------------------------------------------


def is_free(lock: Path) -> bool:
    """Whether no run holds a lock."""
    with lock.open("r") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            return False
    return True


def run_job(name: str, told: dict[str, Any], zone: str, show: bool, now: float) -> None:
    """Runs a job unless it is still running, and stamps that it went well."""
    job = Job(name, told, zone, show, now)
    if show:
        job.run()
        return
    STATE.mkdir(parents=True, exist_ok=True)
    with (STATE / f"{name}.lock").open("w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            raise Trouble("its last run has not ended") from error
        _held[:] = [lock.fileno()]
        _noticed.clear()
        _carried.clear()
        began = time.time()
        try:
            check_clock(name, told, zone, now)
        except Trouble as error:
            write_run(name, began, "failed", str(error))
            raise
        stamp(name, "began", now)
        arrived = newest_arrived(told["waits_for"], zone) if "waits_for" in told else None
        if arrived is not None:
            stamp(
                name, "followed", arrived
            )  # one run for what has come, whether it goes well or not
        outcome = None
        try:
            job.run()
            tell_noticed(name, now)
        except Found as told_of:
            outcome = told_of
        except Trouble as error:
            write_run(name, began, "failed", str(error))
            raise
        stamp(name, "done", now)
        write_run(name, began, "noted" if outcome else "ok", str(outcome or ""))
        job.announce()
        _held.clear()
    if outcome:
        raise outcome


def tell_noticed(name: str, now: float) -> None:
    """Raises Found with what was noticed; once a day is enough."""
    before = stamped(name, "noticed")
    if _noticed and (before is None or abs(now - before) >= DAY):
        stamp(name, "noticed", now)
        raise Found("; ".join(_noticed))


# Some files of a folder, each on a line with its size and its time of change; none with a line's end in it.
SOME = (
    'find "$1" -xdev -type f -size -1048576k ! -name "*\n*" -printf "%s %T@ %P\\n" 2>/dev/null'
    ' | shuf -n "$2"'
)
TRIED_AT_ONCE = 6


@contextmanager
def looked_into(side: Side, copy: str) -> Iterator[str]:
    """The folder of a dataset of ZFS, mounted for a while where no start has done it since it was received.

    Raises Trouble.
    """
    asked = side.ask("zfs", "get", "-H", "-o", "value", "mountpoint,mounted,keystatus", copy)
    at, is_there, key = [*asked, "", "", ""][:3]
    if key == "unavailable":
        raise Trouble(
            f"{copy} is locked: its points can be looked into only while its key is there. By hand: "
            f"zfs load-key -L prompt {copy}; this once more; zfs unload-key {copy}"
        )
    if not at.startswith("/"):
        raise Trouble(f"{copy} is mounted nowhere: its points cannot be looked into")
    if is_there == "yes":
        yield at.rstrip("/")
        return
    is_new = not side.ask("ls", "-d", at)
    side.run("zfs", "mount", copy)
    try:
        yield at.rstrip("/")
    finally:
        side.run("zfs", "unmount", copy)
        if is_new:  # an empty folder that stays would look like a copy of nothing
            side.run("rmdir", at)


@contextmanager
def newest_place(job: Job, source: str, copy: str) -> Iterator[tuple[Side, str]]:
    """Where the files of the newest copy can be read, and on which side. Raises Trouble."""
    in_place = "sets" in job.told
    side = job.here if in_place else job.target
    system = job.told.get("filesystem", "none")
    if system not in ("zfs", "btrfs"):
        yield side, copy
        return
    maker = job.told.get("brought_by", job.name)
    points = Points(side, system, copy, maker, received=not in_place)
    there = points.all()
    if not there:
        raise Trouble(f"{copy} has no point of it")
    newest = list(there)[-1]
    if system == "btrfs":
        yield side, points.where(newest)
        return
    with looked_into(side, copy) as at:
        yield side, f"{at}/.zfs/snapshot/{newest}"


def digest(side: Side, path: str) -> str:
    """SHA-256 of a file on a side; empty where it cannot be read."""
    said = side.ask("sha256sum", path)
    return said[0].lstrip("\\").split(" ")[0] if said else ""


def bring_back(job: Job, source: str, copy: str, scratch: Path) -> tuple[int, int, int]:
    """Files brought back, bytes, and how many of them are as the live ones. Raises Trouble where one is not.

    A live file that was not changed since has to be the same; of one that was, the point's own is read
    a second time.
    """
    with newest_place(job, source, copy) as (side, folder):
        return brought_from(job, source, side, folder, scratch)


def brought_from(
    job: Job, source: str, side: Side, folder: str, scratch: Path
) -> tuple[int, int, int]:
    """What `bring_back` says, of a folder that can be read now. Raises Trouble."""
    lines = side.ask("sh", "-c", SOME, "sh", folder, str(TRIED_AT_ONCE))
    if not lines:
        raise Trouble(f"{folder} has no file to bring back")
    live_at = source
    if job.told.get("filesystem") == "zfs":
        where = job.source.ask("zfs", "get", "-H", "-o", "value", "mountpoint", source)
        live_at = where[0] if where and where[0].startswith("/") else ""
    total = same = 0
    for number, line in enumerate(lines):
        size, changed, name = line.split(" ", 2)
        into = scratch / str(number)
        with into.open("wb") as out:
            done = subprocess.run(side.words("cat", f"{folder}/{name}"), stdout=out, check=False)
        if done.returncode or into.stat().st_size != int(size):
            raise Trouble(f"{folder}/{name} could not be read whole")
        mine = digest(Side(""), str(into))
        now = job.source.ask("stat", "-c", "%s %.10Y", f"{live_at}/{name}") if live_at else []
        alike = bool(now) and now[0].split(" ")[0] == size and near(now[0].split(" ")[1], changed)
        other = (
            digest(job.source, f"{live_at}/{name}") if alike else digest(side, f"{folder}/{name}")
        )
        if mine != other:
            raise Trouble(f"{name} came back from {folder} as something else")
        total += int(size)
        same += alike
    return len(lines), total, same


def near(one: str, other: str) -> bool:
    """Whether two moments are the same but for what a tool does not print of them."""
    return abs(float(one) - float(other)) < 0.001


def try_copy(name: str, told: dict[str, Any], zone: str, show: bool, now: float) -> str:
    """Brings files back from the newest copy of a job, and says how it went; raises Trouble."""
    job = Job(name, told, zone, show, now)
    pairs = told.get("pairs") or [[place, place] for place in told.get("sets", ())]
    own = OWN / f"{name}.try"
    if told.get("module") or not pairs:
        if not os.access(own, os.X_OK):
            raise Trouble(f"put a command into {own} that brings something back and compares it")
        if not show:
            Side("").run(str(own))
        return f"{own} went well"
    if show:
        print(f"# brings {TRIED_AT_ONCE} files back from each of {[copy for _, copy in pairs]}")
        return ""
    began, files, size, same = time.time(), 0, 0, 0
    for source, copy in pairs:
        with tempfile.TemporaryDirectory(prefix="lab-try-") as scratch:
            some = bring_back(job, source, copy, Path(scratch))
        files, size, same = files + some[0], size + some[1], same + some[2]
    took = time.time() - began
    return f"{files} files, {size / 1e6:.1f} MB in {took:.1f} s, {same} as they are live"


def write_run(name: str, began: float, result: str, said: str) -> None:
    """Writes down how a run went, for lab-look to pick up; old ones go. It never fails a job."""
    folder = STATE / "runs"
    with suppress(OSError):
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        run = {
            "job": name,
            "began": began,
            "ended": time.time(),
            "result": result,
            "said": said[-2000:],
        }
        if _carried:
            run["bytes"] = sum(_carried)
        write_whole(folder / f"{int(began * 1000)}-{name}.json", json.dumps(run))
        for old in sorted(n for n in os.listdir(folder) if n.endswith(".json"))[:-KEPT_RUNS]:
            (folder / old).unlink()


def points_here(config: dict[str, Any]) -> dict[str, dict[str, list[float]]]:
    """Job to place to moments: of archives that lie on this box, of marks, and of the last good run.

    Snapshots are not among them: their own tools list them. Nobody else is asked; what a mirror's trash
    can brings back is as its last run here saw it.
    """
    here = Side("")
    result: dict[str, dict[str, list[float]]] = {}
    for name, told in config["jobs"].items():
        places = result.setdefault(name, {})
        done = stamped(name, "done")
        if done is not None:
            places[""] = [done]
        states = STATE / f"{name}.states"
        if told.get("trash_days") and states.exists():
            places[LISTED] = json.loads(states.read_text(encoding="utf-8"))["runs"]
        if told["kind"] == "config" and (not told.get("peer") or told.get("pulls")):
            places[told["folder"]] = list(packed(here, told["folder"], name).values())
        if told.get("marks") and not told.get("peer") and (moment := here.marked(told["marks"])):
            places[told["marks"]] = [moment]
    for watched in config.get("watched", ()):
        if not watched.get("peer") and "places" not in watched:
            with suppress(Trouble):
                newest = newest_arrived(watched, config["zone"])
                if newest is not None:
                    place = watched.get("folder") or watched.get("mark") or "arrived"
                    result.setdefault(watched["job"], {}).setdefault(place, [newest])
    return result


def run_with_followers(
    name: str, jobs: dict[str, Any], zone: str, show: bool, now: float, by_cron: bool
) -> None:
    """Runs a job; from cron, those behind it as well once it has gone well."""
    began = time.time()
    run_job(name, jobs[name], zone, show, now)
    for behind in jobs[name].get("then", ()) if by_cron else ():
        # What it marks and reads is of now, not of hours ago when the one before it began.
        later = now + max(time.time() - began, 0.0)
        run_with_followers(behind, jobs, zone, show, later, by_cron)


def same_zone(zone: str, now: float) -> None:
    """Raises Trouble where cron starts by another clock than the plan's."""
    wanted = datetime.fromtimestamp(now, ZoneInfo(zone)).utcoffset()
    if wanted is not None and wanted.total_seconds() != time.localtime(now).tm_gmtoff:
        raise Trouble(
            f"this box keeps another time than the plan's {zone}: timedatectl set-timezone {zone}, "
            "then restart cron"
        )


def try_and_tell(name: str, told: dict[str, Any], zone: str, now: float) -> int:
    """Tries a copy, writes down how it went, and says it."""
    began = time.time()
    try:
        said = try_copy(name, told, zone, False, now)
    except Trouble as error:
        write_run(f"try-{name}", began, "failed", str(error))
        raise
    write_run(f"try-{name}", began, "ok", said)
    print(said)
    return 0


def ask(words: Sequence[str], config: dict[str, Any], now: float) -> int | None:
    """Answers list, points, clock, overdue, tell and due; None where a job is to be run."""
    jobs = config["jobs"]
    if list(words) == ["list"]:
        print("\n".join(f"{name}: {told['title']}" for name, told in jobs.items()))
        return 0
    if list(words) == ["points"]:
        print(json.dumps({"points": points_here(config)}, indent=1))
        return 0
    if list(words) == ["clock"]:
        stamp("clock", "right", now)
        print(f"it is {shown(now, config['zone'])}")
        return 0
    if list(words) == ["overdue"]:
        late = overdue(config, now)
        print("\n".join(late), end="\n" if late else "", file=sys.stderr)
        return 1 if late else 0
    if len(words) == 2 and words[0] == "try" and words[1] in jobs:
        return try_and_tell(words[1], jobs[words[1]], config["zone"], now)
    if len(words) == 2 and words[0] == "tell":
        tell(words[1])
        return 0
    if len(words) == 2 and words[0] == "due" and words[1] in jobs:
        return 0 if is_due(words[1], jobs[words[1]], config["zone"], now) else 1
    return None


def told_wrong(words: Sequence[str], error: object, code: int) -> int:
    """Says what is wrong. To systemd any other answer of `due` than 255 means: not now."""
    print(f"lab-job {' '.join(words)}: {error}", file=sys.stderr)
    return 255 if words[:1] == ["due"] else code


def main(words: Sequence[str]) -> int:
    """Exit code: see above."""
    show, by_cron = "--show" in words, "--cron" in words
    names = [w for w in words if w not in ("--show", "--cron")]
    now = float(os.environ.get("LAB_JOB_NOW") or time.time())
    try:
        config = json.loads(CONFIG.read_text(encoding="utf-8"))
    except (OSError, ValueError) as error:
        return told_wrong(names, f"{CONFIG}: {error}", 2)
    jobs, zone = config["jobs"], config["zone"]
    try:
        answer = ask(names, config, now)
        if answer is not None:
            return answer
        if len(names) != 1 or names[0] not in jobs:
            return told_wrong(names, f"name one of: {', '.join(jobs)}; or list, overdue", 2)
        name = names[0]
        if by_cron:
            same_zone(zone, now)
            if not is_due(name, jobs[name], zone, now):
                return 0
        run_with_followers(name, jobs, zone, show, now, by_cron)
    except Trouble as error:
        return told_wrong(names, error, 1)
    except Found as told_of:
        return told_wrong(names, told_of, 3)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
