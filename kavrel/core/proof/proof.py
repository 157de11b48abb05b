"""The proof: for each dataset and hazard what is left, how much work is lost, how long it takes.

Nothing here is typed in: fates follow from layouts, copies, schedules, retention, access and
the way that bytes have to travel back.
"""

from typing import Literal

from pydantic import BaseModel, ConfigDict

from kavrel.core.copies.book import Copy, CopyBook
from kavrel.core.copies.path import Place, path
from kavrel.core.copies.retention import FOREVER
from kavrel.core.index import Index
from kavrel.core.plan import Dataset
from kavrel.core.proof.hazards import HAZARDS
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Step, Strike
from kavrel.core.shares.access import Access
from kavrel.core.working import Working, step

Fate = Literal["runs_on", "exposed", "restored", "lost", "fetch_again"]
WORTH_ORDER = {"irreplaceable": 0, "nuisance": 1, "fetch_again": 2}


class CopyVerdict(BaseModel):
    """What a hazard leaves of one copy: the work lost if it is used, or why it cannot be."""

    model_config = ConfigDict(frozen=True)

    job: str
    place: str
    usable: bool
    loses_seconds: float | None
    why: str


class StepView(BaseModel):
    """One step on the way back."""

    model_config = ConfigDict(frozen=True)

    text: str
    hours: float
    assumption: str


class Cell(BaseModel):
    """A dataset under a hazard.

    `rpo_seconds` is the work lost at the worst moment of the coming year, `rto_seconds` the
    time until people work again; both None when nothing comes back. `copy` is the job used.
    """

    model_config = ConfigDict(frozen=True)

    dataset: str
    hazard: str
    fate: Fate
    rpo_seconds: float | None
    rto_seconds: float | None
    copy_job: str | None
    why: str
    dies: tuple[str, ...]
    copies: tuple[CopyVerdict, ...]
    steps: tuple[StepView, ...]


def prove(index: Index, book: CopyBook, matrix: list[Access]) -> list[Cell]:
    """All cells, datasets in plan order, hazards in the order of the registry."""
    scene = Scene(index, book, tuple(matrix))
    cells: list[Cell] = []
    for hazard in HAZARDS:
        strikes = {d.id: hazard.strike(scene, d) for d in index.plan.datasets}
        cells += _prove_hazard(scene, hazard, strikes)
    order = {d.id: n for n, d in enumerate(index.plan.datasets)}
    return sorted(cells, key=lambda c: order[c.dataset])


def _prove_hazard(scene: Scene, hazard: Hazard, strikes: dict[str, Strike]) -> list[Cell]:
    """One hazard over all datasets: those that are restored to one box wait for one another."""
    cells = []
    ahead: dict[tuple[str, str], list[tuple[str, float]]] = {}
    in_order = sorted(
        scene.index.plan.datasets, key=lambda d: (WORTH_ORDER[d.worth], d.size_bytes, d.id)
    )
    for dataset in in_order:
        strike = strikes[dataset.id]
        verdicts = [_judge(scene, strike, c) for c in scene.book.copies[dataset.id]]
        if strike.state == "stands":
            cells.append(_standing(scene, hazard, dataset, strike, verdicts))
            continue
        best = _best(scene, dataset, strike, verdicts)
        if best is None:
            cells.append(_without_copy(hazard, dataset, strike, verdicts))
            continue
        copy, verdict, moving = best
        # A part deleted from one dataset keeps no other waiting.
        queue = ahead.setdefault((scene.index.pools[dataset.pool].host, strike.why), [])
        shared = strike.state == "gone" or hazard.id == "malware"
        waiting = [Step(f"after {name}", hours) for name, hours in queue if shared and hours > 0.05]
        hours_moving = sum(s.hours for s in moving)
        queue.append((dataset.name, hours_moving))
        steps = [*strike.repair, *waiting, *moving]
        cells.append(
            Cell(
                dataset=dataset.id,
                hazard=hazard.id,
                fate="restored",
                rpo_seconds=verdict.loses_seconds,
                rto_seconds=sum(s.hours for s in steps) * 3600,
                copy_job=copy.job.id,
                why=strike.why,
                dies=strike.dies,
                copies=tuple(verdicts),
                steps=_views(steps),
            )
        )
    return cells


def _views(steps: list[Step]) -> tuple[StepView, ...]:
    return tuple(StepView(text=s.text, hours=s.hours, assumption=s.assumption) for s in steps)


def _judge(scene: Scene, strike: Strike, copy: Copy) -> CopyVerdict:
    def verdict(usable: bool, loses: float | None, why: str) -> CopyVerdict:
        return CopyVerdict(
            job=copy.job.id,
            place=copy.place.name(scene.index),
            usable=usable,
            loses_seconds=loses,
            why=why,
        )

    newest = scene.book.newest_age(copy.job)
    if newest is None:
        return verdict(False, None, "no run of it ever completes")
    reason = strike.lost_copy(copy)
    if reason and strike.silent_days is not None:
        return verdict(True, newest + strike.silent_days * 86_400, reason)
    if reason:
        return verdict(False, None, reason)
    if strike.seen_after_days is None:
        return verdict(True, newest, "its newest point")
    loss = scene.book.loss_after(copy.job, strike.seen_after_days)
    if loss is None or loss == FOREVER:
        return verdict(
            False, None, f"keeps no point from before, {strike.seen_after_days:.0f} days later"
        )
    return verdict(True, loss, "its newest point from before the damage")


def _standing(
    scene: Scene,
    hazard: Hazard,
    dataset: Dataset,
    strike: Strike,
    verdicts: list[CopyVerdict],
) -> Cell:
    fate: Fate = "runs_on"
    rpo: float | None = 0.0
    why = strike.why
    if strike.unmoved_days is not None:
        fate, rpo = "exposed", strike.unmoved_days * 86_400
    if strike.silent_days is not None:
        copies = scene.book.copies[dataset.id]
        off_pool = [
            (c, v)
            for c, v in zip(copies, verdicts, strict=True)
            if c.place.pool != dataset.pool and v.usable
        ]
        fresh = [v for c, v in off_pool if not strike.lost_copy(c)]
        stale = [v for c, v in off_pool if strike.lost_copy(c)]
        if not stale:
            why = "has no copy on an off-site box that could fall silent"
        elif not fresh:
            fate = "exposed"
            rpo = min(v.loses_seconds or 0.0 for v in stale)
            why = f"{strike.why}, and no other copy is off the pool"
    return Cell(
        dataset=dataset.id,
        hazard=hazard.id,
        fate=fate,
        rpo_seconds=rpo,
        rto_seconds=0.0,
        copy_job=None,
        why=why,
        dies=strike.dies,
        copies=tuple(verdicts),
        steps=(),
    )


def _without_copy(
    hazard: Hazard, dataset: Dataset, strike: Strike, verdicts: list[CopyVerdict]
) -> Cell:
    again = dataset.worth == "fetch_again" or dataset.throw_away
    return Cell(
        dataset=dataset.id,
        hazard=hazard.id,
        fate="fetch_again" if again else "lost",
        rpo_seconds=None,
        rto_seconds=None,
        copy_job=None,
        why=strike.why,
        dies=strike.dies,
        copies=tuple(verdicts),
        steps=_views(list(strike.repair)),
    )


def _best(
    scene: Scene, dataset: Dataset, strike: Strike, verdicts: list[CopyVerdict]
) -> tuple[Copy, CopyVerdict, list[Step]] | None:
    """The usable copy that loses least work; among equals the one that is back soonest."""
    found = []
    for copy, verdict in zip(scene.book.copies[dataset.id], verdicts, strict=True):
        if verdict.usable and verdict.loses_seconds is not None:
            moving = _moving(scene, dataset, strike, copy)
            hours = sum(s.hours for s in moving)
            if hours < FOREVER:
                found.append((verdict.loses_seconds, hours, copy.job.id, copy, verdict, moving))
    if not found:
        return None
    *_, copy, verdict, moving = min(found, key=lambda f: f[:3])
    return copy, verdict, moving


def _moving(scene: Scene, dataset: Dataset, strike: Strike, copy: Copy) -> list[Step]:
    """Steps from the copy to working data: prepare, carry or send, verify."""
    index, book = scene.index, scene.book
    known = index.assumptions
    home = Place(pool=dataset.pool)
    prepare = Step(
        f"find the point in {copy.job.name}",
        known["prepare_restore_hours"],
        "prepare_restore_hours",
    )
    size = dataset.size_bytes * strike.share_of_data
    if copy.place.pool == dataset.pool:
        return [prepare]
    here = index.site_of_pool(dataset.pool)
    away = copy.place.site(index) != here
    name = copy.place.name(index)
    by_wire = path(index, book.states, copy.place, home)
    carried = path(index, book.states, copy.place, home, by_hand=True)
    travel = known["travel_hours"]
    if away and (copy.place.disk or travel + carried.hours(size) < by_wire.hours(size)):
        bring = [
            Step(f"bring {name}", travel, "travel_hours"),
            Step(f"copy {_size(size)} on the LAN", carried.hours(size)),
        ]
    else:
        bring = [Step(f"copy {_size(size)} from {name}", by_wire.hours(size))]
    check = size / (book.states[dataset.pool].layout.read_mb_per_s * 1e6) / 3600
    return [prepare, *bring, Step("read it back to verify", check)]


def _size(count: float) -> str:
    """A size in words for a step: 0.9 TB, 40 GB, 3 MB."""
    for unit, scale in (("TB", 1e12), ("GB", 1e9), ("MB", 1e6)):
        if count >= scale:
            amount = count / scale
            return f"{amount:.1f} {unit}" if amount < 10 else f"{amount:.0f} {unit}"
    return f"{count:.0f} bytes"


def worst_working(cells: list[Cell], index: Index, key: Literal["rpo", "rto"]) -> Working:
    """The worst figure over all cells that come back, with the cell it comes from."""
    name = "most work lost" if key == "rpo" else "longest to be back"
    restored = [c for c in cells if c.fate == "restored"]
    if not restored:
        return step(name, 0.0, "s", "no hazard needs a copy to be used")
    titles = {h.id: h.title for h in HAZARDS}

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
            parts = [step(f"from {job.name}", cell.rpo_seconds, "s", "worst over the schedule")]
        inputs.append(step(label, figure(cell), "s", "", *parts))
    return step(
        name,
        figure(ranked[0]),
        "s",
        "the worst of all cells that come back; cells lost for good are counted apart",
        *inputs,
        source="the plan's copies, schedules and retention",
    )
