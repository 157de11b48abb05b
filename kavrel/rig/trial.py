"""The proof tried: each hazard is done to the rig, what comes back is compared with what the cell promised.

At moments just before something arrives, when most work is lost, and for what is noticed late also days
after it. Never kinder than what happens: a cell that promises more than came back is wrong.
"""

import shutil
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

from kavrel.core.evaluate import evaluate
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Job, Pool, Schedule
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.parts import has_tier
from kavrel.core.proof.cell import Cell
from kavrel.core.quantities import DAY, span_words
from kavrel.core.schedule import starts
from kavrel.core.shares.names import job_names
from kavrel.rig import apart
from kavrel.rig.days import Days
from kavrel.rig.deeds import DEEDS, Deed, crossing, struck, targets
from kavrel.rig.files import CLOCK, File, sound
from kavrel.rig.lab import Lab
from kavrel.rig.restoring import Back, brought_back

NEAR = 180.0  # seconds by which work lost may be over what was promised: runs begin on the minute
FOLLOWS = 900.0  # the same of what looks every ten minutes whether its time has come
STANDS = frozenset({"runs_on", "down", "exposed"})
GONE = frozenset({"lost", "fetch_again"})
# What is not done to a cell: it is about what people know, or strikes no pool of its kind.
NOT_DONE = {
    "never_tried": "nobody can try what it means that nobody tried",
    "controller_dies": "no card makes its pool",
}


@dataclass
class Tried:
    """What happened to one cell at all the moments that were tried."""

    dataset: str
    hazard: str
    stood: int = 0
    back: list[tuple[float, Back]] = field(default_factory=list)  # seconds of work lost
    never: list[str] = field(default_factory=list)
    took: list[float] = field(default_factory=list)  # seconds of work that are lost without a copy
    copies: dict[str, list[float | str]] = field(
        default_factory=dict
    )  # by job: work lost, or why not

    @property
    def tries(self) -> int:
        """Moments."""
        return self.stood + len(self.back) + len(self.never)

    @property
    def worst(self) -> tuple[float, Back] | None:
        """The most work that was lost."""
        return max(self.back, key=lambda b: b[0], default=None)


@dataclass(frozen=True)
class Compared:
    """One cell: what was promised, what happened, and why that is not the same where it is not."""

    dataset: str
    hazard: str
    predicted: str
    happened: str
    agrees: bool
    reason: str = ""


