"""Drills: nights that may come, played on a stand-in of the plan's own lab."""

from datetime import UTC, datetime, time
from typing import TYPE_CHECKING, Annotated

from fastapi import Query, Response
from pydantic import BaseModel, ConfigDict, Field

from kavrel.api.answer import TheService, body
from kavrel.api.door.roles import Routes
from kavrel.api.items import PROBLEMS
from kavrel.api.problem import ProblemError
from kavrel.api.service import Service
from kavrel.core.paper.document import Document
from kavrel.core.quantities import Flag, whole
from kavrel.core.working import Working
from kavrel.store.plans import PlanRow

if TYPE_CHECKING:
    from kavrel.rig.drilling import Drilling, Played
    from kavrel.rig.drills import Drill

# The rig is loaded when somebody asks for it: a server starts without.
STEPS_MOST = 200
router = Routes(prefix="/api", tags=["drills"], responses=PROBLEMS)


class DrillView(BaseModel):
    """A drill that can be played: `page` is what the restore sheet calls it."""

    id: str
    title: str
    page: str
    caution: str


class DrillList(BaseModel):
    """Every drill; `why` says why none can be played on this plan, else it is empty."""

    drills: list[DrillView]
    why: str


class StepAsked(BaseModel):
    """Something that is done: a line typed on a box, or, with `hands`, something done there."""

    model_config = ConfigDict(extra="forbid")

    at: Annotated[str, Field(min_length=1, max_length=64)]
    line: Annotated[str, Field(max_length=400)]


class Playing(BaseModel):
    """A drill with all that was done in it so far. `seed`: another one, another night."""

    model_config = ConfigDict(extra="forbid")

    drill: Annotated[str, Field(max_length=40)]
    seed: Annotated[int, whole(0, 1000)] = 0
    steps: Annotated[list[StepAsked], Field(max_length=STEPS_MOST)] = []
    ended: Flag = False


class DeedView(BaseModel):
    """What hands can do now: the line for it, and what it means."""

    line: str
    says: str


class DoneView(BaseModel):
    """A step, what it printed, and the hours of the drill after it."""

    at: str
    line: str
    code: int
    out: str
    hours: float


class OutcomeView(BaseModel):
    """How a dataset came out; None where nothing of it is there, or could be had.

    `worse_step` counts from 0: with it less could be saved than before.
    """

    dataset: str
    name: str
    lost_seconds: float | None
    best_seconds: float | None
    worse_step: int | None
    lost_working: Working
    best_working: Working


class PlayedView(BaseModel):
    """A drill so far; once it is ended it is judged."""

    sees: str
    seen_at: datetime
    boxes: list[str]
    deeds: list[DeedView]
    done: list[DoneView]
    hours: float
    hours_working: Working
    planned: Working | None
    left: list[str]
    outcomes: list[OutcomeView]
    verdict: str
    page: str


class AnswerView(BaseModel):
    """What a box prints to a line that only looks, at the beginning of a drill."""

    at: str
    line: str
    code: int
    out: str


class CarriedView(BaseModel):
    """A drill to be taken along: how it begins, and what can be looked at then."""

    start: PlayedView
    answers: list[AnswerView]


@router.get("/plans/{plan_id}/drills", response_model=DrillList, operation_id="list_drills")
def list_drills(plan_id: str, service: TheService) -> Response:
    """The drills of a plan."""
    from kavrel.rig.drills import DRILLS, none_to_play

    _, plan = service.plans.head(plan_id)
    views = [DrillView(id=d.id, title=d.title, page=d.page, caution=d.caution) for d in DRILLS]
    return body(DrillList(drills=views, why=none_to_play(plan)))


@router.post("/plans/{plan_id}/drill", response_model=PlayedView, operation_id="play_drill")
def play_drill(plan_id: str, asked: Playing, service: TheService) -> Response:
    """Plays a drill from its beginning through all steps. Nothing is kept."""
    from kavrel.rig.drilling import DrillStep

    drilling, _, drill = _ready(service, plan_id, asked.drill)
    _, plan = service.plans.head(plan_id)
    steps = [DrillStep(s.at, s.line) for s in asked.steps]
    cells = service.state(plan_id).evaluation.proof
    played = drilling.play(drill, asked.seed, steps, cells, asked.ended)
    names = {d.id: d.name for d in plan.datasets}
    return body(_view(played, names, drill.page, asked.ended))


@router.get(
    "/plans/{plan_id}/drills/{drill}/sheet",
    response_model=Document,
    operation_id="get_drill_sheet",
)
def get_drill_sheet(
    plan_id: str, drill: str, service: TheService, seed: Annotated[int, Query(ge=0, le=1000)] = 0
) -> Response:
    """A drill on paper, for two people."""
    from kavrel.rig.drill_sheet import drill_sheet

    drilling, row, exercise = _ready(service, plan_id, drill)
    cells = service.state(plan_id).evaluation.proof
    return body(drill_sheet(drilling, exercise, seed, tuple(cells), f"revision {row.head}"))


@router.get(
    "/plans/{plan_id}/drills/{drill}/carried",
    response_model=CarriedView,
    operation_id="carry_drill",
)
def carry_drill(
    plan_id: str, drill: str, service: TheService, seed: Annotated[int, Query(ge=0, le=1000)] = 0
) -> Response:
    """A drill for where no network reaches: what is done there is judged once its steps are sent."""
    from kavrel.rig.carried import looked_at

    drilling, _, exercise = _ready(service, plan_id, drill)
    _, plan = service.plans.head(plan_id)
    start = drilling.play(exercise, seed, (), service.state(plan_id).evaluation.proof, False)
    answers = [
        AnswerView(at=d.step.at, line=d.step.line, code=d.code, out=d.out)
        for d in looked_at(drilling, exercise, seed, start.boxes)
    ]
    names = {d.id: d.name for d in plan.datasets}
    return body(CarriedView(start=_view(start, names, exercise.page, False), answers=answers))


def _ready(service: Service, plan_id: str, drill: str) -> "tuple[Drilling, PlanRow, Drill]":
    """The stand-in lab of a plan, and a drill; a problem where there is none."""
    from kavrel.rig.drills import BY_ID, none_to_play

    row, plan = service.plans.head(plan_id)
    exercise = BY_ID.get(drill)
    if exercise is None:
        raise ProblemError(404, "no such thing", f"there is no drill {drill}")
    if why := none_to_play(plan):
        raise ProblemError(422, "not valid", why)
    today = service.today(plan)
    began = datetime.combine(today, time(), UTC)
    return service.readied.of((plan_id, row.head), plan, began), row, exercise


def _view(played: "Played", names: dict[str, str], page: str, ended: bool) -> PlayedView:
    from kavrel.rig.drilling import verdict

    return PlayedView(
        sees=played.sees,
        seen_at=datetime.fromtimestamp(played.seen_at, UTC),
        boxes=list(played.boxes),
        deeds=[DeedView(line=line, says=says) for line, says in played.deeds],
        done=[
            DoneView(at=d.step.at, line=d.step.line, code=d.code, out=d.out, hours=d.hours)
            for d in played.done
        ],
        hours=played.hours,
        hours_working=played.hours_working,
        planned=played.planned,
        left=list(played.left),
        outcomes=[
            OutcomeView(
                dataset=o.dataset,
                name=names[o.dataset],
                lost_seconds=o.lost_seconds,
                best_seconds=o.best_seconds,
                worse_step=o.worse_step,
                lost_working=o.lost_working,
                best_working=o.best_working,
            )
            for o in played.outcomes
        ],
        verdict=verdict(played) if ended else "",
        page=page,
    )
