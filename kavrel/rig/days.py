"""Days of the rig: each box does what its own crontab says, with the real lab-job, on one fast clock."""

import heapq
import json
from collections import Counter, defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import datetime, time, timedelta

from kavrel.core.copies.carrier import runs_on
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Job
from kavrel.core.schedule import gap_end, starts
from kavrel.core.shares.names import job_names
from kavrel.formats.lab_jobs import hosts_with_jobs, lab_jobs
from kavrel.formats.timers import crontab
from kavrel.rig import apart, by_itself
from kavrel.rig.data import NoRoom
from kavrel.rig.hands import Hands
from kavrel.rig.lab import Lab
from kavrel.rig.own import keep, read, usable
from kavrel.rig.runs import Run

LAB_JOB = "/usr/local/sbin/lab-job"


@dataclass(frozen=True)
class Line:
    """A line of a crontab: minutes, hours, days, months and weekdays on which it starts, and what."""

    minutes: tuple[int, ...]
    hours: tuple[int, ...]
    days: frozenset[int]
    months: frozenset[int]
    weekdays: frozenset[int]
    either: bool
    words: tuple[str, ...]

    @classmethod
    def read(cls, text: str) -> "Line":
        """One line. Source: crontab(5): where day and weekday are both told, either is enough."""
        minute, hour, day, month, weekday, command = text.split(None, 5)
        return cls(
            _numbers(minute, 0, 59),
            _numbers(hour, 0, 23),
            frozenset(_numbers(day, 1, 31)),
            frozenset(_numbers(month, 1, 12)),
            frozenset(n % 7 for n in _numbers(weekday, 0, 7)),
            day != "*" and weekday != "*",
            tuple(command.removeprefix(LAB_JOB).split()),
        )

    def on(self, day: datetime) -> bool:
        """Whether it starts on a local day."""
        if day.month not in self.months:
            return False
        of_month, of_week = day.day in self.days, day.isoweekday() % 7 in self.weekdays
        return of_month or of_week if self.either else of_month and of_week


def _numbers(field_: str, low: int, high: int) -> tuple[int, ...]:
    numbers: set[int] = set()
    for part in field_.split(","):
        span, _, step = part.partition("/")
        first, _, last = span.partition("-")
        begin = low if span == "*" else int(first)
        end = high if span == "*" or (step and not last) else int(last or first)
        numbers |= set(range(begin, end + 1, int(step or 1)))
    return tuple(sorted(numbers))


@dataclass
class Told:
    """What happened to a job: its starts, how they ended, and how long they took."""

    ended: Counter[str] = field(default_factory=Counter)
    seconds: list[float] = field(default_factory=list)
    said: str = ""


