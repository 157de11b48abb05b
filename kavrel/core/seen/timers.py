"""Whether what the plan runs by itself on a host is started there, and when.

A timer of last year's plan starts last year's night: the proof counts on this one's.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from kavrel.core.copies.carrier import LOOKS_EVERY_MINUTES, chain
from kavrel.core.index import Index
from kavrel.core.plan import Job, Schedule
from kavrel.core.schedule import in_words
from kavrel.core.seen.calendars import as_schedule, planned_starts, starts_of
from kavrel.core.seen.drifted import Drifted
from kavrel.core.seen.machine import Machine, SeenTask
from kavrel.core.seen.offer import Taken
from kavrel.core.shares.names import job_names
from kavrel.core.works.chores import chore_works
from kavrel.core.works.jobs import UNITS, JobRuns, job_works

WATCH = "lab-overdue"  # the timer that looks out for silence
FROM_BUNDLE = "  # in the folder of its newest bundle"
# Chores without which data or doors are not as planned; the others keep room and health.
PRESSING = frozenset({"parity", "mover", "expiry"})


@dataclass(frozen=True)
class Wanted:
    """What the plan wants to be started: by which unit, when if by a calendar, and what it is about."""

    unit: str
    collection: str
    about: str
    name: str
    schedule: Schedule | None
    pressing: bool
    job: Job | None = None


class Timers:
    """What starts by itself on a host, held against its jobs and chores."""

    def __init__(self, index: Index, host: str, machine: Machine) -> None:
        self.index, self.host = index, host
        self.tasks: dict[str, list[SeenTask]] = {}
        for task in machine.tasks:
            self.tasks.setdefault(task.name, []).append(task)
        self.wanted = {w.unit: w for w in (*self._jobs(), *self._chores())}
        self.agreed = 0
        self.unknown: list[str] = []

    def _jobs(self) -> Iterator[Wanted]:
        names = job_names(self.index.plan)
        for work in job_works(self.index, self.host):
            if isinstance(work, JobRuns) and not work.by_hand:
                job = work.job
                schedule: Schedule | None = job.schedule
                how = chain(self.index, job)
                if how is not None and how.how != "seen":
                    schedule = None  # what it follows starts it
                elif how is not None:
                    schedule = Schedule(kind="minutes", every=LOOKS_EVERY_MINUTES)
                unit = f"lab-{names[job.id]}"
                yield Wanted(unit, "jobs", job.id, job.name, schedule, True, job)

    def _chores(self) -> Iterator[Wanted]:
        for work in chore_works(self.index, self.host):
            collection, about = work.makes[0]
            pressing = work.kind in PRESSING
            yield Wanted(f"lab-{work.name}", collection, about, work.title, work.schedule, pressing)

    def rows(self) -> Iterator[Drifted]:
        """What is not started, what is started at other times, and what is started and is no job."""
        for one in self.wanted.values():
            if one.schedule:
                yield from self._one(one, one.schedule)
        yield from self._others()

    def _one(self, one: Wanted, schedule: Schedule) -> Iterator[Drifted]:
        there = self.tasks.get(one.unit, [])
        running = [t for t in there if t.enabled]
        if not running:
            yield Drifted(
                host=self.host,
                verdict="missing",
                collection=one.collection,
                about=one.about,
                name=one.name,
                field="start",
                planned=f"{one.unit} starts it",
                seen="its timer is switched off" if there else "no timer and no crontab starts it",
                urgent=one.pressing,
                command=self._begin(one.unit, bool(there)),
            )
            return
        zone = schedule.zone or self.index.plan.zone
        # A crontab goes by the clock of its host: for a job of another zone it asks at every hour.
        if running[0].by == "cron" and zone != self.index.plan.zone:
            self.agreed += 1
            return
        seen = [(t, s) for t in running if (s := starts_of(t, zone))]
        planned = planned_starts(schedule)
        if any(s.agrees(planned) for _, s in seen):
            self.agreed += 1
        elif not seen:
            on = running[0].on or "none"
            self.unknown.append(f"{one.name}: when it starts, its calendar is not understood: {on}")
        else:
            task, starts = seen[0]
            found = as_schedule(starts)
            yield Drifted(
                host=self.host,
                verdict="different",
                collection=one.collection,
                about=one.about,
                name=one.name,
                field="starts",
                planned=in_words(schedule),
                seen=in_words(found) if found else task.on,
                change=self._taken(one.job, found),
                command=self._put(one.unit, task),
            )

    def _taken(self, job: Job | None, schedule: Schedule | None) -> Taken | None:
        """The job with the times at which it is really started."""
        if job is None or schedule is None or job.schedule.kind == "after":
            return None
        kept = {"zone": job.schedule.zone, "start": job.schedule.start, "until": job.schedule.until}
        changed = job.model_copy(update={"schedule": schedule.model_copy(update=kept)})
        return Taken(
            key=f"jobs/{job.id}",
            collection="jobs",
            what="changed",
            name=job.name,
            item=changed.model_dump(mode="json"),
            why=f"it is started {in_words(schedule)}",
        )

    def _begin(self, unit: str, there: bool) -> str:
        """What starts it from now on: its timer, from the bundle where the box has none."""
        on = f"systemctl enable --now {unit}.timer"
        if there:
            return on
        put = f"cp lab-jobs.json /etc/; cp systemd/{unit}.* {UNITS}/; systemctl daemon-reload"
        return f"{put}; {on}{FROM_BUNDLE}"

    def _put(self, unit: str, task: SeenTask) -> str:
        """What brings the plan's times onto the machine, from its bundle: the script asks its own file too."""
        told = "cp lab-jobs.json /etc/"
        if task.by == "cron":
            return f"{told}; crontab crontab  # from the papers of this box"
        again = f"systemctl daemon-reload; systemctl restart {unit}.timer"
        return f"{told}; cp systemd/{unit}.timer {UNITS}/; {again}{FROM_BUNDLE}"

    def _others(self) -> Iterator[Drifted]:
        for name, tasks in self.tasks.items():
            if name.startswith("lab-") and name not in (WATCH, *self.wanted):
                task = tasks[0]
                by = "a timer" if task.by == "timer" else "a crontab"
                yield Drifted(
                    host=self.host,
                    verdict="extra",
                    collection="jobs",
                    about="",
                    name=name.removeprefix("lab-"),
                    field="start",
                    planned="no such job",
                    seen=f"{by} starts it: {task.on or task.command}",
                    command=f"systemctl disable --now {name}.timer" if task.by == "timer" else "",
                )
