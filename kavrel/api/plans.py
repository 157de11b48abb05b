"""Plans as wholes: list, make, import, vary, undo, redo, pin, compare."""

from typing import Annotated, Literal

from fastapi import Body, Query, Response
from pydantic import BaseModel, ConfigDict

from kavrel.api.answer import AnEdit, Holds, RawBody, TheService, body, state
from kavrel.api.changes import Changes
from kavrel.api.door.book import TheDoor
from kavrel.api.door.roles import Routes
from kavrel.api.items import PROBLEMS
from kavrel.api.service import PlanMeta, PlanState, StripFigures, meta
from kavrel.core.compare import Change, compare
from kavrel.core.edit import put_settings
from kavrel.core.plan import Plan
from kavrel.core.proof.compare import CellChange, compare_cells
from kavrel.core.quantities import Line, MaybeLine, Number, StrictNumber, Zone
from kavrel.formats import plan_file
from kavrel.store.thinning import SAYS

router = Routes(prefix="/api/plans", tags=["plans"], responses=PROBLEMS)


class _Body(BaseModel):
    model_config = ConfigDict(extra="forbid")


class NewPlan(_Body):
    """An empty plan."""

    name: Line
    currency: Annotated[str, Query(pattern=r"^[A-Z]{3}$")] = "EUR"
    zone: Zone = "UTC"


class Settings(_Body):
    """What a plan is called and where it is; fields left out stay."""

    name: Line | None = None
    variant: MaybeLine | None = None
    currency: Annotated[str, Query(pattern=r"^[A-Z]{3}$")] | None = None
    zone: Zone | None = None


class NewVariant(_Body):
    """A what-if: the plan as it stands under another variant name."""

    variant: Line


class Pin(_Body):
    """The revision to pin; null takes the pin out."""

    revision: StrictNumber | None


class Restore(_Body):
    """The revision to bring back as a new one."""

    revision: StrictNumber


class Revision(BaseModel):
    """One revision."""

    number: int
    parent: int | None
    made_at: str
    summary: str
    made_by: str


class PlanList(BaseModel):
    """All plans, the one changed last first."""

    plans: list[PlanMeta]


class RevisionList(BaseModel):
    """All revisions of a plan, the newest first; `kept`: which old ones stay, in words."""

    revisions: list[Revision]
    kept: str


class Comparison(BaseModel):
    """Two revisions side by side."""

    before: StripFigures
    after: StripFigures
    changes: list[Change]
    cells: list[CellChange]


@router.get("", response_model=PlanList, operation_id="list_plans")
def list_plans(service: TheService) -> Response:
    """All plans."""
    return body(PlanList(plans=[meta(r) for r in service.plans.rows()]))


@router.post("", response_model=PlanState, status_code=201, operation_id="new_plan")
def new_plan(new: NewPlan, service: TheService) -> Response:
    """Starts an empty plan."""
    plan = Plan(name=new.name, currency=new.currency, zone=new.zone)
    return state(service, service.create(plan, "new plan"), 201)


@router.post(
    "/import",
    response_model=PlanState,
    status_code=201,
    operation_id="import_plan",
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {"application/json": {"schema": {"type": "object"}}},
        }
    },
)
def import_plan(content: RawBody, service: TheService) -> Response:
    """Reads a plan file as a new plan."""
    plan = plan_file.load(content)
    return state(service, service.create(plan, "imported from a file"), 201)


@router.get("/{plan_id}", response_model=PlanState, operation_id="get_plan")
def get_plan(plan_id: str, service: TheService) -> Response:
    """A plan with everything that follows from it."""
    return state(service, plan_id)


@router.patch("/{plan_id}", response_model=PlanState | Changes, operation_id="change_settings")
def change_settings(plan_id: str, settings: Settings, on: AnEdit, service: TheService) -> Response:
    """Changes name, variant, currency or zone."""
    given = {k: v for k, v in settings.model_dump().items() if v is not None}
    service.change(plan_id, on, None, lambda p: (put_settings(p, **given), "plan settings changed"))
    return state(service, plan_id, holds=on.holds)


@router.delete("/{plan_id}", status_code=204, operation_id="delete_plan")
def delete_plan(plan_id: str, service: TheService, door: TheDoor) -> Response:
    """Removes a plan with all its revisions."""
    name = service.plans.row(plan_id).name
    service.plans.delete(plan_id)
    door(f"deleted the plan {name}")
    return Response(status_code=204)


@router.post(
    "/{plan_id}/variants", response_model=PlanState, status_code=201, operation_id="new_variant"
)
def new_variant(plan_id: str, new: NewVariant, service: TheService) -> Response:
    """Copies the plan as a variant, to change freely beside the first."""
    _, plan = service.plans.head(plan_id)
    copy = plan.model_copy(update={"variant": new.variant})
    return state(service, service.create(copy, f"variant of {plan.name}"), 201)


@router.post("/{plan_id}/steps", response_model=PlanState | Changes, operation_id="step")
def step(
    plan_id: str,
    direction: Annotated[Literal["undo", "redo"], Body(embed=True)],
    on: AnEdit,
    service: TheService,
    door: TheDoor,
) -> Response:
    """Undo and redo: goes one revision back, or forth again."""
    service.plans.move(plan_id, on.base, direction)
    door(f"{direction} in {service.plans.row(plan_id).name}")
    return state(service, plan_id, holds=on.holds)


@router.put("/{plan_id}/pin", response_model=PlanState | Changes, operation_id="pin")
def pin(
    plan_id: str,
    wanted: Pin,
    service: TheService,
    door: TheDoor,
    kavrel_holds: Holds = None,
) -> Response:
    """Pins a revision to compare with."""
    service.plans.pin(plan_id, wanted.revision)
    door(f"pin of {service.plans.row(plan_id).name}: {wanted.revision or 'none'}")
    return state(service, plan_id, holds=kavrel_holds)


@router.post("/{plan_id}/restore", response_model=PlanState | Changes, operation_id="restore")
def restore(plan_id: str, wanted: Restore, on: AnEdit, service: TheService) -> Response:
    """Brings an old revision back as the newest."""
    old = service.plans.at(plan_id, wanted.revision)
    summary = f"revision {wanted.revision} restored"
    service.change(plan_id, on, None, lambda _: (old, summary))
    return state(service, plan_id, holds=on.holds)


@router.get("/{plan_id}/revisions", response_model=RevisionList, operation_id="list_revisions")
def list_revisions(plan_id: str, service: TheService) -> Response:
    """All revisions of a plan."""
    rows = service.plans.revisions(plan_id)
    listed = [Revision(**r.__dict__) for r in rows]
    return body(RevisionList(revisions=listed, kept=SAYS))


@router.get("/{plan_id}/comparison", response_model=Comparison, operation_id="compare")
def compare_revisions(plan_id: str, before: Number, after: Number, service: TheService) -> Response:
    """What differs between two revisions, and their figures."""
    old, new = service.plans.at(plan_id, before), service.plans.at(plan_id, after)
    return body(
        Comparison(
            before=service.figures(plan_id, before),
            after=service.figures(plan_id, after),
            changes=compare(old, new),
            cells=compare_cells(
                (old, service.evaluation(plan_id, before, old).proof),
                (new, service.evaluation(plan_id, after, new).proof),
            ),
        )
    )
