"""What the sheets ask for beyond the plan's state: sizes, layouts, papers."""

from typing import Annotated

from fastapi import Query, Request, Response
from pydantic import BaseModel

from kavrel.api.answer import TheService, body
from kavrel.api.door.roles import Routes
from kavrel.api.items import PROBLEMS
from kavrel.api.problem import ProblemError
from kavrel.core.bench.capacity import parse_capacity
from kavrel.core.index import Index
from kavrel.core.paper.document import Document
from kavrel.core.paper.restore_sheet import restore_sheet
from kavrel.core.paper.runbook import runbook
from kavrel.core.plan import FilesystemId
from kavrel.core.pools.facts import Conditions
from kavrel.core.pools.layout import Layout
from kavrel.core.pools.options import layouts
from kavrel.core.pools.pool import MOST_SHELF_SPARES, disk_facts
from kavrel.formats.papers import PAPERS, NoPaper, Occasion

BINARY = frozenset({"application/pdf", "application/zip"})
router = Routes(prefix="/api", tags=["sheets"], responses=PROBLEMS)


class Capacity(BaseModel):
    """A size made exact."""

    capacity_bytes: int


class LayoutList(BaseModel):
    """Every layout that some disks allow, best first."""

    layouts: list[Layout]


@router.get("/capacity", response_model=Capacity, operation_id="read_capacity")
def read_capacity(text: Annotated[str, Query(max_length=40)]) -> Response:
    """Exact bytes of a size as people write it; see `core.bench.capacity`."""
    return body(Capacity(capacity_bytes=parse_capacity(text)))


@router.get("/plans/{plan_id}/layouts", response_model=LayoutList, operation_id="list_layouts")
def list_layouts(
    plan_id: str,
    disk: Annotated[list[str], Query(min_length=1, max_length=24)],
    service: TheService,
    filesystem: FilesystemId | None = None,
) -> Response:
    """Every layout over these disks of the plan."""
    _, plan = service.plans.head(plan_id)
    index = Index(plan)
    unknown = [d for d in disk if d not in index.disks]
    if unknown or len(set(disk)) != len(disk):
        raise ProblemError(422, "not valid", "name each disk of the plan once")
    chosen = [index.disks[d] for d in disk]
    need, kinds = max(d.capacity_bytes for d in chosen), {d.kind for d in chosen}
    spares = sum(
        1
        for d in index.idle_disks
        if d.id not in disk and d.capacity_bytes >= need and d.kind in kinds
    )
    conditions = Conditions.of(index.assumptions, shelf_spares=min(spares, MOST_SHELF_SPARES))
    facts = [disk_facts(index, index.disks[d]) for d in disk]
    return body(LayoutList(layouts=layouts(facts, filesystem, conditions)))


@router.get("/plans/{plan_id}/runbook", response_model=Document, operation_id="get_runbook")
def get_runbook(plan_id: str, service: TheService) -> Response:
    """The runbook in the order of work."""
    row, plan = service.plans.head(plan_id)
    evaluation = service.evaluation(plan_id, row.head, plan)
    return body(runbook(plan, evaluation, f"revision {row.head}"))


@router.get(
    "/plans/{plan_id}/restore-sheet", response_model=Document, operation_id="get_restore_sheet"
)
def get_restore_sheet(plan_id: str, service: TheService) -> Response:
    """The sheet for whoever must restore without the administrator."""
    row, plan = service.plans.head(plan_id)
    evaluation = service.evaluation(plan_id, row.head, plan)
    return body(restore_sheet(plan, evaluation, f"revision {row.head}"))


class PaperView(BaseModel):
    """A paper that can be had; `hosts` names those that get one of their own."""

    name: str
    about: str
    hosts: list[str] | None


class PaperList(BaseModel):
    """All papers of a plan."""

    papers: list[PaperView]


@router.get("/plans/{plan_id}/paper", response_model=PaperList, operation_id="list_papers")
def list_papers(plan_id: str, service: TheService) -> Response:
    """The papers that the plan can be written as."""
    _, plan = service.plans.head(plan_id)
    return body(
        PaperList(
            papers=[
                PaperView(
                    name=p.name, about=p.about, hosts=list(p.hosts(plan)) if p.hosts else None
                )
                for p in PAPERS.values()
            ]
        )
    )


@router.get(
    "/plans/{plan_id}/paper/{name}",
    response_class=Response,
    responses={
        200: {"content": {p.media: {"schema": {"type": "string"}} for p in PAPERS.values()}}
    },
    operation_id="get_paper",
)
def get_paper(
    plan_id: str, name: str, request: Request, service: TheService, host: str | None = None
) -> Response:
    """A paper of the plan as a file to keep."""
    row, plan = service.plans.head(plan_id)
    paper = PAPERS.get(name)
    if paper is None:
        raise ProblemError(404, "no such paper", f"there is no {name}; see the list of papers")
    evaluation = service.evaluation(plan_id, row.head, plan)
    address = (
        f"{request.url.scheme}://{request.url.netloc}{request.app.state.prefix}/plan/{plan_id}"
    )
    occasion = Occasion(plan, evaluation, f"revision {row.head}", service.now(), address)
    try:
        content = paper.on(occasion, host)
    except NoPaper as error:
        raise ProblemError(404, "no such paper", str(error)) from error
    return Response(
        content,
        media_type=paper.media + ("" if paper.media in BINARY else "; charset=utf-8"),
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )
