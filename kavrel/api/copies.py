"""What the Copies and Week sheets ask for: points, what comes back, space, first copies, weeks."""

from collections.abc import Mapping
from datetime import date, datetime, time, timedelta
from typing import Annotated, TypeVar
from zoneinfo import ZoneInfo

from fastapi import Body, Response
from pydantic import BaseModel, ConfigDict, Field

from kavrel.api.answer import AnEdit, TheService, body, state
from kavrel.api.changes import Changes
from kavrel.api.door.roles import Routes
from kavrel.api.items import PROBLEMS
from kavrel.api.problem import ProblemError
from kavrel.api.service import PlanState, Service
from kavrel.core.copies.book import CopyBook, utc
from kavrel.core.copies.explained import Figure, explained
from kavrel.core.copies.first import FirstWay, first_ways
from kavrel.core.copies.ladder import ladder, ladder_working
from kavrel.core.copies.space import PoolSpace, freed, pool_space
from kavrel.core.edit import put_starts
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import FirstCopy, Plan
from kavrel.core.pools.pool import pool_states
from kavrel.core.proof.back import Back, have_it_back
from kavrel.core.proof.hazards.hazard import Scene
from kavrel.core.quantities import Id, WallTime
from kavrel.core.week.explained import longest_explained
from kavrel.core.week.nights import scheduled_book
from kavrel.core.week.week import Week, week
from kavrel.core.working import Working

router = Routes(prefix="/api/plans/{plan_id}", tags=["copies"], responses=PROBLEMS)

Thing = TypeVar("Thing")

# Days far from now would only cost time to compute.
EARLIEST, LATEST = date(2000, 1, 1), date(2100, 12, 31)
MOST_YEARS = 10


class PointView(BaseModel):
    """A point in time that a job keeps, by which rules, and what removing it would free."""

    data_time: datetime
    available_at: datetime
    expires_at: datetime | None
    kept_by: list[str]
    frees_bytes: int
    frees_working: Working


class Points(BaseModel):
    """The points of a job that exist at the end of a day."""

    job: str
    on: date
    points: list[PointView]


class FirstView(BaseModel):
    """A way of making the first copy; None where it never ends."""

    way: FirstCopy
    hours: float | None
    ends_on: date | None
    why: str
    working: Working


class FirstList(BaseModel):
    """The ways of making a job's first copy, the quickest first."""

    job: str
    ways: list[FirstView]


def book_of(service: Service, plan_id: str, on: date | None = None) -> CopyBook:
    """The copy book of the plan's newest state, as of today or another day."""
    _, plan = service.plans.head(plan_id)
    index = Index(plan)
    return scheduled_book(index, pool_states(index), on or service.today(plan))


def find(things: Mapping[str, Thing], key: str, collection: str) -> Thing:
    """A thing by its id; a problem where there is none."""
    if key not in things:
        raise ProblemError(404, "no such thing", f"there is no {key} among the {collection}")
    return things[key]


def near(day: date) -> date:
    """The day, where it is one that can be reckoned with."""
    if not EARLIEST <= day <= LATEST:
        raise ProblemError(422, "not valid", f"choose a day from {EARLIEST} to {LATEST}")
    return day


@router.get("/points", response_model=Points, operation_id="list_points")
def list_points(plan_id: str, job: str, on: date, service: TheService) -> Response:
    """Points of a job that exist at the end of a day, after pruning, with the rules that keep them."""
    book = book_of(service, plan_id)
    wanted = find(book.index.jobs, job, "jobs")
    if not KINDS[wanted.kind].copies:
        return body(Points(job=job, on=on, points=[]))
    ruled = book.ruled_on(wanted, near(on))
    times = [p.data_time for p, _ in ruled]
    zone = ZoneInfo(book.index.plan.zone)
    now = datetime.combine(on + timedelta(days=1), time(), zone).timestamp()
    if not KINDS[wanted.kind].in_place and times:
        now = times[-1]
    points = []
    for n, (p, rules) in enumerate(ruled):
        working = freed(book, wanted, times, now, n)
        points.append(
            PointView(
                data_time=utc(p.data_time),
                available_at=utc(p.available_at),
                expires_at=utc(p.expires_at) if p.expires_at != float("inf") else None,
                kept_by=[name for name, _ in rules],
                frees_bytes=int(working.value or 0),
                frees_working=working,
            )
        )
    return body(Points(job=job, on=on, points=points))


@router.get("/back", response_model=Back, operation_id="have_it_back")
def back(
    plan_id: str,
    dataset: str,
    written_on: date,
    lost_on: date,
    noticed_on: date,
    service: TheService,
) -> Response:
    """Which points still hold a file: written on, lost on, noticed on."""
    book = book_of(service, plan_id)
    find(book.index.datasets, dataset, "datasets")
    days = (near(written_on), near(lost_on), near(noticed_on))
    return body(have_it_back(Scene(book.index, book, ()), dataset, *days))


@router.get("/ladder/working", response_model=Working, operation_id="get_ladder_working")
def ladder_counts(plan_id: str, dataset: str, service: TheService) -> Response:
    """Why each copy of a dataset counts, or does not."""
    book = book_of(service, plan_id)
    find(book.index.datasets, dataset, "datasets")
    return body(ladder_working(book.index, ladder(book, dataset)))


@router.get("/copies/working", response_model=Working, operation_id="get_job_working")
def job_figure(plan_id: str, job: str, figure: Figure, service: TheService) -> Response:
    """How a figure of a job came about: its points, what they hold, the age of the newest."""
    book = book_of(service, plan_id)
    return body(explained(book, find(book.index.jobs, job, "jobs"), figure))


@router.get("/space", response_model=PoolSpace, operation_id="get_space")
def space(plan_id: str, pool: str, service: TheService, years: int = 5) -> Response:
    """What lies on a pool and for how long it has room."""
    book = book_of(service, plan_id)
    find(book.index.pools, pool, "pools")
    if not 1 <= years <= MOST_YEARS:
        raise ProblemError(422, "not valid", f"look from 1 to {MOST_YEARS} years ahead")
    return body(pool_space(book, pool, years))


@router.get("/first", response_model=FirstList, operation_id="list_first_ways")
def first(plan_id: str, job: str, service: TheService) -> Response:
    """The ways of making a job's first copy, with hours and dates."""
    book = book_of(service, plan_id)
    wanted = find(book.index.jobs, job, "jobs")
    ways = (
        [] if KINDS[wanted.kind].moves_nothing or not wanted.datasets else first_ways(book, wanted)
    )
    return body(FirstList(job=job, ways=[_first(w) for w in ways]))


def _first(way: FirstWay) -> FirstView:
    return FirstView(
        way=way.way, hours=way.hours, ends_on=way.ends_on, why=way.why, working=way.working
    )


@router.get("/week/working", response_model=Working, operation_id="get_run_working")
def week_figure(plan_id: str, day: date, job: str, service: TheService) -> Response:
    """Why the longest run of a job in the week that holds a day takes as long as it does."""
    book = book_of(service, plan_id, near(day))
    return body(longest_explained(book, day, find(book.index.jobs, job, "jobs")))


@router.get("/week", response_model=Week, operation_id="get_week")
def get_week(plan_id: str, day: date, service: TheService) -> Response:
    """The week that holds a day."""
    day = near(day)
    return body(week(book_of(service, plan_id, day), day))


class Starts(BaseModel):
    """New start times of day by job id."""

    model_config = ConfigDict(extra="forbid")

    starts: Annotated[dict[Id, WallTime], Field(min_length=1, max_length=1000)]


@router.post("/starts", response_model=PlanState | Changes, operation_id="move_starts")
def move_starts(
    plan_id: str, wanted: Annotated[Starts, Body()], on: AnEdit, service: TheService
) -> Response:
    """Moves the start times of several jobs in one change, as arranging asks."""

    def make(plan: Plan) -> tuple[Plan, str]:
        known = {j.id: j for j in plan.jobs}
        for key in wanted.starts:
            find(known, key, "jobs")
        count = len(wanted.starts)
        said = known[next(iter(wanted.starts))].name if count == 1 else f"{count} jobs"
        return put_starts(plan, wanted.starts), f"start of {said} moved"

    service.change(plan_id, on, None, make)
    return state(service, plan_id, holds=on.holds)
