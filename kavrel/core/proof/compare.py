"""Two plans cell by cell: what got better, what got worse."""

from collections.abc import Sequence
from typing import Literal

from pydantic import BaseModel, ConfigDict

from kavrel.core.plan import Plan
from kavrel.core.proof.cell import Cell, Fate

# From the best fate to the worst.
RANK: dict[Fate, int] = {
    "runs_on": 0,
    "down": 1,
    "exposed": 2,
    "restored": 3,
    "fetch_again": 4,
    "lost": 5,
}
Turn = Literal["better", "worse", "mixed", "new", "gone"]
# Figures closer than that are the same to whoever reads them.
CLOSE = 0.02


class CellChange(BaseModel):
    """A cell that is not what it was; figures in seconds, None where nothing comes back."""

    model_config = ConfigDict(frozen=True)

    dataset: str
    dataset_name: str
    hazard: str
    turn: Turn
    fate_before: Fate | None
    fate_after: Fate | None
    rpo_before: float | None
    rpo_after: float | None
    rto_before: float | None
    rto_after: float | None


def compare_cells(
    before: tuple[Plan, Sequence[Cell]], after: tuple[Plan, Sequence[Cell]]
) -> list[CellChange]:
    """Cells that differ, the worse first. Datasets are matched by id, then by name."""
    old_plan, old_cells = before
    new_plan, new_cells = after
    names = {d.id: d.name for d in (*old_plan.datasets, *new_plan.datasets)}
    same_id = {d.id for d in old_plan.datasets} & {d.id for d in new_plan.datasets}
    by_name = {d.name: d.id for d in old_plan.datasets if d.id not in same_id}
    old = {(c.dataset, c.hazard): c for c in old_cells}
    changed: list[CellChange] = []
    met: set[tuple[str, str]] = set()
    for cell in new_cells:
        key = cell.dataset if cell.dataset in same_id else by_name.get(names[cell.dataset], "")
        was = old.get((key, cell.hazard))
        met.add((key, cell.hazard))
        turn = _turn(was, cell)
        if turn:
            changed.append(_change(names[cell.dataset], was, cell, turn))
    for place, cell in old.items():
        if place not in met:
            changed.append(_change(names[cell.dataset], cell, None, "gone"))
    order = {"worse": 0, "mixed": 1, "gone": 2, "new": 3, "better": 4}
    return sorted(changed, key=lambda c: (order[c.turn], c.dataset_name, c.hazard))


def _turn(was: Cell | None, now: Cell) -> Turn | None:
    if was is None:
        return "new"
    steps = [_step(RANK[was.fate], RANK[now.fate])]
    steps.append(_step(_seconds(was.rpo_seconds), _seconds(now.rpo_seconds)))
    steps.append(_step(_seconds(was.rto_seconds), _seconds(now.rto_seconds)))
    if steps[0]:
        return "worse" if steps[0] > 0 else "better"
    if any(s > 0 for s in steps) and any(s < 0 for s in steps):
        return "mixed"
    if any(s > 0 for s in steps):
        return "worse"
    return "better" if any(s < 0 for s in steps) else None


def _seconds(value: float | None) -> float:
    return float("inf") if value is None else value


def _step(before: float, after: float) -> int:
    if before == after or abs(after - before) <= CLOSE * max(abs(before), 60.0):
        return 0
    return 1 if after > before else -1


def _change(name: str, was: Cell | None, now: Cell | None, turn: Turn) -> CellChange:
    cell = now or was
    assert cell is not None
    return CellChange(
        dataset=cell.dataset,
        dataset_name=name,
        hazard=cell.hazard,
        turn=turn,
        fate_before=was.fate if was else None,
        fate_after=now.fate if now else None,
        rpo_before=was.rpo_seconds if was else None,
        rpo_after=now.rpo_seconds if now else None,
        rto_before=was.rto_seconds if was else None,
        rto_after=now.rto_seconds if now else None,
    )
