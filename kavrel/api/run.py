"""The plan run on a stand-in of its lab: what was predicted beside what happened."""

from datetime import UTC, datetime, time
from typing import Annotated, Literal

from fastapi import Response
from pydantic import BaseModel, ConfigDict, Field

from kavrel.api.answer import TheService, body
from kavrel.api.door.roles import Routes
from kavrel.api.items import PROBLEMS
from kavrel.api.problem import ProblemError
from kavrel.core.working import Working

MOST_MAILS = 20
router = Routes(prefix="/api", tags=["run"], responses=PROBLEMS)


class RunAsked(BaseModel):
    """For how many days it is run."""

    model_config = ConfigDict(extra="forbid")

    days: Literal[7, 30] = 7


class LineView(BaseModel):
    """A figure: predicted, happened, whether that is the same, and how both came about."""

    what: str
    predicted: str
    happened: str
    agrees: bool
    by_plan: Working
    there: Working


class MailView(BaseModel):
    """A mail that arrived meanwhile."""

    at: datetime
    box: str
    text: str


class RunSeen(BaseModel):
    """How the lab fared. `more_mails` came beside those told.

    `taken_as_made`: jobs whose first copy the plan has yet to make; in the stand-in it was there.
    `pools_made`: pools that the plan still wants and that stood there; `pools_left`: that did not, with why.
    `not_set_up`: why no box was set up by its own setup.sh here; empty where each was.
    """

    days: Annotated[float, Field(ge=0)]
    lines: list[LineView]
    mails: list[MailView]
    more_mails: int
    taken_as_made: list[str]
    pools_made: list[str]
    pools_left: list[str]
    not_set_up: str


@router.post("/plans/{plan_id}/run", response_model=RunSeen, operation_id="run_plan")
def run_plan(plan_id: str, asked: RunAsked, service: TheService) -> Response:
    """Builds a stand-in of the lab and lives through days of it. Nothing is kept."""
    from kavrel.rig.lab import CannotBuild  # loaded when somebody asks: a server starts without

    row, plan = service.plans.head(plan_id)
    today = service.today(plan)
    if not plan.datasets:
        raise ProblemError(422, "not valid", "a run needs a pool with a dataset on it")
    try:
        run = service.runs.of(
            (plan_id, row.head, f"{today}", asked.days),
            plan,
            datetime.combine(today, time(), UTC),
        )
    except CannotBuild as error:
        raise ProblemError(422, "not valid", f"this plan has no stand-in: {error}") from error
    mails = run.mails[:MOST_MAILS]
    return body(
        RunSeen(
            days=run.days,
            lines=[LineView(**vars(x)) for x in run.lines],
            mails=[
                MailView(at=datetime.fromtimestamp(m.at, UTC), box=m.box, text=m.text)
                for m in mails
            ],
            more_mails=len(run.mails) - len(mails),
            taken_as_made=list(run.taken_as_made),
            pools_made=list(run.pools_made),
            pools_left=list(run.pools_left),
            not_set_up=run.not_set_up,
        )
    )
