"""A drill as it is played: what was seen, what was done step by step, and how it ended.

The rig is the same for the same plan, drill and steps: a drill is nothing but its steps, played again
from the beginning, so that it survives a restart and needs no memory of its own. What a step costs is
found by looking after each what could still be brought back.
"""

import json
import shlex
import shutil
from collections import OrderedDict
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from threading import Lock

from kavrel.core.kinds import KINDS
from kavrel.core.proof.cell import Cell
from kavrel.core.quantities import DAY, span_words
from kavrel.core.working import Working
from kavrel.rig import apart
from kavrel.rig.box import Box, Store
from kavrel.rig.data import Data
from kavrel.rig.days import Days
from kavrel.rig.deeds import BY_HAZARD, struck
from kavrel.rig.disks import Drive
from kavrel.rig.drill_working import hours_worked, lost_worked, planned_worked
from kavrel.rig.drills import SEEN_AT, Drill, concerned, strikes
from kavrel.rig.files import CLOCK, File, sound, worked_until
from kavrel.rig.hands import Hands
from kavrel.rig.lab import Lab
from kavrel.rig.restoring import Back, brought_back, piped
from kavrel.rig.said import Said, failed, lines
from kavrel.rig.workspace import workspace

HANDS = "hands"
TYPED_SECONDS = 60.0  # to read, think and type one line
TRIED_SECONDS = 600.0  # to look at a box's settings, and to wait for what comes of it
OUT_MOST = 6000  # characters of an answer
STEPS_MOST = 200
BEGUN_KEPT = 4
# A real shell would do things with these; none is behind the console.
FORBIDDEN = set("<>&;$`\n\\{}*?~!")


@dataclass(frozen=True)
class DrillStep:
    """One thing that was done: a line typed on a box, or with `HANDS` something done there."""

    at: str
    line: str


@dataclass(frozen=True)
class Done:
    """A step with what came of it, and the hours of the drill after it.

    `says`: what it is in words; `hands`: the assumptions by which what hands did took its hours.
    """

    step: DrillStep
    code: int
    out: str
    hours: float
    says: str
    hands: tuple[str, ...] = ()


@dataclass(frozen=True)
class Outcome:
    """How one dataset came out: work lost, the least that could be, and which step made it worse."""

    dataset: str
    lost_seconds: float | None
    best_seconds: float | None
    worse_step: int | None
    lost_working: Working
    best_working: Working


@dataclass(frozen=True)
class Played:
    """A drill so far. `deeds`: what hands can do now. `left`: what is not right yet, in words."""

    sees: str
    seen_at: float
    boxes: tuple[str, ...]
    deeds: tuple[tuple[str, str], ...]
    done: tuple[Done, ...]
    hours: float
    left: tuple[str, ...]
    outcomes: tuple[Outcome, ...]
    hours_working: Working
    planned: Working | None


@dataclass(frozen=True)
class Truth:
    """What whoever leads a drill knows: what is seen, what is so, and what each copy gives back."""

    sees: str
    clock: str
    datasets: tuple[str, ...]
    truth: tuple[str, ...]
    copies: dict[str, dict[str, Back | str]]
    best: dict[str, float | None]


@dataclass(frozen=True)
class _Begun:
    """A drill at the moment at which somebody sees what has happened."""

    lab: Lab
    days: Days
    moment: float
    datasets: tuple[str, ...]
    victims: dict[str, dict[str, File]]
    sees: str


