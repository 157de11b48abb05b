"""What the Proof sheet asks for beside its cells: pairs of hazards, and two plans side by side."""

from fastapi import Response
from pydantic import BaseModel

from kavrel.api.answer import TheService, body
from kavrel.api.copies import book_of, find
from kavrel.api.door.roles import Routes
from kavrel.api.items import PROBLEMS
from kavrel.core.proof.cell import Cell
from kavrel.core.proof.compare import CellChange, compare_cells
from kavrel.core.proof.hazards import HAZARDS
from kavrel.core.proof.hazards.hazard import Scene
from kavrel.core.proof.pairs import PAIRED, PAIRS
from kavrel.core.proof.proof import prove
from kavrel.core.proof.today import standings
from kavrel.core.proof.working import cell_working
from kavrel.core.seen.points import Finder
from kavrel.core.shares.access import access_matrix
from kavrel.core.working import Working

router = Routes(prefix="/api/plans/{plan_id}", tags=["proof"], responses=PROBLEMS)


class PairView(BaseModel):
    """Two hazards that are not independent, and why."""

    id: str
    title: str
    short: str
    why: str


class PairCells(BaseModel):
    """Every dataset against every pair."""

    pairs: list[PairView]
    cells: list[Cell]


class CellChanges(BaseModel):
    """Cells that differ between two plans, the worse first."""

    before: str
    after: str
    changes: list[CellChange]


@router.get("/proof/working", response_model=Working, operation_id="get_cell_working")
def working(
    plan_id: str,
    dataset: str,
    hazard: str,
    service: TheService,
    today: bool = False,
    found: bool = False,
) -> Response:
    """How a cell came about: the night of its worst loss, and every part of the way back.

    Once all runs, as its copies stand today, or by the points that were found on the machines.
    """
    book = book_of(service, plan_id)
    plan = book.index.plan
    of = find(book.index.datasets, dataset, "datasets")
    struck = find({h.id: h for h in (*HAZARDS.values(), *PAIRED)}, hazard, "hazards")
    matrix = tuple(access_matrix(book.index, service.today(plan)))
    now = standings(book) if today else {}
    if found:
        now = Finder(book, service.looks.newest(plan_id)).standings()
    scene = Scene(book.index, book, matrix, now)
    return body(cell_working(scene, struck, of))


@router.get("/pairs", response_model=PairCells, operation_id="list_pairs")
def pairs(plan_id: str, service: TheService) -> Response:
    """The proof of pairs of hazards that are not independent."""
    book = book_of(service, plan_id)
    plan = book.index.plan
    cells = prove(book.index, book, access_matrix(book.index, service.today(plan)), PAIRED)
    views = [
        PairView(id=h.id, title=h.title, short=h.short, why=p.why)
        for h, p in zip(PAIRED, PAIRS, strict=True)
    ]
    return body(PairCells(pairs=views, cells=cells))


@router.get("/against/{other_id}", response_model=CellChanges, operation_id="compare_plans")
def against(plan_id: str, other_id: str, service: TheService) -> Response:
    """The plan's proof against another's, cell by cell: what got better, what got worse."""
    row, plan = service.plans.head(plan_id)
    other_row, other = service.plans.head(other_id)
    mine = service.evaluation(plan_id, row.head, plan)
    theirs = service.evaluation(other_id, other_row.head, other)
    changes = compare_cells((other, theirs.proof), (plan, mine.proof))
    name, other_name = (p.name + (f", {p.variant}" if p.variant else "") for p in (plan, other))
    return body(CellChanges(before=other_name, after=name, changes=changes))