class Days:
    """Lives through days of a lab."""

    def __init__(self, lab: Lab) -> None:
        self.lab = lab
        self.hands = {
            host: Hands(lab.boxes[host], lab_jobs(lab.plan, host, "the rig"))
            for host in hosts_with_jobs(lab.plan)
        }
        day = datetime.fromtimestamp(lab.now, lab.zone).date()
        self.lines = {
            host: [
                Line.read(row)
                for row in crontab(lab.plan, host, "the rig", day).splitlines()
                if LAB_JOB in row and not row.startswith("#")
            ]
            for host in self.hands
        }
        names = job_names(lab.plan)
        # What a job on another box looks for: it is there once it is there whole.
        self.awaited = {names[j.id]: names[j.after] for j in lab.plan.jobs if j.after}
        self.told: dict[str, Told] = defaultdict(Told)
        # When something came somewhere, and by which job.
        self.arrived: list[tuple[float, str]] = []

    def copied_to(self, lab: Lab) -> "Days":
        """The same days for a copy of the lab: its boxes keep on from what they had written down."""
        new = Days.__new__(Days)
        new.lab, new.lines, new.told, new.arrived = lab, self.lines, defaultdict(Told), []
        new.awaited = self.awaited
        new.hands = {
            host: Hands(lab.boxes[host], json.dumps(hands.jobs()))
            for host, hands in self.hands.items()
        }
        return new

    def starts(self, day: datetime) -> Iterator[tuple[float, str, tuple[str, ...]]]:
        """What the crontabs start on a local day, in order."""
        zone = self.lab.zone
        midnight = datetime.combine(day.date(), time(), zone)
        following = datetime.combine(day.date() + timedelta(days=1), time(), zone).timestamp()
        begin = midnight.timestamp()
        straight = following - begin == 86_400
        begins = []
        for host, lines in self.lines.items():
            for line in lines:
                if not line.on(midnight):
                    continue
                if straight or len(line.hours) == 24:
                    begins += [
                        (begin + h * 3600 + m * 60, host, line.words)
                        for h in (
                            line.hours if straight else range(int((following - begin) // 3600))
                        )
                        for m in line.minutes
                    ]
                    continue
                # What would have started in the hour that is left out starts as soon as that is over;
                # what starts in the repeated one does so once. Source: cron(8) of Debian.
                clocks = [
                    midnight.replace(hour=h, minute=m) for h in line.hours for m in line.minutes
                ]
                begins += [(gap_end(c) or c.timestamp(), host, line.words) for c in clocks]
        begins.sort(key=lambda one: one[0])
        yield from begins

    def by_hand(self, day: datetime) -> Iterator[tuple[float, str, tuple[str, ...]]]:
        """What people do themselves on a local day."""
        for job in self.lab.plan.jobs:
            if KINDS[job.kind].by_hand and KINDS[job.kind].copies:
                for moment in starts(job.schedule, self.lab.plan.zone, day.date(), day.date()):
                    yield moment, "", (job.id,)

    def first_copies(self) -> None:
        """Runs each job once, as if nothing took time."""
        lab, names = self.lab, job_names(self.lab.plan)
        done: set[str] = set()
        waiting = [j for j in lab.plan.jobs if KINDS[j.kind].copies]
        while waiting:
            ready = [
                j for j in waiting if (j.reads_from or j.after or "") not in {w.id for w in waiting}
            ]
            for job in ready or waiting:
                host = runs_on(lab.index, job)
                if KINDS[job.kind].by_hand:
                    self.carry(job)
                elif box := by_itself.box_of(lab, job):
                    by_itself.run(lab, box, job)
                elif host in self.hands and names[job.id] in self.hands[host].jobs()["jobs"]:
                    self.hands[host].run(names[job.id])
                done.add(job.id)
            waiting = [j for j in waiting if j.id not in done]
        for box in lab.boxes.values():
            for store in box.stores.values():
                apart.settled(lab, box, store)
                if apart.has_parity(store.pool):
                    apart.synced(lab, box, store)
        lab.going.clear()
        lab.mail.clear()
        self.told.clear()

    def until(self, moment: float) -> None:
        """Lives on up to a moment; what starts then is yet to come."""
        lab, since = self.lab, self.lab.now
        day = datetime.fromtimestamp(since, lab.zone).replace(hour=12, minute=0, second=0)
        while True:
            by_themselves = sorted(by_itself.started(lab, day))
            by_hand = sorted(self.by_hand(day))
            for at, host, words in heapq.merge(self.starts(day), by_hand, by_themselves):
                if at < since:
                    continue
                if at >= moment:
                    break
                self._go_on_in_line(at)
                lab.now = at
                self._settle()
                if not host:
                    self.carry(lab.index.jobs[words[0]])
                elif lab.index.hosts[host].closed:
                    self.by_itself(lab.index.jobs[words[0]])
                else:
                    self.start(host, words)
            day += timedelta(days=1)
            if datetime.combine(day.date(), time(), lab.zone).timestamp() > moment:
                break
        self._go_on_in_line(moment)
        lab.now = moment
        self._settle()

    def _go_on_in_line(self, moment: float) -> None:
        """Starts what follows others in their line until a moment."""
        lab = self.lab
        while True:
            ended = [r for r in lab.going if r.behind and r.ends <= moment]
            if not ended:
                return
            run = min(ended, key=lambda r: r.ends)
            names, run.behind = run.behind, ()
            lab.now = max(run.ends, lab.now)
            self._settle()
            if lab.index.hosts[run.box].closed:
                for name in names:
                    self.by_itself(lab.index.jobs[name])
            else:
                self.start(run.box, names[:1], names)

    def _settle(self) -> None:
        """What has ended by now has arrived, and took as long as it did."""
        for run in self.lab.settle():
            self.arrived += sorted({(w.ends, w.job) for w in run.written})
            if run.result in ("ok", "noted"):
                self.told[run.job].seconds.append(run.ends - run.began)

    def start(self, host: str, words: tuple[str, ...], line: tuple[str, ...] = ()) -> None:
        """Cron starts lab-job on a box, or it goes on to the next of its `line`."""
        lab, box = self.lab, self.lab.boxes[host]
        name = words[-1]
        if not box.up or name in box.disabled or host not in self.hands:
            return
        if self._is_on_its_way(self.awaited.get(name), host):
            return
        if lab.is_at(box, name):
            if line or self.hands[host].run("due", name).code == 0:
                said = f"lab-job {name}: its last run has not ended"
                self._ended(name, "still running", said)
                lab.tell(box, f"Subject: cron: lab-job {' '.join(words)}\n\n{said}\n")
            return
        run = lab.touched = Run(name, host, lab.now, lab.now)
        lab.seconds = 0.0
        hands = self.hands[host]
        before = hands.stamped(name)
        ended = hands.run(*words, in_line=bool(line))
        lab.touched = None
        run.ended(lab.now + lab.seconds)
        run.behind = () if ended.code else (*hands.behind, *line[1:])
        if hands.stamped(name) != before or ended.code:
            run.result = {0: "ok", 3: "noted"}.get(ended.code, "failed")
            self._ended(name, run.result, ended.err)
        lab.goes(run)
        if ended.out or ended.err:  # cron mails whatever a command says
            lab.tell(box, f"Subject: cron: lab-job {' '.join(words)}\n\n{ended.out}{ended.err}")

    def _is_on_its_way(self, name: str | None, host: str) -> bool:
        """Whether what a job of another box sends is not there whole."""
        return any(
            w.job == name and w.ends > self.lab.now
            for r in self.lab.going
            if r.box != host
            for w in r.written
        )

    def carry(self, job: Job) -> None:
        """Somebody takes a disk from its shelf, copies onto it, and puts it back."""
        lab = self.lab
        if not usable(lab, lab.book.place(job)):
            self._ended(job.id, "failed", "the disk is not there")
            return
        lab.seconds = 0.0
        states = {}
        for dataset in job.datasets:
            files = read(lab, None, job, dataset)
            if isinstance(files, str):
                self._ended(job.id, "failed", files)
                return
            states[dataset] = files
        run = lab.touched = Run(job.id, "", lab.now, lab.now)
        try:
            keep(lab, job, states)
            run.ended(lab.now + lab.seconds)
            run.result = "ok"
            self._ended(job.id, "ok", "")
            lab.goes(run)
        except NoRoom:
            self._ended(job.id, "failed", "the disk is full")
        lab.touched = None

    def by_itself(self, job: Job) -> None:
        """A box that takes no commands starts one of its jobs, and then what follows it there."""
        lab, name = self.lab, job_names(self.lab.plan)[job.id]
        box = by_itself.box_of(lab, job)
        if box is None or not box.up or name in box.disabled:
            return
        if lab.is_at(box, name):
            self._ended(name, "still running", "its last run has not ended")
            return
        run = lab.touched = Run(name, box.host.id, lab.now, lab.now)
        lab.seconds = 0.0
        said = by_itself.run(lab, box, job)
        lab.touched = None
        run.ended(lab.now + lab.seconds)
        run.result = "failed" if said else "ok"
        run.behind = () if said else by_itself.behind(lab, job)
        self._ended(name, run.result, said)
        lab.goes(run)

    def _ended(self, name: str, result: str, said: str) -> None:
        told = self.told[name]
        told.ended[result] += 1
        if result not in ("ok", "noted") and said:
            told.said = said.strip()


def runner(lab: Lab, job: Job) -> str | None:
    """The host that starts a job."""
    return runs_on(lab.index, job)