class Drilling:
    """Plays drills on a lab that has lived for a while."""

    def __init__(self, days: Days) -> None:
        self.days, self.lab = days, days.lab
        self._begun: OrderedDict[tuple[str, int], _Begun] = OrderedDict()
        self._struck: dict[float, Days] = {}
        self._count = 0
        self._lock = Lock()

    def target(self, drill: Drill, seed: int) -> str:
        """What a drill strikes: one of what it can, by the seed."""
        targets = strikes(self.lab, drill)
        return targets[seed % len(targets)]

    def play(
        self,
        drill: Drill,
        seed: int,
        steps: Sequence[DrillStep],
        cells: Sequence[Cell],
        ended: bool,
    ) -> Played:
        """Plays all steps; with `ended` it is also judged."""
        with self._lock:
            begun = self._at(drill, seed)
            with workspace() as folder:
                play = Play(begun, drill, self.target(drill, seed), folder)
                return play.through(steps, cells, ended)

    def told(self, drill: Drill, seed: int) -> Truth:
        """All that whoever leads a drill has to know."""
        with self._lock:
            begun = self._at(drill, seed)
            with workspace() as folder:
                return Play(begun, drill, self.target(drill, seed), folder).truth()

    @contextmanager
    def lived_in(self, drill: Drill, seed: int) -> Iterator["Play"]:
        """A drill that goes on with each thing that is done, for as long as somebody stays in it."""
        with self._lock:
            begun = self._at(drill, seed)
            with workspace() as folder:
                play = Play(begun, drill, self.target(drill, seed), folder)
                play.is_judged()
                yield play

    def _at(self, drill: Drill, seed: int) -> _Begun:
        key = drill.id, seed
        if key not in self._begun:
            self._begun[key] = self._begin(drill, seed)
        self._begun.move_to_end(key)
        while len(self._begun) > BEGUN_KEPT:
            _, old = self._begun.popitem(last=False)
            shutil.rmtree(old.lab.folder, ignore_errors=True)
        return self._begun[key]

    def _begin(self, drill: Drill, seed: int) -> _Begun:
        """Lives on to the night of the drill, and does what it is about."""
        self._count += 1
        target = self.target(drill, seed)
        well = self._still_well(SEEN_AT[seed % len(SEEN_AT)])  # another seed, another hour
        lab = well.lab.clone(self.lab.folder.parent / f"begun-{self._count}")
        days = well.copied_to(lab)
        moment = lab.now + drill.quiet_days * DAY
        seen_at = moment + max(drill.late, 0.0) * DAY
        if drill.quiet:
            drill.quiet.do(
                lab, lab.index.pools[target].host if target in lab.index.pools else target
            )
        days.until(moment)
        struck_by_it = struck(lab, drill.deed, target)
        before = {d: dict(lab.data_of(d).files) for d in struck_by_it}
        if not drill.late:
            lab.break_off(moment)
        for hazard in drill.before:
            BY_HAZARD[hazard].do(lab, "")
        drill.deed.do(lab, target)
        victims = {d: _taken(before[d], lab, d) for d in struck_by_it}
        days.until(seen_at)
        datasets = tuple(concerned(lab, drill, target))
        return _Begun(lab, days, moment, datasets, victims, drill.sees(lab, target))

    def _still_well(self, hour: float) -> Days:
        """The lab a night later at an hour (seconds of the day): all drills of that hour go on from there."""
        if hour not in self._struck:
            lab = self.lab.clone(self.lab.folder.parent / f"well-{hour:.0f}")
            days = self.days.copied_to(lab)
            midnight = lab.now - (lab.now + lab.offset(lab.now)) % DAY
            days.until(midnight + DAY + hour)
            self._struck[hour] = days
        return self._struck[hour]


