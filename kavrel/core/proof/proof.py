"""The proof: for each dataset and hazard what is left, how much work is lost, how long it takes.

Nothing here is typed in: fates follow from layouts, copies, schedules, retention, access and
the way that bytes have to travel back.
"""

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Literal, NamedTuple

from kavrel.core.copies.book import Copy, CopyBook
from kavrel.core.copies.retention import FOREVER, Ages
from kavrel.core.copies.space import crowded_out, crowded_quota
from kavrel.core.index import Index
from kavrel.core.made import made
from kavrel.core.plan import Dataset
from kavrel.core.proof.accepted import basis, signatures, signed
from kavrel.core.proof.cell import Cell, CopyVerdict, Fate, StepView
from kavrel.core.proof.hazards import HAZARDS, hazards_of
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Step, Strike
from kavrel.core.proof.restores import WORTH_ORDER, WayBack, together, way_back
from kavrel.core.proof.today import Standing
from kavrel.core.quantities import DAY, sizes_apart
from kavrel.core.shares.access import Access
from kavrel.core.working import Working, step


class Judged(NamedTuple):
    """A copy under a hazard: what is lost if it is used; None where it cannot be.

    `luck`: what is lost at the moments at which it can be used, where at others it cannot.
    """

    copy: Copy
    loses: Ages | None
    why: str
    stale: bool
    luck: Ages | None = None


class Chosen(NamedTuple):
    """The copy that is used, and the way back from it."""

    dataset: Dataset
    strike: Strike
    judged: list[Judged]
    best: Judged
    way: WayBack


@dataclass(frozen=True)
class Common:
    """What is the same in every proof of one plan, of once all runs and of today.

    `strikes` by hazard and dataset; `ways` back by dataset, copy, share of the data, closed links.
    """

    strikes: dict[str, dict[str, Strike]] = field(default_factory=dict)
    ways: dict[tuple[str, int, float, bool], WayBack] = field(default_factory=dict)


def prove(
    index: Index,
    book: CopyBook,
    matrix: Sequence[Access],
    hazards: Sequence[Hazard] | None = None,
    now: Mapping[str, Standing] | None = None,
    common: Common | None = None,
    of: Collection[str] | None = None,
) -> list[Cell]:
    """All cells, datasets in plan order, hazards in the order given.

    As they are once all runs; with `now`, as the copies stand today. `common` keeps what does not
    hang on that, for whoever proves the same plan again. `of`: datasets that are asked for; others
    come only where they share a way back.
    """
    scene = Scene(index, book, tuple(matrix), now or {})
    common = common or Common()
    strikes = common.strikes
    cells: list[Cell] = []
    maker = _Cells(scene)
    judge = _Judge(scene, common)
    for hazard in hazards_of(index) if hazards is None else hazards:
        if hazard.id not in strikes:
            strikes[hazard.id] = {d.id: hazard.strike(scene, d) for d in index.plan.datasets}
        maker.hazard = hazard.id
        cells += _prove_hazard(scene, maker, judge, strikes[hazard.id], of)
    order = {d.id: n for n, d in enumerate(index.plan.datasets)}
    return sorted(cells, key=lambda c: order[c.dataset])


def common_strikes(
    index: Index, book: CopyBook, matrix: Sequence[Access], common: Common
) -> dict[str, dict[str, Strike]]:
    """What each hazard does to each dataset, kept for the proofs of one plan."""
    scene = Scene(index, book, tuple(matrix))
    for hazard in hazards_of(index):
        common.strikes[hazard.id] = {d.id: hazard.strike(scene, d) for d in index.plan.datasets}
    return common.strikes


def prove_found(
    index: Index,
    book: CopyBook,
    matrix: Sequence[Access],
    settled: Sequence[Cell],
    now: Mapping[str, Standing],
) -> list[Cell]:
    """The cells that are other by the points that exist than by those that are planned."""
    return prove_today(index, book, matrix, settled, now, Common())


def prove_today(
    index: Index,
    book: CopyBook,
    matrix: Sequence[Access],
    settled: Sequence[Cell],
    now: Mapping[str, Standing],
    common: Common,
) -> list[Cell]:
    """The cells that are not today what they are once all runs."""
    strikes = common.strikes or common_strikes(index, book, matrix, common)
    waiting = {d for job in now for d in index.jobs[job].datasets}
    before = {(c.dataset, c.hazard): c for c in settled}

    def matters(hazard: str, dataset: str) -> bool:
        """A copy is today no more than it will be: it changes nothing where it is not the one that counts."""
        strike, cell = strikes[hazard][dataset], before[dataset, hazard]
        if strike.state in ("gone", "spoiled"):
            return (cell.copy_job or cell.otherwise_job) in now
        return strike.strips

    def said(cell: Cell) -> tuple[object, ...]:
        return cell.fate, cell.rpo_seconds, cell.rto_seconds, cell.otherwise_rpo_seconds

    concerned = [h for h in hazards_of(index) if any(matters(h.id, d) for d in waiting)]
    cells = prove(index, book, matrix, concerned, now, common, waiting)
    return [c for c in cells if said(before[c.dataset, c.hazard]) != said(c)]


