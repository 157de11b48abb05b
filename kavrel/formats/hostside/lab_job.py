#!/usr/bin/env python3
"""lab-job: runs one job of the lab by the system's own tools. Written by Kavrel; needs Python 3.9.

    lab-job NAME             runs the job NAME of /etc/lab-jobs.json
    lab-job --show NAME      prints the commands instead: it looks, and changes nothing
    lab-job overdue          says which jobs have not gone well for too long; fails if there are any
    lab-job list             prints the jobs

Snapshots are named lab-JOB-TIME in UTC; only those of the job itself are ever pruned, by its
retention. What no common tool does (a repository, a bucket, a hypervisor) is a script of your own
in /usr/local/lib/lab-job.d/JOB. It says nothing when all goes well, so that mail means trouble.
"""

from __future__ import annotations

import fcntl
import json
import os
import re
import shlex
import subprocess
import sys
import time
from collections.abc import Sequence
from datetime import datetime, timezone
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

CONFIG = Path(os.environ.get("LAB_JOBS", "/etc/lab-jobs.json"))
STATE = Path(os.environ.get("LAB_JOB_STATE", "/var/lib/lab-job"))
OWN = Path(os.environ.get("LAB_JOB_OWN", "/usr/local/lib/lab-job.d"))
STAMP = "%Y%m%dT%H%M%SZ"
DAY = 86_400.0
PERIODS = (
    ("hourly", "%Y-%m-%d %H"),
    ("daily", "%Y-%m-%d"),
    ("weekly", "%G-%V"),
    ("monthly", "%Y-%m"),
    ("yearly", "%Y"),
)


class Trouble(Exception):
    """The job cannot go on; the text says why."""


# --- which points stay -----------------------------------------------------------------------


def stays(
    times: Sequence[float],
    rules: dict[str, Any],
    zone: str,
    now: float,
    standing: Sequence[float] = (),
) -> list[float]:
    """Which of the points (epoch s, oldest first) stay: while any rule keeps them; the newest always.

    Hours, days, weeks, months and years count beyond what the finer rules keep. `standing` are
    those that thinning lets stand.
    """
    place = ZoneInfo(zone)
    hold = rules.get("hold_until")
    if hold and now < datetime.fromisoformat(hold).replace(tzinfo=place).timestamp():
        return list(times)
    last = rules.get("last", 0)
    kept = set(times[-last:]) if last else set()
    kept |= {t for t in times if t + rules.get("all_days", 0) * DAY > now}
    for name, form in PERIODS:
        wanted, seen, before = rules.get(name, 0), "", set(kept)
        for point in reversed(times):
            period = datetime.fromtimestamp(point, place).strftime(form)
            if wanted and period != seen and point not in before:
                kept.add(point)
                wanted -= 1
            seen = period
    kept |= set(standing)
    return [t for t in times if t in kept or t == times[-1]]


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
    memory = STATE / f"{what.replace('/', '_')}.thin"
    before = json.loads(memory.read_text(encoding="utf-8")) if memory.exists() else []
    standing = still_standing(before, times, rules.get("thin", 0))
    if standing and not show:
        memory.write_text(json.dumps(standing), encoding="utf-8")
    return stays(times, rules, zone, now, standing)


# --- commands, here or on the other box ------------------------------------------------------


class Side:
    """Where commands run: here, or on another box by SSH."""

    def __init__(self, peer: str = "", show: bool = False) -> None:
        self.peer, self.show = peer, show

    def words(self, *command: str) -> list[str]:
        """The command as this box has to start it."""
        if not self.peer:
            return list(command)
        return ["ssh", "-o", "BatchMode=yes", self.peer, shlex.join(command)]

    def run(self, *command: str) -> None:
        """Runs it; raises Trouble with what it complained of."""
        words = self.words(*command)
        if self.show:
            print(shlex.join(words))
            return
        done = subprocess.run(
            words, check=False, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True
        )
        if done.returncode:
            raise Trouble(f"{shlex.join(words)}: {done.stderr.strip() or done.returncode}")

    def ask(self, *command: str) -> list[str]:
        """Its lines; none where it fails, as when a dataset is not there yet."""
        done = subprocess.run(
            self.words(*command),
            check=False,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
        )
        return done.stdout.splitlines() if done.returncode == 0 else []

    def make(self, folder: str) -> None:
        """A folder with all above it."""
        self.run("mkdir", "-p", folder)