class Play:
    """One playing of a drill."""

    def __init__(self, begun: _Begun, drill: Drill, target: str, folder: Path) -> None:
        self.drill, self.target, self.days = drill, target, begun.days
        self.lab = begun.lab.clone(folder / "lab")
        self.moment, self.began, self.sees = begun.moment, begun.lab.now, begun.sees
        self.datasets, self.victims = begun.datasets, begun.victims
        self.charged: list[str] = []  # assumptions by which the step at hand took hours
        self.done: list[Done] = []
        self.ways: dict[str, list[tuple[str, float]]] = {}  # where something could be had at first
        self.still: dict[str, float | None] = {}
        self.worse: dict[str, int | None] = dict.fromkeys(self.datasets)

    def through(self, steps: Sequence[DrillStep], cells: Sequence[Cell], ended: bool) -> Played:
        """All steps, one after the other."""
        if ended:
            self.is_judged()
        for step in steps[:STEPS_MOST]:
            self.take(step, partial(self._do, step))
        return self.so_far(cells)

    def is_judged(self) -> None:
        """From here on each step is looked at: what could still be had after it."""
        self.ways = self._ways()
        self.still = {d: self._least(states) for d, states in self.ways.items()}

    def take(self, step: DrillStep, act: Callable[[], Said]) -> Said:
        """One step, what comes of it, and the time that it takes."""
        lab = self.lab
        lab.seconds, self.charged = 0.0, []
        says = dict(self._deeds()).get(step.line, step.line) if step.at == HANDS else step.line
        said = act()
        lab.now += lab.seconds + (TYPED_SECONDS if step.at != HANDS else 0.0)
        out = (said.out.decode(errors="replace") + said.err)[:OUT_MOST]
        hours = (lab.now - self.began) / 3600
        self.done.append(Done(step, said.code, out, hours, says, tuple(self.charged)))
        if self.ways:
            now = self._attainable()
            for dataset in self.datasets:
                if self.worse[dataset] is None and _less(now[dataset], self.still[dataset]):
                    self.worse[dataset] = len(self.done) - 1
                self.still[dataset] = now[dataset]
        return said

    def so_far(self, cells: Sequence[Cell]) -> Played:
        """The drill as it stands; judged where each step was looked at."""
        lab = self.lab
        mine = (c for c in cells if c.hazard == self.drill.hazard and c.dataset in self.datasets)
        return Played(
            self.sees,
            self.began,
            tuple(b.host.id for b in lab.boxes.values() if b.up and b.stores and not b.host.closed),
            tuple(self._deeds()),
            tuple(self.done),
            (lab.now - self.began) / 3600,
            tuple(self._left()),
            tuple(
                self._came_out(d, self.ways[d], self.worse[d]) for d in self.datasets if self.ways
            ),
            hours_worked(lab, self.done),
            planned_worked(lab, mine),
        )

    # -- lived in, from a shell -------------------------------------------------------------------

    def on_box(self, host: str, words: list[str], stdin: bytes) -> Said:
        """A program that is started on a box, with what it reads."""
        return self.take(DrillStep(host, shlex.join(words)), partial(self._run, host, words, stdin))

    def by_hand(self, line: str) -> Said:
        """Something that hands do."""
        step = DrillStep(HANDS, line)
        return self.take(step, partial(self._do, step))

    def can_do(self) -> list[tuple[str, str]]:
        """What hands can do now."""
        return self._deeds()

    def _came_out(
        self, dataset: str, ways: Sequence[tuple[str, float]], worse: int | None
    ) -> Outcome:
        there = self._there(dataset)
        name = self.lab.index.datasets[dataset].name
        return Outcome(
            dataset,
            self._least(there),
            self._least(ways),
            worse,
            lost_worked(self.lab, self.moment, there, f"work lost of {name}"),
            lost_worked(
                self.lab, self.moment, ways, f"work of {name} that nobody could have saved"
            ),
        )

    def truth(self) -> Truth:
        """What nobody sees at once: dead disks and boxes, locked pools, what each copy gives back."""
        ahead = self._ahead()
        copies = {d: self._backs(ahead, d) for d in self.datasets}
        return Truth(
            self.sees,
            self.lab.local(self.began),
            self.datasets,
            tuple(self._so()),
            copies,
            self._attainable(),
        )

    def _so(self) -> Iterator[str]:
        lab = self.lab
        for box in lab.boxes.values():
            if box.stores and box.lost:
                yield f"{box.name} is lost with its disks"
            elif box.stores and not box.up:
                yield f"{box.name} does not run"
            for store in box.stores.values():
                yield from self._of_store(box, store)
        if lab.cut:
            yield "no line between the sites is up"
        if lab.closed:
            yield "the bucket lets nobody in"
        if self.drill.quiet:
            pool = lab.index.pools.get(self.target)
            wrong = self.drill.quiet.so(lab, pool.host if pool else self.target)
            if wrong:
                yield wrong
        for dataset in self.datasets:
            if self.victims[dataset] and self._stands(dataset):
                yield f"files of {lab.index.datasets[dataset].name} are gone or spoiled"

    def _of_store(self, box: Box, store: Store) -> Iterator[str]:
        """What nobody sees at once of a pool: disks that are dead, loose or slow; a lock."""
        drives = [self.lab.drives[d] for d in store.pool.disks]
        dead = [d for d in drives if not d.alive]
        if dead and not box.lost:
            state = self.lab.health(store.pool).lower()
            what = "whole, and its cable is off" if all(d.loose for d in dead) else "dead"
            names = ", ".join(map(_named, dead))
            yield f"pool {store.name} on {box.name} is {state}; {what}: {names}"
        slow = [d for d in drives if d.slow]
        if slow:
            yield f"pool {store.name} on {box.name} waits for {', '.join(map(_named, slow))}"
        frayed = [d for d in drives if d.frayed]
        if frayed:
            names = ", ".join(map(_named, frayed))
            yield f"a plug on {box.name} sits badly, no disk is at fault: {names}"
        if store.locked:
            yield f"pool {store.name} is locked until its passphrase is typed"

    # -- what is so ------------------------------------------------------------------------------

    def _states(self, dataset: str) -> list[tuple[str, dict[str, File]]]:
        """What is there of a dataset, by where: where it was, and whatever was brought back beside it."""
        at = self.lab.data_of(dataset).at if self._stands(dataset) else ""
        states = []
        for box in self.lab.boxes.values():
            if not box.up:
                continue
            for data in box.mounted():
                if data.at == at or data.props.get("back") == dataset:
                    states.append((f"in {data.at} on {box.name}", data.files))
        return states

    def _stands(self, dataset: str) -> bool:
        try:
            data = self.lab.data_of(dataset)
        except StopIteration:
            return False
        box = self.lab.boxes[self.lab.index.pools[self.lab.index.datasets[dataset].pool].host]
        return box.up and box.here(data)

    def _there(self, dataset: str) -> list[tuple[str, float]]:
        """Where a state of a dataset is now, and up to when it has people's work."""
        return [
            (where, until)
            for where, files in self._states(dataset)
            if (until := _until(files, self.moment, self.victims[dataset])) is not None
        ]

    def _least(self, states: Sequence[tuple[str, float]]) -> float | None:
        """Seconds of work that are lost with the best of these states; None where there is none."""
        return max(self.moment - max(until for _, until in states), 0.0) if states else None

    def _attainable(self) -> dict[str, float | None]:
        """The least work that could still be lost, by what is there and by every copy."""
        return {d: self._least(states) for d, states in self._ways().items()}

    def _ways(self) -> dict[str, list[tuple[str, float]]]:
        """Each state that is there or that a copy would give back, by dataset."""
        ways = {}
        ahead = self._ahead()
        for dataset in self.datasets:
            ways[dataset] = self._there(dataset)
            for key, back in self._backs(ahead, dataset).items():
                if isinstance(back, Back):
                    ways[dataset].append((f"of {self.lab.index.jobs[key].name}", back.until))
            # What is whole on a box that stands still needs no copy.
            box = self.lab.boxes[self.lab.index.pools[self.lab.index.datasets[dataset].pool].host]
            if not box.lost and not self.victims[dataset] and self._whole(box, dataset):
                ways[dataset].append((f"whole on {box.name}, which stands still", self.moment))
        return ways

    def _backs(self, ahead: Lab, dataset: str) -> dict[str, Back | str]:
        """What each copy of a dataset would give back."""
        return {
            job.id: brought_back(ahead, job, dataset, self.moment, self.victims[dataset])
            for job in ahead.plan.jobs
            if dataset in job.datasets and KINDS[job.kind].copies
        }

    def _ahead(self) -> Lab:
        """The lab with all that broke replaced and opened, to see what copies are worth."""
        ahead = self.lab.clone(self.lab.folder)
        for host, box in ahead.boxes.items():
            if box.lost or not box.up:
                if box.lost:
                    ahead.rebuilt(host)
                box.up = True
            for store in box.stores.values():
                store.locked = False
                if ahead.health(store.pool) == "LOST":
                    ahead.remade(box, store)
        return ahead

    def _whole(self, box: Box, dataset: str) -> bool:
        try:
            data = self.lab.data_of(dataset)
        except StopIteration:
            return False
        return box.alive_pool(data) and sound(data.files)

    def _left(self) -> list[str]:
        left = []
        for dataset in self.datasets:
            if not self._there(dataset):
                left.append(f"{self.lab.index.datasets[dataset].name} is not back")
        why = self.drill.mended(self.lab, self.target)
        return [*left, *([why] if why else [])]

    # -- what can be done ------------------------------------------------------------------------

    def _deeds(self) -> list[tuple[str, str]]:
        """What hands can do now: the line, and what it means."""
        lab, deeds = self.lab, []
        for key, box in lab.boxes.items():
            if not box.stores:
                continue
            if box.lost:
                deeds.append(
                    (f"renew {key}", f"a new {box.name} with new disks, set up by the runbook")
                )
                continue
            if not box.up:
                deeds.append((f"start {key}", f"install or start {box.name}, and look"))
            for store in box.stores.values():
                if store.locked:
                    deeds.append(
                        (
                            f"unlock {store.name}",
                            f"fetch the passphrase of {store.name} and type it",
                        )
                    )
                if lab.health(store.pool) == "LOST" and box.up:
                    deeds.append(
                        (
                            f"remake {store.name}",
                            f"new disks for {store.name}, made anew: what was on it is gone",
                        )
                    )
                deeds += self._disks(box, store)
        away = {b.host.site for b in lab.boxes.values() if b.stores}
        if self.drill.quiet:
            for word, (says, _) in self.drill.quiet.tries.items():
                deeds += [
                    (f"{word} {key}", says.format(box.name))
                    for key, box in lab.boxes.items()
                    if box.stores and box.up and not box.lost
                ]
        if len(away) > 1 and not lab.carried:
            deeds.append(("carry", "bring the boxes side by side, where no line reaches"))
        for job in lab.plan.jobs:
            if job.id in lab.kept:
                for dataset in job.datasets:
                    if dataset in self.datasets:
                        name = lab.index.datasets[dataset].name
                        deeds.append(
                            (
                                f"restore {job.id} {dataset}",
                                f"{name} from {job.name}, by its own tool",
                            )
                        )
        return deeds

    def _disks(self, box: Box, store: Store) -> list[tuple[str, str]]:
        lab, rows = self.lab, []
        drives = [lab.drives[d] for d in store.pool.disks]
        errs = any(d.frayed or d.garbled for d in drives)
        if lab.health(store.pool) == "ONLINE" and not errs and not any(d.slow for d in drives):
            return []
        for disk in store.pool.disks:
            drive = lab.drives[disk]
            if drive.host == box.host.id:
                where = drive.disk.bay or "its place"
                label = drive.disk.label
                rows.append(
                    (
                        f"pull {disk}",
                        f"pull {label}, bay {where}, serial {drive.disk.serial or 'unknown'}",
                    )
                )
                if errs or not drive.alive:
                    rows.append((f"reseat {disk}", f"plug the cable of {label} in again, and look"))
        for drive in lab.drives.values():
            if drive.site and drive.alive:
                rows.append(
                    (
                        f"fit {drive.disk.id} {box.host.id}",
                        f"fit {drive.disk.label} from the shelf into {box.name}",
                    )
                )
        rows.append((f"buy {store.name}", f"buy a disk for {store.name} and fit it"))
        return rows

    def _do(self, step: DrillStep) -> Said:
        if step.at != HANDS:
            return self._typed(step)
        words = step.line.split()
        tries = self.drill.quiet.tries if self.drill.quiet else {}
        if len(words) == 2 and words[0] in tries and words[1] in self.lab.boxes:
            return self._try(tries[words[0]][1], self.lab.boxes[words[1]])
        hand = HANDS_DO.get(words[0] if words else "")
        if hand is None or len(words) - 1 != hand[0]:
            return failed(f"hands cannot do that: {step.line}")
        return hand[1](self, *words[1:])

    def _no_console(self, host: str) -> Said | None:
        box = self.lab.boxes.get(host)
        if box is None or not box.up or box.lost:
            return failed(f"{host}: there is no console: the box does not run")
        if box.host.closed:
            return failed(
                f"{box.name}: there is no console: it has a page of its own, or somebody at it"
            )
        return None

    def _run(self, host: str, words: list[str], stdin: bytes) -> Said:
        """One program of a box."""
        if nobody := self._no_console(host):
            return nobody
        box = self.lab.boxes[host]
        if words[0] == "lab-job":
            return self._lab_job(box, words[1:])
        try:
            said = box.command(words, stdin)
        except FileNotFoundError:
            return failed(f"sh: 1: {words[0]}: not found", 127)
        self._mark_back()
        return said

    def _typed(self, step: DrillStep) -> Said:
        if nobody := self._no_console(step.at):
            return nobody
        box = self.lab.boxes[step.at]
        if FORBIDDEN & set(step.line):
            return failed("this console is no shell: one command, or some with | between them")
        try:
            words = shlex.split(step.line)
        except ValueError as error:
            return failed(f"sh: 1: Syntax error: {error}", 2)
        if not words:
            return Said()
        if words[0].rpartition("/")[2] == "lab-job":
            return self._lab_job(box, words[1:])
        said = piped(box, step.line)
        self._mark_back()
        return said

    def _lab_job(self, box: Box, words: list[str]) -> Said:
        hands = self.days.hands.get(box.host.id)
        if hands is None:
            return failed("sh: 1: lab-job: not found", 127)
        ended = Hands(box, json.dumps(hands.jobs())).run(*words)
        return Said(ended.code, ended.out.encode(), ended.err)

    def _mark_back(self) -> None:
        """What somebody brought back is known by what it is of: the files in it say so."""
        notes = {d: self.victims[d] or self._notes(d) for d in self.datasets}
        copies = self._copies()
        for data in (d for box in self.lab.boxes.values() for d in box.datas.values()):
            if "back" in data.props or data.read_only or id(data) in copies:
                continue
            for dataset, of in notes.items():
                same = sum(n in data.files and data.files[n].mark == f.mark for n, f in of.items())
                if of and same * 2 > len(of):
                    data.props["back"] = dataset
                    break

    def _copies(self) -> set[int]:
        """Where jobs keep copies, by their identity: nobody works there."""
        jobs = (j for j in self.lab.plan.jobs if j.target_pool and KINDS[j.kind].copies)
        return {id(data) for job in jobs for data in self.lab.copies_of(job)}

    def _notes(self, dataset: str) -> dict[str, File]:
        work = self.lab.work_of(dataset)
        return work.first_notes()

    # -- what hands do ---------------------------------------------------------------------------

    def _try(self, what: Callable[[Box], Said], box: Box) -> Said:
        if not box.up or box.lost:
            return failed(f"{box.name} does not run")
        self.lab.seconds += TRIED_SECONDS
        return what(box)

    def _hours(self, key: str) -> None:
        self.charged.append(key)
        self.lab.seconds += self.lab.index.assumptions[key] * 3600

    def _renew(self, box: str) -> Said:
        if box not in self.lab.boxes or not self.lab.boxes[box].lost:
            return failed("that box is not lost")
        self._hours("order_box_hours")
        self.lab.rebuilt(box)
        return lines(f"{self.lab.boxes[box].name} stands again, with empty pools.")

    def _start(self, box: str) -> Said:
        here = self.lab.boxes.get(box)
        if here is None or here.lost or here.up:
            return failed("that box cannot be started")
        if self.drill.hazard == "boot_lost":
            self._hours("order_disk_hours")
            self._hours("reinstall_hours")
        here.up = True
        self.lab.restarted(here)
        locked = [s.name for s in here.stores.values() if s.locked]
        return lines(f"{here.name} runs." + (f" Locked: {', '.join(locked)}." if locked else ""))

    def _unlock(self, name: str) -> Said:
        store = self._store(name)
        if store is None or not store[1].locked:
            return failed("nothing to unlock")
        self._hours("unlock_hours")
        store[1].locked = False
        return lines(f"{name} is open.")

    def _store(self, name: str) -> tuple[Box, Store] | None:
        return next(
            ((b, s) for b in self.lab.boxes.values() for s in b.stores.values() if s.name == name),
            None,
        )

    def _remake(self, name: str) -> Said:
        store = self._store(name)
        if store is None or not store[0].up:
            return failed("there is no such pool on a box that runs")
        self._hours("order_disk_hours")
        self.lab.remade(*store)
        return lines(f"{name} is made anew, and empty.")

    def _pull(self, disk: str) -> Said:
        drive = self.lab.drives.get(disk)
        if drive is None or drive.host is None:
            return failed("that disk is not in a box")
        self._hours("fit_disk_hours")
        drive.frayed, drive.garbled = False, 0
        pools = [
            s for b in self.lab.boxes.values() for s in b.stores.values() if disk in s.pool.disks
        ]
        before = {s.name: self.lab.health(s.pool) for s in pools}
        was_alive, drive.host = drive.alive or drive.loose, None
        self.lab.changed()
        apart.struck(self.lab)
        lost = [
            s.name for s in pools if self.lab.health(s.pool) == "LOST" and before[s.name] != "LOST"
        ]
        if lost:
            return failed(
                f"{drive.disk.label} was whole, and {lost[0]} needed it: the pool is gone. "
                "Read the serial aloud before you pull."
            )
        return lines(
            f"{drive.disk.label} is out."
            + (
                " It was the slow one."
                if drive.slow
                else " It was whole."
                if was_alive
                else " It was the dead one."
            )
        )

    def _reseat(self, disk: str) -> Said:
        drive = self.lab.drives.get(disk)
        if drive is None or drive.host is None:
            return failed("that disk is not in a box")
        self._hours("fit_disk_hours")
        if drive.frayed:
            drive.frayed = False
            return lines(
                f"The plug of {drive.disk.label} sat askew; it is in firmly now. Clear the counters, and let a "
                "scrub read all of it: then you know."
            )
        if not drive.loose:
            return failed(f"{drive.disk.label} is not seen as before: it is not the cable.")
        drive.loose, drive.alive = False, True
        self.lab.changed()
        apart.returned(self.lab, disk)
        return lines(
            f"{drive.disk.label} is seen again, and takes in what it missed. Look at the pool, and let a "
            "scrub read it all."
        )

    def _fit(self, disk: str, box: str) -> Said:
        drive = self.lab.drives.get(disk)
        if drive is None or drive.site is None or box not in self.lab.boxes:
            return failed("that disk is on no shelf")
        self._hours("fit_disk_hours")
        drive.host, drive.site = box, None
        self.lab.changed()
        return lines(
            f"{drive.disk.label}, serial {drive.disk.serial or 'unknown'}, is in {self.lab.boxes[box].name}."
        )

    def _buy(self, name: str) -> Said:
        bought = self._store(name)
        if bought is None:
            return failed("there is no such pool")
        box, store = bought
        dead = [
            d
            for d in store.pool.disks
            if not self.lab.drives[d].alive
            or self.lab.drives[d].host != box.host.id
            or self.lab.drives[d].slow
            or self.lab.drives[d].frayed
        ]
        if not dead:
            return failed("no disk of it is missing")
        self._hours("order_disk_hours")
        self._hours("fit_disk_hours")
        new = self.lab.bought(dead[0], box)
        return lines(f"A new disk, serial {new.disk.serial}, is in {box.name}.")

    def _carry(self) -> Said:
        self._hours("travel_hours")
        self.lab.carried = True
        return lines("The boxes stand side by side on one LAN.")

    def _restore(self, job: str, dataset: str) -> Said:
        lab = self.lab
        if job not in lab.kept or dataset not in lab.index.datasets:
            return failed("there is no such copy")
        self._hours("prepare_restore_hours")
        back = brought_back(
            lab, lab.index.jobs[job], dataset, self.moment, self.victims.get(dataset, {})
        )
        if not isinstance(back, Back):
            return failed(back)
        box = lab.boxes[lab.index.pools[lab.index.datasets[dataset].pool].host]
        if not box.up or box.lost:
            return failed(f"{box.name} does not run: nothing to restore to")
        name = f"{next(iter(box.stores))}/{dataset}-restored"
        root = next(s for s in box.stores.values() if s.pool.id == lab.index.datasets[dataset].pool)
        name = f"{root.name}/{dataset}-restored"
        made = Data(name, f"{root.at}/{dataset}-restored", root.room, props={"back": dataset})
        made.share(lab.state_at(job, dataset, back.until))
        box.datas[name] = made
        return lines(
            f"{lab.index.datasets[dataset].name} is back in {made.at}, as of {lab.local(back.until)}."
        )