def _prove_hazard(
    scene: Scene,
    maker: "_Cells",
    judge: "_Judge",
    strikes: dict[str, Strike],
    of: Collection[str] | None,
) -> list[Cell]:
    """One hazard over all datasets: those that one event takes come back together."""
    cells: list[Cell] = []
    events: dict[str, list[Chosen]] = defaultdict(list)
    for dataset in scene.index.plan.datasets:
        strike = strikes[dataset.id]
        asked = of is None or dataset.id in of
        if not asked and strike.state in ("stands", "down"):
            continue
        judged = [judge.judged(strike, c) for c in scene.book.copies[dataset.id]]
        if strike.state in ("stands", "down"):
            cells.append(maker.standing(dataset, strike, judged))
            continue
        best = judge.best(dataset, strike, judged)
        if best is None:
            if asked:
                cells.append(maker.without_copy(dataset, strike, judged))
        else:
            events[strike.event].append(Chosen(dataset, strike, judged, *best))
    for taken in events.values():
        cells += maker.restored(taken)
    return cells


class _Judge:
    """Says what copies are worth under one hazard after the other.

    Most hazards leave most copies as they are: what is said of those is said once.
    """

    def __init__(self, scene: Scene, common: Common) -> None:
        self.scene, self.common = scene, common
        self.left: dict[tuple[int, float | None], Judged] = {}

    def judged(self, strike: Strike, copy: Copy) -> Judged:
        """A copy under a hazard."""
        reason = strike.lost_copy(copy)
        if reason:
            return Judged(copy, None, reason, False)
        key = (id(copy), strike.seen_after_days)
        left = self.left.get(key)
        if left is None:
            left = self.left[key] = self._left(copy, strike.seen_after_days)
        stale = left.loses and strike.silent_days and strike.stale_copy(copy)
        if stale and left.loses:
            fresh = self._newest(copy, strike.seen_after_days)
            return Judged(
                copy, (fresh or left.loses).older(strike.silence(copy) * DAY), stale, True
            )
        return left

    def _newest(self, copy: Copy, late: float | None) -> Ages | None:
        book = self.scene.book
        return book.ages(copy.job) if late is None else book.losses(copy.job, late)

    def _left(self, copy: Copy, late: float | None) -> Judged:
        """A copy that the hazard itself leaves alone; `late` are the days until it is noticed."""
        scene = self.scene
        room = scene.book.room_for(copy.job)
        if room and room[0] > room[1]:
            size, there = sizes_apart(*room)
            where = copy.place.name(scene.index)
            why = f"{size} do not go into the {there} of {where}: half a copy is none"
            return Judged(copy, None, why, False)
        if scene.book.ages(copy.job) is None:
            return Judged(copy, None, "no run of it ever completes", False)
        crowd = crowded_out(scene.book, copy.job)
        if crowd:
            size, there = sizes_apart(*crowd)
            where = copy.place.name(scene.index)
            why = f"its runs end half-way: with all points {where} needs {size} and has {there}"
            return Judged(copy, None, why, False)
        quota = crowded_quota(scene.book, scene.index, copy.job)
        if quota:
            size, there = sizes_apart(*quota[1:])
            why = f"its runs end half-way: {size} do not go into the quota of {quota[0].name}, {there}"
            return Judged(copy, None, why, False)
        now = scene.now.get(copy.job.id)
        if now and not now.there(scene.book.as_of):
            return Judged(copy, None, f"not there yet: {now.why}", False)
        newest = self._newest(copy, late)
        if newest is None or newest.never == 1:
            return Judged(copy, None, f"keeps no point from before, {late:.0f} days later", False)
        if late is not None and now and now.since:
            damaged = scene.book.as_of - timedelta(days=late)
            if damaged < now.since:
                why = f"its first point is of {now.since}, from after the damage"
                return Judged(copy, None, now.since_why or why, False)
        if newest.never:
            why = f"keeps no point from before, {late:.0f} days later, in {share(newest.never)} of the moments"
            luck = newest.older(now.older_seconds) if now else newest
            return Judged(copy, None, why, False, luck)
        if now and now.older_seconds:
            return Judged(copy, newest.older(now.older_seconds), now.why, False)
        why = "its newest point" if late is None else "its newest point from before the damage"
        return Judged(copy, newest, why, False)

    def best(
        self, dataset: Dataset, strike: Strike, judged: list[Judged]
    ) -> tuple[Judged, WayBack] | None:
        """The usable copy that loses least work; among equals the one that is back soonest."""
        ages = []
        for one in judged:
            if one.loses is not None:
                way = self._way(dataset, strike, one.copy)
                if way.hours < FOREVER:
                    ages.append((one.loses.worst, way.hours, one.copy.job.id, one, way))
        if not ages:
            return None
        *_, one, way = min(ages, key=lambda f: f[:3])
        return one, way

    def _way(self, dataset: Dataset, strike: Strike, copy: Copy) -> WayBack:
        key = (dataset.id, id(copy), strike.share_of_data, strike.no_link)
        way = self.common.ways.get(key)
        if way is None:
            way = self.common.ways[key] = way_back(self.scene, dataset, strike, copy)
        return way