def pipe(show: bool, *parts: list[str]) -> None:
    """Runs commands of which each reads what the one before it writes."""
    if show:
        print(" | ".join(shlex.join(p) for p in parts))
        return
    running: list[subprocess.Popen[bytes]] = []
    for n, part in enumerate(parts):
        running.append(
            subprocess.Popen(
                part,
                stdin=running[-1].stdout if running else subprocess.DEVNULL,
                stdout=subprocess.PIPE if n + 1 < len(parts) else subprocess.DEVNULL,
            )
        )
        if n:
            before = running[n - 1].stdout
            if before:
                before.close()  # so that it hears when its reader ends
    failed = [shlex.join(p) for p, one in zip(parts, running) if one.wait()]
    if failed:
        raise Trouble(f"failed: {'; '.join(failed)}")


# --- points ----------------------------------------------------------------------------------


class Points:
    """The snapshots of one job on one dataset, on one side: {name: epoch s}."""

    def __init__(self, side: Side, filesystem: str, place: str, job: str) -> None:
        self.side, self.zfs, self.place, self.job = side, filesystem == "zfs", place, job
        self.pattern = re.compile(rf"^lab-{re.escape(job)}-(\d{{8}}T\d{{6}}Z)$")

    @property
    def folder(self) -> str:
        """Where Btrfs keeps the points of a subvolume."""
        above, _, name = self.place.rpartition("/")
        return f"{above}/.points/{name}"

    def all(self) -> dict[str, float]:
        """Those that are there, oldest first."""
        if self.zfs:
            lines = self.side.ask("zfs", "list", "-H", "-t", "snapshot", "-o", "name", self.place)
            names = [line.partition("@")[2] for line in lines]
        else:
            names = self.side.ask("ls", "-1", self.folder)
        found = {}
        for name in sorted(names):
            match = self.pattern.match(name)
            if match:
                moment = datetime.strptime(match.group(1), STAMP).replace(tzinfo=timezone.utc)
                found[name] = moment.timestamp()
        return found

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
        here = Side("", show)
        self.source, self.target = (peer, here) if told.get("pulls") else (here, peer)

    def run(self) -> None:
        """Does what its kind does."""
        kinds = {
            "snapshot": self.snapshot,
            "replication": self.replication,
            "folder_mirror": self.mirror,
            "mirror": self.mirror,
            "config": self.config,
            "scrub": self.scrub,
            "smart_short": self.smart,
            "smart_long": self.smart,
            "bin": self.recycle_bin,
        }
        kinds.get(self.told["kind"], self.own)()

    def point_name(self) -> str:
        """The name of a point that is taken now."""
        moment = datetime.fromtimestamp(self.now, timezone.utc)
        return f"lab-{self.name}-{moment.strftime(STAMP)}"

    def snapshot(self) -> None:
        """Marks every dataset, then prunes."""
        for place in self.told["sets"]:
            points = Points(self.source, self.told["filesystem"], place, self.name)
            points.take(self.point_name())
            points.prune(self.told["retention"], self.zone, self.now)

    def replication(self) -> None:
        """Sends each dataset from the newest point that both ends have, then prunes.

        What another job has brought here goes on with that job's own points: one more in its copy
        would be in the way of its next run.
        """
        system, brought_by = self.told["filesystem"], self.told.get("brought_by")
        for place, copy in self.told["pairs"]:
            here = Points(self.source, system, place, brought_by or self.name)
            there = Points(self.target, system, copy, brought_by or self.name)
            if here.zfs:
                self.target.run("zfs", "create", "-p", copy.rpartition("/")[0])
                self.go_on(copy)
            else:
                self.target.make(there.folder)
            name = self.newest(here) if brought_by else self.point_name()
            if not brought_by:
                here.take(name)
            arrived = there.all()
            if name not in arrived:
                common = [n for n in here.all() if n in arrived]
                self.send(here, there, name, common[-1] if common else None)
            if not brought_by:
                # The source keeps only what the next run starts from.
                for old in here.all():
                    if old != name:
                        here.remove(old)
            there.prune(self.told["retention"], self.zone, self.now)

    def newest(self, points: Points) -> str:
        """The newest point that another job has brought."""
        found = list(points.all())
        if not found and not self.show:
            raise Trouble(f"{points.place} has no point yet: nothing to send on")
        return found[-1] if found else "POINT"

    def go_on(self, copy: str) -> None:
        """Ends a receive that was cut off, where the far end kept what it had."""
        if self.show or not self.told.get("resumable"):
            return
        answer = self.target.ask("zfs", "get", "-H", "-o", "value", "receive_resume_token", copy)
        token = answer[0].strip() if answer else "-"
        if token not in ("-", ""):
            self.carry(
                self.source.words("zfs", "send", "-t", token),
                self.target.words("zfs", "receive", "-s", "-u", copy),
            )

    def send(self, here: Points, there: Points, name: str, common: str | None) -> None:
        """One point, whole or as the difference from a common one."""
        if here.zfs:
            since = ["-i", f"@{common}"] if common else []
            keep = ["-s"] if self.told.get("resumable") else []
            self.carry(
                self.source.words("zfs", "send", *since, here.where(name)),
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
        days = self.told.get("trash_days", 0)
        for place, copy in self.told["pairs"]:
            if not self.show and not self.source.ask("ls", "-A", place):
                raise Trouble(
                    f"{place} is empty or not mounted: mirroring that would empty the copy"
                )
            above, _, leaf = copy.rpartition("/")
            trash = f"{above}/.trash-{leaf}"
            options = ["-aHAX", "--delete", "--partial"]
            options += [f"--exclude={pattern}" for pattern in self.told.get("left_out", ())]
            if days:
                day = datetime.fromtimestamp(self.now, ZoneInfo(self.zone)).strftime(
                    "%Y-%m-%d-%H%M%S"
                )
                options += ["--backup", f"--backup-dir={trash}/{day}"]
            limit = self.told.get("limit_kib_per_s")
            if limit:
                options.append(f"--bwlimit={limit}")
            self.target.make(copy)
            ends = (
                self.end(self.source, f"{place}/"),
                self.end(self.target, f"{copy}/"),
            )
            Side("", self.show).run("rsync", *options, *ends)
            if days:
                self.target.make(trash)
                self.empty(trash, days)

    @staticmethod
    def end(side: Side, folder: str) -> str:
        """A folder as rsync names it."""
        return f"{side.peer}:{folder}" if side.peer else folder

    def empty(self, trash: str, days: int) -> None:
        """Days of the trash can that are older than so many days go, by their names."""
        if self.show:
            print(f"# remove what is older than {days} days from {trash}")
            return
        for name in self.target.ask("ls", "-1", trash):
            try:
                day = datetime.strptime(name, "%Y-%m-%d-%H%M%S").replace(tzinfo=ZoneInfo(self.zone))
            except ValueError:
                continue
            if self.now - day.timestamp() >= days * DAY:
                self.target.run("rm", "-rf", "--one-file-system", f"{trash}/{name}")

    def config(self) -> None:
        """Packs /etc to the other end, then prunes."""
        folder = self.told["folder"]
        self.target.make(folder)
        packed = f"{folder}/{self.point_name()}.tar.gz"
        pipe(
            self.show,
            self.source.words("tar", "-C", "/", "-cz", *self.told["paths"]),
            self.target.words("dd", f"of={packed}", "status=none"),
        )
        pattern = re.compile(rf"^lab-{re.escape(self.name)}-(\d{{8}}T\d{{6}}Z)\.tar\.gz$")
        there = {}
        for name in sorted(self.target.ask("ls", "-1", folder)):
            match = pattern.match(name)
            if match:
                taken = datetime.strptime(match.group(1), STAMP).replace(tzinfo=timezone.utc)
                there[taken.timestamp()] = name
        rules = self.told["retention"]
        kept = prunes(self.name, list(there), rules, self.zone, self.now, self.show)
        for moment, name in there.items():
            if moment not in kept:
                self.target.run("rm", f"{folder}/{name}")

    def scrub(self) -> None:
        """Reads everything and mends what it can."""
        commands = {
            "zfs": ("zpool", "scrub", "-w", self.told["pool"]),
            "btrfs": ("btrfs", "scrub", "start", "-B", "-q", f"/srv/{self.told['pool']}"),
        }
        if self.told["filesystem"] not in commands:
            self.own()
            return
        self.source.run(*commands[self.told["filesystem"]])

    def smart(self) -> None:
        """Starts the drives' own test; smartd or the next look tells how it ended."""
        length = self.told["kind"].rpartition("_")[2]
        listed = self.source.ask("lsblk", "--json", "--nodeps", "-o", "PATH,SERIAL")
        there = json.loads("\n".join(listed) or "{}").get("blockdevices", [])
        paths = {d["serial"]: d["path"] for d in there if d.get("serial")}
        missing = [s for s in self.told["serials"] if s not in paths]
        for serial in self.told["serials"]:
            if serial in paths:
                self.source.run("smartctl", "-q", "errorsonly", "-t", length, paths[serial])
        if missing and not self.show:
            raise Trouble(f"no disk with serial {', '.join(missing)}")

    def recycle_bin(self) -> None:
        """Empties the bins of the shares of what is older."""
        for folder, days in self.told["bins"]:
            older = ("-type", "f", "-mtime", f"+{days}", "-delete")
            self.source.run("find", folder, "-path", "*/.bin/*", *older)

    def own(self) -> None:
        """What no common tool does: a script of the administrator's."""
        script = OWN / self.name
        if not self.show and not os.access(script, os.X_OK):
            raise Trouble(
                f"{self.told['title']} needs a tool of yours: put its command into {script}"
            )
        Side("", self.show).run(str(script))


# --- from the shell --------------------------------------------------------------------------


def overdue(jobs: dict[str, Any], now: float) -> list[str]:
    """Jobs that have not gone well for longer than their alarm allows, in words."""
    found = []
    for name, told in jobs.items():
        days = told.get("alarm_days")
        if days is None:
            continue
        stamp = STATE / f"{name}.done"
        ended = stamp.stat().st_mtime if stamp.exists() else None
        if ended is None:
            found.append(f"{name} has never gone well")
        elif now - ended > days * DAY:
            found.append(f"{name} last went well {(now - ended) / DAY:.1f} days ago")
    return found


def run_job(name: str, told: dict[str, Any], zone: str, show: bool) -> None:
    """Runs a job unless it is still running, and stamps that it went well."""
    now = float(os.environ.get("LAB_JOB_NOW") or time.time())
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
        job.run()
    stamp = STATE / f"{name}.done"
    stamp.touch()
    os.utime(stamp, (now, now))


def main(words: Sequence[str]) -> int:
    """Exit code: 0 when all went well."""
    show = "--show" in words
    names = [w for w in words if w != "--show"]
    try:
        config = json.loads(CONFIG.read_text(encoding="utf-8"))
    except (OSError, ValueError) as error:
        print(f"lab-job: {CONFIG}: {error}", file=sys.stderr)
        return 2
    jobs = config["jobs"]
    if names == ["list"]:
        print("\n".join(f"{name}: {told['title']}" for name, told in jobs.items()))
        return 0
    if names == ["overdue"]:
        late = overdue(jobs, float(os.environ.get("LAB_JOB_NOW") or time.time()))
        print("\n".join(late), end="\n" if late else "")
        return 1 if late else 0
    if len(names) != 1 or names[0] not in jobs:
        print(f"lab-job: name one of: {', '.join(jobs)}; or list, overdue", file=sys.stderr)
        return 2
    try:
        run_job(names[0], jobs[names[0]], config["zone"], show)
    except Trouble as error:
        print(f"lab-job {names[0]}: {error}", file=sys.stderr)
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