Hand = tuple[int, Callable[..., Said]]
HANDS_DO: dict[str, Hand] = {
    "renew": (1, Play._renew),
    "start": (1, Play._start),
    "unlock": (1, Play._unlock),
    "remake": (1, Play._remake),
    "pull": (1, Play._pull),
    "reseat": (1, Play._reseat),
    "fit": (2, Play._fit),
    "buy": (1, Play._buy),
    "carry": (0, Play._carry),
    "restore": (2, Play._restore),
}


def _named(drive: Drive) -> str:
    disk = drive.disk
    return f"{disk.label} (bay {disk.bay}, serial {disk.serial or 'unknown'})"


def _taken(before: dict[str, File], lab: Lab, dataset: str) -> dict[str, File]:
    """Versions that the deed took."""
    box = lab.boxes[lab.index.pools[lab.index.datasets[dataset].pool].host]
    try:
        data = lab.data_of(dataset)
    except StopIteration:
        return before
    files = data.files if not box.lost and box.alive_pool(data) else {}
    return {n: f for n, f in before.items() if n != CLOCK and files.get(n) is not f}


def _until(files: dict[str, File], moment: float, victims: dict[str, File]) -> float | None:
    until = worked_until(files)
    if until is None or not sound(files):
        return None
    if until >= moment:
        here = {f.mark for f in files.values()}
        return until if all(v.mark in here for v in victims.values()) else None
    return until


def _less(now: float | None, before: float | None) -> bool:
    """Whether more is lost than before."""
    if before is None:
        return False
    return now is None or now > before + 60


def verdict(played: Played) -> str:
    """How a drill ended, in a sentence."""
    if played.left:
        return f"not over: {'; '.join(played.left)}"
    worst = max((o.lost_seconds or 0.0 for o in played.outcomes), default=0.0)
    best = max((o.best_seconds or 0.0 for o in played.outcomes), default=0.0)
    said = f"over after {span_words(played.hours * 3600)}, {span_words(worst)} of work lost"
    return said + (
        f", {span_words(best)} could not be helped"
        if best < worst - 60
        else ", and no more could be had"
    )