def share(part: float) -> str:
    """A share of moments in words, never rounded to nothing or to all."""
    if part < 0.01:
        return "less than 1 %"
    return f"{min(part, 0.99):.0%}"


class _Cells:
    """Makes the cells of one hazard after the other."""

    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        self.hazard = ""
        self.accepted = signatures(scene.index.plan.accepted)
        self.said: dict[int, tuple[Judged, CopyVerdict]] = {}
        self.told: dict[Step, StepView] = {}

    def _cell(
        self,
        dataset: Dataset,
        strike: Strike,
        judged: list[Judged],
        fate: Fate,
        loses: Ages | None,
        rto: float | None,
        steps: Sequence[Step] = (),
        copy_job: str | None = None,
        why: str = "",
    ) -> Cell:
        worst = loses.worst if loses else None
        never, otherwise = 0.0, None
        if fate in ("lost", "fetch_again"):
            otherwise = min(
                (j for j in judged if j.luck),
                key=lambda j: j.luck.never if j.luck else 1,
                default=None,
            )
            never = otherwise.luck.never if otherwise and otherwise.luck else 1.0
        # What nothing happens to is never signed, and needs no mark.
        signature = self.accepted.get((dataset.id, self.hazard))
        mark = ""
        if fate != "runs_on" or signature:
            mark = basis(
                fate, worst, rto, tuple([(j.copy.job.id, j.loses is not None) for j in judged])
            )
        return made(
            Cell,
            dataset=dataset.id,
            hazard=self.hazard,
            fate=fate,
            rpo_seconds=worst,
            rpo_mean_seconds=loses.mean if loses else None,
            rpo_best_seconds=loses.best if loses else None,
            rto_seconds=rto,
            copy_job=copy_job,
            never_share=never,
            otherwise_job=otherwise.copy.job.id if otherwise else None,
            otherwise_rpo_seconds=otherwise.luck.mean if otherwise and otherwise.luck else None,
            why=why or strike.why,
            dies=strike.dies,
            copies=tuple([self._verdict(j) for j in judged]),
            steps=tuple([self._step(s) for s in steps]),
            readable=strike.readable,
            basis=mark,
            signed=signed(signature, mark),
        )

    def _verdict(self, one: Judged) -> CopyVerdict:
        """Most hazards say the same of most copies: each saying is made once."""
        told = self.said.get(id(one))
        if told is None:
            verdict = made(
                CopyVerdict,
                job=one.copy.job.id,
                place=one.copy.place.name(self.scene.index),
                usable=one.loses is not None,
                loses_seconds=one.loses.worst if one.loses else None,
                why=one.why,
            )
            told = self.said[id(one)] = one, verdict
        return told[1]

    def _step(self, one: Step) -> StepView:
        view = self.told.get(one)
        if view is None:
            view = self.told[one] = made(
                StepView, text=one.text, hours=one.hours, assumption=one.assumption, phase=one.phase
            )
        return view

    def standing(self, dataset: Dataset, strike: Strike, judged: list[Judged]) -> Cell:
        """People work on, or wait for a repair; copies may be what is lost."""
        nothing = Ages(0.0, 0.0, 0.0)
        hours = sum(s.hours for s in strike.repair)
        back = hours * 3600 if strike.state == "down" else 0.0
        if strike.unmoved_days is not None:
            unmoved = strike.unmoved_days * DAY
            loses = Ages(unmoved, unmoved / 2, 0.0)
            steps = strike.repair if strike.state == "down" else ()
            return self._cell(dataset, strike, judged, "exposed", loses, back, steps)
        if strike.state == "down":
            return self._cell(dataset, strike, judged, "down", nothing, back, strike.repair)
        if not strike.strips:
            return self._cell(dataset, strike, judged, "runs_on", nothing, 0.0)
        off_pool = [j for j in judged if j.copy.place.pool != dataset.pool]
        hurt = [j for j in off_pool if j.stale or strike.lost_copy(j.copy)]
        whole = [j for j in off_pool if j.loses is not None and not j.stale]
        if not hurt:
            why = "none of its copies is concerned"
            return self._cell(dataset, strike, judged, "runs_on", nothing, 0.0, why=why)
        if whole:
            return self._cell(dataset, strike, judged, "runs_on", nothing, 0.0)
        stale = [j.loses for j in off_pool if j.loses is not None]
        why = f"{strike.why}, and no other copy is off the pool"
        fresh = min(stale, key=lambda a: a.worst) if stale else None
        return self._cell(dataset, strike, judged, "exposed", fresh, 0.0, why=why)

    def without_copy(self, dataset: Dataset, strike: Strike, judged: list[Judged]) -> Cell:
        """Nothing brings it back."""
        fate: Fate = "lost" if self.scene.index.lost_for_good(dataset) else "fetch_again"
        return self._cell(dataset, strike, judged, fate, None, None, strike.repair)

    def restored(self, taken: list[Chosen]) -> list[Cell]:
        """Datasets that come back together after one event, sharing the way."""
        moving = [c for c in taken if c.way.demand is not None]
        starts = [
            (sum(s.hours for s in c.strike.repair) + c.way.ready_hours) * 3600 for c in moving
        ]
        ends = together(starts, [c.way.demand for c in moving if c.way.demand])
        finish = {c.dataset.id: end for c, end in zip(moving, ends, strict=True)}
        cells = []
        for chosen in taken:
            steps = [*chosen.strike.repair, *chosen.way.before]
            move = chosen.way.transfer
            if move is not None:
                ready = sum(s.hours for s in steps)
                waited = finish[chosen.dataset.id] / 3600 - ready - move.hours
                if waited > 0.05:
                    steps.append(Step(self._ahead(chosen, moving), waited, "", "transfer"))
                steps.append(move)
            steps += chosen.way.after
            back = sum(s.hours for s in steps) * 3600
            job = chosen.best.copy.job.id
            cells.append(
                self._cell(
                    chosen.dataset,
                    chosen.strike,
                    chosen.judged,
                    "restored",
                    chosen.best.loses,
                    back,
                    steps,
                    job,
                )
            )
        return cells

    @staticmethod
    def _ahead(chosen: Chosen, moving: list[Chosen]) -> str:
        """Who holds it up: those worth more that use the same way, else its equals."""
        assert chosen.way.demand
        mine = {r for r, _ in chosen.way.demand.loads}
        others = [
            c
            for c in moving
            if c is not chosen and c.way.demand and mine & {r for r, _ in c.way.demand.loads}
        ]
        own = WORTH_ORDER[chosen.dataset.worth]
        first = [c.dataset.name for c in others if WORTH_ORDER[c.dataset.worth] < own]
        beside = [c.dataset.name for c in others if WORTH_ORDER[c.dataset.worth] == own]
        names, word = (first, "wait for") if first else (beside, "share the way with")
        said = ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")
        return f"{word} {said}"


