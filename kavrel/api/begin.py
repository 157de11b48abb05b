"""Ways to begin without forms: one line that makes disks, and sketches of labs to start from."""

from typing import Annotated, Any

from fastapi import Body, Response
from pydantic import BaseModel, ConfigDict, Field

from kavrel.api.answer import AnEdit, TheService, body, state
from kavrel.api.changes import Changes
from kavrel.api.door.roles import Routes
from kavrel.api.items import PROBLEMS
from kavrel.api.problem import ProblemError
from kavrel.api.service import PlanState
from kavrel.core.bench.bays import bays
from kavrel.core.bench.line import LineError, completions, read_line
from kavrel.core.edit import checked, fresh_id
from kavrel.core.plan import COLLECTIONS, Plan
from kavrel.sketches import SKETCHES, AnswerError, draw

router = Routes(prefix="/api", tags=["begin"], responses=PROBLEMS)


class LineText(BaseModel):
    """A line as it was typed."""

    model_config = ConfigDict(extra="forbid")

    text: Annotated[str, Field(max_length=400)]


class LineRead(BaseModel):
    """What a line would do, in words; or what is wrong with it. `completions`: how it can go on."""

    says: str
    wrong: str
    disks: int
    completions: list[str]


class DrawnBox(BaseModel):
    """A box of a sketch: its bays, and the bytes of the disk in each, 0 for none."""

    name: str
    site: str
    bays: list[int]


class Drawn(BaseModel):
    """What a sketch looks like: boxes, disks on shelves, and where copies go."""

    boxes: list[DrawnBox]
    shelf: list[int]
    copies: list[str]


class AskView(BaseModel):
    """A question of a sketch, with the answer that it begins with."""

    id: str
    label: str
    kind: str
    start: str


class SketchView(BaseModel):
    """A lab to start from."""

    id: str
    title: str
    says: str
    asks: list[AskView]
    drawn: Drawn


class SketchList(BaseModel):
    """Every sketch."""

    sketches: list[SketchView]


class Answered(BaseModel):
    """A sketch, and what was answered; what is left out keeps what the sketch begins with."""

    model_config = ConfigDict(extra="forbid")

    sketch: Annotated[str, Field(max_length=40)]
    answers: dict[Annotated[str, Field(max_length=40)], Annotated[str, Field(max_length=200)]] = {}


def _drawn(plan: Plan) -> Drawn:
    sites = {s.id: s.name for s in plan.sites}
    size = {(d.host, d.bay): d.capacity_bytes for d in plan.disks if d.host}
    hosts = {p.id: h.name for h in plan.hosts for p in plan.pools if p.host == h.id}
    copies = []
    for job in plan.jobs:
        if job.target_pool:
            copies.append(f"{job.name}: to {hosts[job.target_pool]}")
        elif job.target_bucket:
            copies.append(f"{job.name}: to a bucket")
        elif job.target_disk:
            copies.append(f"{job.name}: by hand")
    return Drawn(
        boxes=[
            DrawnBox(
                name=h.name, site=sites[h.site], bays=[size.get((h.id, b), 0) for b in bays(h)]
            )
            for h in plan.hosts
        ],
        shelf=[d.capacity_bytes for d in plan.disks if not d.host],
        copies=copies,
    )


@router.get("/sketches", response_model=SketchList, operation_id="list_sketches")
def list_sketches() -> Response:
    """Labs to start from, each with its questions and as a drawing."""
    views = [
        SketchView(
            id=s.id,
            title=s.title,
            says=s.says,
            asks=[AskView(id=a.id, label=a.label, kind=a.kind, start=a.start) for a in s.asks],
            drawn=_drawn(draw(s.id, {})),
        )
        for s in SKETCHES.values()
    ]
    return body(SketchList(sketches=views))


@router.post(
    "/plans/{plan_id}/sketch",
    response_model=PlanState | Changes,
    status_code=201,
    operation_id="take_sketch",
)
def take_sketch(
    plan_id: str, answered: Annotated[Answered, Body()], on: AnEdit, service: TheService
) -> Response:
    """Starts an empty plan from a sketch; one undo takes it back."""
    if answered.sketch not in SKETCHES:
        raise ProblemError(422, "not valid", f"there is no sketch {answered.sketch}")
    try:
        drawn = draw(answered.sketch, answered.answers)
    except AnswerError as error:
        raise ProblemError(422, "not valid", str(error), [(error.ask, str(error))]) from error

    def make(plan: Plan) -> tuple[Plan, str]:
        if any(getattr(plan, c) for c in COLLECTIONS if c not in ("assumptions", "log")):
            raise ProblemError(
                409, "not empty", "a sketch starts an empty plan: make a new one for it"
            )
        kept = {
            "name": plan.name,
            "variant": plan.variant,
            "currency": plan.currency,
            "zone": plan.zone,
        }
        title = SKETCHES[answered.sketch].title
        return checked(drawn.model_copy(update=kept)), f"started from {title}"

    service.change(plan_id, on, None, make)
    return state(service, plan_id, 201, on.holds)


@router.post("/plans/{plan_id}/line/read", response_model=LineRead, operation_id="read_line")
def read(plan_id: str, line: Annotated[LineText, Body()], service: TheService) -> Response:
    """What a line would do; nothing is changed."""
    _, plan = service.plans.head(plan_id)
    says, wrong, disks = "", "", 0
    if line.text.strip():
        try:
            understood = read_line(line.text, plan, fresh_id)
            says, disks = understood.says, sum(c == "disks" for c, _ in understood.things)
        except LineError as error:
            wrong = str(error)
    return body(
        LineRead(says=says, wrong=wrong, disks=disks, completions=completions(line.text, plan))
    )


@router.post(
    "/plans/{plan_id}/line",
    response_model=PlanState | Changes,
    status_code=201,
    operation_id="make_line",
)
def make_line(
    plan_id: str, line: Annotated[LineText, Body()], on: AnEdit, service: TheService
) -> Response:
    """Makes the disks of a line, and the box that it names where there is none, in one change."""

    def make(plan: Plan) -> tuple[Plan, str]:
        try:
            understood = read_line(line.text, plan, fresh_id)
        except LineError as error:
            raise ProblemError(422, "not valid", str(error)) from error
        things: dict[str, list[Any]] = {}
        for collection, item in understood.things:
            things.setdefault(collection, []).append(COLLECTIONS[collection].model_validate(item))
        update = {c: (*getattr(plan, c), *new) for c, new in things.items()}
        count = len(things.get("disks", []))
        return checked(plan.model_copy(update=update), plan), f"{count} disks by a line"

    service.change(plan_id, on, None, make)
    return state(service, plan_id, 201, on.holds)