class Trial:
    """Does hazards to a lab that has lived for a while."""

    def __init__(self, days: Days, folder: Path, late_moments: int = 2) -> None:
        self.days, self.lab, self.folder = days, days.lab, folder
        self.late_moments = late_moments
        self.tried: dict[tuple[str, str], Tried] = {}

    def moments(self, span_days: float, most: int) -> list[float]:
        """Moments of the coming days just before something arrives, those after the longest waits."""
        lab = self.lab
        probe = lab.clone(self.folder / "probe")
        days = self.days.copied_to(probe)
        days.until(lab.now + span_days * DAY)
        shutil.rmtree(probe.folder, ignore_errors=True)
        names = {v: k for k, v in job_names(lab.plan).items()}
        by_job: dict[str, list[float]] = {p.id: list(self._nightly(p)) for p in lab.plan.pools}
        for at, name in days.arrived:
            if lab.now < at - 1 < lab.now + span_days * DAY:
                by_job.setdefault(names.get(name, name), []).append(at - 1)
        first = datetime.fromtimestamp(lab.now + DAY, lab.zone).date()
        for job in lab.plan.jobs:
            if KINDS[job.kind].in_place and KINDS[job.kind].copies:
                begins = starts(job.schedule, lab.plan.zone, first, first)
                by_job[job.id] = [t - 1 for t in begins]
        chosen: set[float] = set()
        for some in by_job.values():
            gaps = sorted(zip(some, [lab.now, *some], strict=False), key=lambda g: g[1] - g[0])
            chosen |= {at for at, _ in gaps[:2]}
        # Where nothing comes for so long, one moment is as good as any other.
        kept = sorted(chosen or {lab.now + span_days * DAY})
        step = max(1, len(kept) // most)
        return kept[::step] if len(kept) > most else kept

    def _nightly(self, pool: Pool) -> Iterator[float]:
        """Just before the next parity, or run of the mover, of a pool that has them."""
        lab, hours = self.lab, [FAMILIES[pool.family].parity_at]
        hours += [pool.mover_at] if has_tier(pool) else []
        day = datetime.fromtimestamp(lab.now + DAY, lab.zone).date()
        for at in hours if pool.standing else ():
            if at:
                yield from (
                    t - 1 for t in starts(Schedule(kind="daily", at=at), lab.plan.zone, day, day)
                )

    def at(self, moment: float, late: bool) -> None:
        """Tries every hazard at one moment of the lab's life; with `late` also those noticed later."""
        self.days.until(moment)
        cut = self.lab.clone(self.lab.folder)
        for deed in DEEDS:
            if deed.late and not late:
                continue
            for target in targets(cut, deed):
                self._do(cut, deed, target, moment)
        if late:
            self._silent(cut)

    def _silent(self, cut: Lab) -> None:
        """Copies to other sites stop, and nothing else says so than what was set up to say it.

        How old each is shows when the mail about it comes, or when somebody looks in the end.
        """
        lab = cut.clone(self.folder / "late")
        days = self.days.copied_to(lab)
        waiting = {n: j for n, j in crossing(lab).items() if lab.book.ages(j) is not None}
        for box in lab.boxes.values():
            box.disabled |= set(waiting)
        for one in lab.plan.datasets:
            key = one.id, "offsite_silent"
            self.tried.setdefault(key, Tried(*key)).stood += 1  # people work on
        began, names = lab.now, job_names(lab.plan)
        heard = len(lab.mail)
        while waiting:
            days.until(lab.now + DAY)
            over = lab.now - began >= lab.index.assumptions["silence_days"] * DAY
            for name, job in list(waiting.items()):
                fed_by = {name, *(names[j.id] for j in upstream(lab, job))}
                told_at = next(
                    (m.at for m in lab.mail[heard:] if any(f"{n}: " in m.text for n in fed_by)),
                    None,
                )
                if told_at is None and not over:
                    continue
                del waiting[name]
                when = lab.now if told_at is None else told_at
                for dataset in job.datasets:
                    told = self.tried[dataset, "offsite_silent"]
                    back = brought_back(lab, job, dataset, lab.now, {})
                    lost = when - back.until if isinstance(back, Back) else back
                    told.copies.setdefault(job.id, []).append(lost)
        shutil.rmtree(lab.folder, ignore_errors=True)

    def _do(self, cut: Lab, deed: Deed, target: str, moment: float) -> None:
        datasets = struck(cut, deed, target)
        days_late = cut.index.assumptions[deed.late] if deed.late else 0.0
        lab = cut.clone(self.folder / "late" if days_late else cut.folder)
        if not days_late:
            lab.break_off(moment)  # what is on its way at that moment does not arrive
        before = {d: _arrived(lab, d, moment) for d in datasets}
        deed.do(lab, target)
        if deed.ends:
            deed.ends(lab, target)
        after = {d: lab.data_of(d).files if self._there(lab, d) else {} for d in datasets}
        victims = {d: _victims(before[d], after[d]) for d in datasets}
        # What harmed nothing and cut no line goes on as it would have without it.
        if days_late and (any(victims.values()) or lab.cut):
            days = self.days.copied_to(lab)
            days.until(moment + days_late * DAY)
            lab.break_off(lab.now)
        stands = {d for d in datasets if self._works(lab, d, victims[d])}
        took = {
            d: self._newer_than(lab, d, victims[d], moment)
            for d in datasets
            if deed.ends and d not in stands and self._there(lab, d)
        }
        self._replace(lab)
        for dataset in datasets:
            told = self.tried.setdefault((dataset, deed.hazard), Tried(dataset, deed.hazard))
            # Where nothing is damaged it is today's work that a copy lacks.
            when = moment if victims[dataset] or dataset not in stands else lab.now
            copied = self._copies(lab, dataset, when, victims[dataset])
            if dataset in stands:
                told.stood += 1
            if dataset in stands and days_late and any(victims.values()):
                continue  # what is damaged elsewhere is sent on, all of it: copies of the rest come late
            for job, back in copied.items():
                lost = when - back.until if isinstance(back, Back) else back
                told.copies.setdefault(job, []).append(lost)
            if dataset in stands:
                continue
            told.took += [took[dataset]] if dataset in took else []
            backs = [b for b in copied.values() if isinstance(b, Back)]
            if backs:
                best = max(backs, key=lambda b: b.until)
                told.back.append((moment - best.until, best))
            else:
                whys = (f"{lab.index.jobs[j].name}: {b}" for j, b in copied.items())
                told.never.append("; ".join(whys) or "it has no copy")
        if days_late:
            shutil.rmtree(lab.folder, ignore_errors=True)

    @staticmethod
    def _there(lab: Lab, dataset: str) -> bool:
        box = lab.boxes[lab.index.pools[lab.index.datasets[dataset].pool].host]
        return not box.lost and box.alive_pool(lab.data_of(dataset))

    def _works(self, lab: Lab, dataset: str, victims: dict[str, File]) -> bool:
        """Whether people can go on with all that they had, without any copy."""
        box = lab.boxes[lab.index.pools[lab.index.datasets[dataset].pool].host]
        if box.lost or not box.up or not self._there(lab, dataset):
            return False
        if dataset in lab.index.landing:
            return not victims  # what copies carried there since is theirs to answer for
        return not victims and sound(lab.data_of(dataset).files)

    @staticmethod
    def _newer_than(lab: Lab, dataset: str, victims: dict[str, File], moment: float) -> float:
        """How old the work is that is lost where nothing is fetched: what was in danger by the plan's words."""
        data = lab.data_of(dataset)
        box = lab.boxes[lab.index.pools[lab.index.datasets[dataset].pool].host]
        store = box.stores[data.name.partition("/")[0]]
        oldest = moment
        for name, file in victims.items():
            since = apart.safe_since(store, (data.name, name), file)
            oldest = min(oldest, since if since is not None else file.mtime)
        return moment - oldest

    @staticmethod
    def _replace(lab: Lab) -> None:
        """New boxes and new disks for what broke, as the sheet begins."""
        for host, box in lab.boxes.items():
            if box.lost:
                lab.rebuilt(host)
            for store in box.stores.values():
                if lab.health(store.pool) == "LOST":
                    lab.remade(box, store)

    @staticmethod
    def _copies(
        lab: Lab, dataset: str, moment: float, victims: dict[str, File]
    ) -> dict[str, Back | str]:
        """What each copy of a dataset gives back."""
        return {
            job.id: brought_back(lab, job, dataset, moment, victims)
            for job in lab.plan.jobs
            if dataset in job.datasets and KINDS[job.kind].copies
        }

    def compared(self) -> Iterator[Compared]:
        """Each cell of the proof against what happened."""
        lab = self.lab
        day = datetime.fromtimestamp(lab.now, lab.zone).date()
        for cell in evaluate(lab.plan, day).proof:
            if not lab.index.pools[lab.index.datasets[cell.dataset].pool].standing:
                continue
            told = self.tried.get((cell.dataset, cell.hazard))
            if told is None or not told.tries:
                reason = NOT_DONE.get(cell.hazard, "not tried")
                yield Compared(cell.dataset, cell.hazard, promised(cell), "not tried", True, reason)
                continue
            agrees, reason = judged(lab, cell, told)
            wrong = copies_judged(lab, cell, told)
            if wrong:
                agrees, reason = False, wrong
            yield Compared(
                cell.dataset, cell.hazard, promised(cell), happened(told), agrees, reason
            )


def _arrived(lab: Lab, dataset: str, moment: float) -> dict[str, File]:
    """What is whole in a dataset: of what a run is writing into it at that moment nobody can say so."""
    data = lab.data_of(dataset)
    files = dict(data.files)
    for run in lab.going:
        for one in run.written:
            if one.data is data and one.ends > moment:
                same = one.before.files
                files = {n: f for n, f in files.items() if same.get(n) is f}
    return files


def _victims(before: dict[str, File], after: dict[str, File]) -> dict[str, File]:
    """Versions that the damage took: of what was there before."""
    return {n: f for n, f in before.items() if n != CLOCK and after.get(n) is not f}


def upstream(lab: Lab, job: Job) -> Iterator[Job]:
    """The jobs that a job reads from or follows, and those that they do."""
    for before in (job.reads_from, job.after):
        if before:
            yield lab.index.jobs[before]
            yield from upstream(lab, lab.index.jobs[before])


def promised(cell: Cell) -> str:
    """What a cell says, in a few words."""
    words = cell.fate.replace("_", " ")
    if cell.fate == "restored" and cell.rpo_seconds is not None:
        words += f" from {cell.copy_job}, at most {span_words(cell.rpo_seconds)} lost"
    if cell.fate in GONE and cell.never_share < 1:
        words += f" in {cell.never_share:.0%} of the moments"
    return words


def happened(told: Tried) -> str:
    """What came of it, at the worst of the moments."""
    words = []
    if told.stood:
        words.append(f"stood {told.stood} times")
    if told.worst:
        lost, back = told.worst
        words.append(
            f"back {len(told.back)} times, at worst {span_words(lost)} lost, from {back.job}"
        )
    if told.never:
        words.append(f"not back {len(told.never)} times")
    return ", ".join(words)


def judged(lab: Lab, cell: Cell, told: Tried) -> tuple[bool, str]:
    """Whether a cell holds at every moment that was tried; else, or where it is too dark, why."""
    if cell.fate in STANDS:
        if told.stood == told.tries:
            return True, ""
        if cell.fate == "exposed" and told.took and cell.rpo_seconds:
            lost = max(told.took)
            said = f"{span_words(lost)} of work were lost with a disk"
            return lost <= cell.rpo_seconds + NEAR, said
        return False, told.never[0] if told.never else "it had to be brought back"
    if cell.fate in GONE:
        came = len(told.back) + told.stood
        if not came or cell.never_share < 1:
            return True, ""
        return True, f"better than told: {told.back[0][1].said if told.back else 'it stood'}"
    if told.never:
        return False, told.never[0]
    if told.worst is None:
        return True, "better than told: it stood"
    lost, back = told.worst
    near = FOLLOWS if lab.index.jobs[back.job].after else NEAR
    if lost > (cell.rpo_seconds or 0.0) + near:
        return False, f"{span_words(lost)} lost, from {back.job}: {back.said}"
    return True, ""


def copies_judged(lab: Lab, cell: Cell, told: Tried) -> str:
    """Which copy gave back less than the cell says of it; empty where none did."""
    for verdict in cell.copies:
        ages = told.copies.get(verdict.job, [])
        if not verdict.usable or verdict.loses_seconds is None:
            continue
        job = lab.index.jobs[verdict.job]
        near = FOLLOWS if job.after or job.reads_from else NEAR
        for one in ages:
            if isinstance(one, str):
                return f"{job.name} is said to be usable: {one}"
            if one > verdict.loses_seconds + near:
                at_most = span_words(verdict.loses_seconds)
                return f"{job.name} lost {span_words(one)}, said to be {at_most} at most"
    return ""