def worst_working(cells: list[Cell], index: Index, key: Literal["rpo", "rto"]) -> Working:
    """The worst figure over all cells that come back, with the cell it comes from."""
    name = "most work lost" if key == "rpo" else "longest to be back"
    restored = [c for c in cells if c.fate == "restored"]
    if not restored:
        return step(name, 0.0, "s", "no hazard needs a copy to be used")
    titles = {h.id: h.title for h in HAZARDS.values()}

    def figure(cell: Cell) -> float:
        return (cell.rpo_seconds if key == "rpo" else cell.rto_seconds) or 0.0

    ranked = sorted(restored, key=figure, reverse=True)
    inputs = []
    for cell in ranked[:5]:
        label = f"{index.datasets[cell.dataset].name}, {titles[cell.hazard]}"
        if key == "rto":
            parts = [step(s.text, s.hours, "h", assumption=s.assumption) for s in cell.steps]
        else:
            job = index.jobs[cell.copy_job or ""]
            parts = [
                step(f"from {job.name}", cell.rpo_seconds, "s", "worst over the schedule"),
                step("on average", cell.rpo_mean_seconds, "s", "mean over the schedule"),
                step("at best", cell.rpo_best_seconds, "s", "just after a run"),
            ]
        inputs.append(step(label, figure(cell), "s", "", *parts))
    return step(
        name,
        figure(ranked[0]),
        "s",
        "the worst of all cells that come back; cells lost for good are counted apart",
        *inputs,
        source="the plan's copies, schedules and retention",
    )
