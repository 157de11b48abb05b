"""What machines say: read and taken over, kept as looks, and held against the plan."""

from dataclasses import asdict
from datetime import UTC, datetime
from typing import Annotated, Any

from fastapi import Body, Header, Request, Response
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from kavrel.api.answer import AnEdit, RawBody, TheService, body, state
from kavrel.api.changes import Changes
from kavrel.api.copies import book_of
from kavrel.api.door.roles import Routes
from kavrel.api.items import PROBLEMS
from kavrel.api.problem import ProblemError
from kavrel.api.service import PlanState, Service
from kavrel.core.compare import display_name
from kavrel.core.edit import checked, find
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import COLLECTIONS, Plan
from kavrel.core.proof.cell import Cell
from kavrel.core.proof.proof import prove_found
from kavrel.core.quantities import Id
from kavrel.core.seen.drifted import Drift
from kavrel.core.seen.fill import fills
from kavrel.core.seen.grown import Grown, grown
from kavrel.core.seen.hollow import Hollow, hollow
from kavrel.core.seen.known import host_of
from kavrel.core.seen.machine import Machine
from kavrel.core.seen.offer import Takes
from kavrel.core.seen.points import Finder, FoundPoints, names_of
from kavrel.core.seen.wear import Reading, Wear, wear_of
from kavrel.core.shares.access import access_matrix
from kavrel.formats.disk_table import is_table, take_table
from kavrel.formats.looks.listing import Heard
from kavrel.formats.looks.read import Reading as LookReading
from kavrel.formats.looks.read import Unreadable, read_look
from kavrel.formats.looks.taking import takes
from kavrel.store.looks import ClockAhead, LookRow, NoSuchToken

MOST_RUNS = 300
TRIED = "try-"  # how lab-job calls a run that brings something back
router = Routes(prefix="/api", tags=["looks"], responses=PROBLEMS)
TEXT: dict[str, Any] = {
    "requestBody": {"content": {"text/plain": {"schema": {"type": "string"}}}, "required": True}
}


class LookRead(BaseModel):
    """What was read, and what the plan could take over of it. Nothing is kept."""

    host_name: str
    seen_at: datetime
    root: bool
    whole: bool
    heard: tuple[Heard, ...]
    unseen: tuple[str, ...]
    takes: Takes


class Wanted(BaseModel):
    """A thing to take over, whole."""

    model_config = ConfigDict(extra="forbid")

    collection: Annotated[str, Field(max_length=40)]
    item: dict[str, Any]


class Taking(BaseModel):
    """What to take over, in one change."""

    model_config = ConfigDict(extra="forbid")

    things: Annotated[list[Wanted], Field(min_length=1, max_length=4000)]
    said: Annotated[str, Field(min_length=1, max_length=80)] = "a look"


class Look(BaseModel):
    """A look that is kept. `again`: the same had come before."""

    number: int
    host: str
    host_name: str
    seen_at: datetime
    arrived_at: datetime
    sent: bool
    hash: str
    again: bool


class LookList(BaseModel):
    """Looks, the newest first."""

    looks: list[Look]


class DriftList(BaseModel):
    """Drift of every host that was looked at, and the hosts that never were."""

    hosts: list[Drift]
    never: list[str]


class RunView(BaseModel):
    """A run as the box itself wrote it down; `job_id` is empty for a chore or a job that is gone.

    `tried`: nothing was copied, something was brought back from its copy.
    """

    host: str
    job: str
    job_id: str
    tried: bool
    began: datetime
    seconds: float
    result: str
    said: str
    carried_bytes: int | None


class LookAge(BaseModel):
    """When a host was seen last, by its own clock; None where it never was."""

    host: str
    seen_at: datetime | None
    sent: bool


class FoundReport(BaseModel):
    """What exists beside what is planned: points, the proof from those, runs, and how data grew.

    `cells` are those of the proof that are otherwise as found than as planned; `asked` whether any
    host was seen at all: else there is nothing to say.
    """

    asked: bool
    ages: list[LookAge]
    points: list[FoundPoints]
    cells: list[Cell]
    runs: list[RunView]
    hollow: list[Hollow]
    grown: list[Grown]


class WearList(BaseModel):
    """Disks by their readings, the most dangerous first."""

    disks: list[Wear]


class Token(BaseModel):
    """A host's token: it is said once, and kept as a hash alone."""

    token: str


class TokenState(BaseModel):
    """When a host's token was made, used last and withdrawn."""

    host: str
    made_at: datetime
    used_at: datetime | None
    withdrawn_at: datetime | None


class TokenList(BaseModel):
    """Tokens, the newest first."""

    tokens: list[TokenState]


def _look(row: LookRow) -> Look:
    return Look.model_validate(asdict(row))


def _reading(content: bytes, service: Service) -> LookReading:
    try:
        return read_look(content, service.now().timestamp())
    except Unreadable as error:
        raise ProblemError(422, "not readable", str(error)) from error


def _there(plan: Plan, host: str) -> None:
    if find(plan, "hosts", host) is None:
        raise ProblemError(404, "no such thing", f"there is no {host} among the hosts")


@router.post(
    "/plans/{plan_id}/looks/read",
    response_model=LookRead,
    operation_id="read_look",
    openapi_extra=TEXT,
)
def read(plan_id: str, content: RawBody, service: TheService, host: Id | None = None) -> Response:
    """Reads a look, a single listing or a table of disks; says what the plan could take over."""
    _, plan = service.plans.head(plan_id)
    if host:
        _there(plan, host)
    text = content.decode("utf-8", "replace")
    if is_table(text):
        return body(
            LookRead(
                host_name="",
                seen_at=service.now(),
                root=True,
                whole=False,
                heard=(),
                unseen=(),
                takes=take_table(text, plan),
            )
        )
    reading = _reading(content, service)
    return body(
        LookRead(
            host_name=reading.machine.host,
            seen_at=datetime.fromtimestamp(reading.machine.at, UTC),
            root=reading.machine.root,
            whole=reading.whole,
            heard=reading.heard,
            unseen=reading.unseen,
            takes=takes(plan, reading.machine, host, service.today(plan)),
        )
    )


@router.post(
    "/plans/{plan_id}/take",
    response_model=PlanState | Changes,
    status_code=201,
    operation_id="take_over",
)
def take(
    plan_id: str, wanted: Annotated[Taking, Body()], on: AnEdit, service: TheService
) -> Response:
    """Takes things over into the plan, all in one change: one undo takes them all back."""

    def make(plan: Plan) -> tuple[Plan, str]:
        changed = plan
        for one in wanted.things:
            model = COLLECTIONS.get(one.collection)
            if model is None:
                raise ProblemError(422, "not valid", f"{one.collection} is no collection of a plan")
            item: Any = TypeAdapter(model).validate_python(one.item, strict=False)
            mine = getattr(changed, one.collection)
            if any(i.id == item.id for i in mine):
                new = tuple(item if i.id == item.id else i for i in mine)
            else:
                new = (*mine, item)
            changed = changed.model_copy(update={one.collection: new})
        only = len(wanted.things) == 1
        what = display_name(item) if only else f"{len(wanted.things)} things"
        return checked(changed, plan), f"{what} taken over from {wanted.said}"

    service.change(plan_id, on, None, make)
    return state(service, plan_id, 201, on.holds)


@router.post(
    "/plans/{plan_id}/looks",
    response_model=Look,
    status_code=201,
    operation_id="keep_look",
    openapi_extra=TEXT,
)
def keep(plan_id: str, content: RawBody, service: TheService, host: Id | None = None) -> Response:
    """Keeps a look beside the plan; the plan stays as it is."""
    _, plan = service.plans.head(plan_id)
    if host:
        _there(plan, host)
    reading = _reading(content, service)
    box = host or getattr(host_of(Index(plan), reading.machine), "id", None)
    if box is None:
        raise ProblemError(
            422,
            "not valid",
            "no host of the plan is this machine: say which one, or take it over first",
        )
    return body(_look(_kept(service, plan_id, plan, box, reading.machine, content, False)), 201)


def _kept(
    service: Service,
    plan_id: str,
    plan: Plan,
    host: str,
    machine: Machine,
    content: bytes,
    sent: bool,
) -> LookRow:
    index = Index(plan)
    other = host_of(index, machine)
    if other is not None and other.id != host and machine.host:
        name = index.hosts[host].name
        raise ProblemError(
            422,
            "not valid",
            f"this look is of {other.name} ({machine.host} says it), not of {name}",
        )
    try:
        return service.looks.keep(
            plan_id, host, machine, content, fills(index, host, machine), sent
        )
    except ClockAhead as error:
        raise ProblemError(422, "not valid", str(error)) from error


@router.get("/plans/{plan_id}/looks", response_model=LookList, operation_id="list_looks")
def list_looks(plan_id: str, service: TheService, newest: bool = False) -> Response:
    """Every look that is kept, or the newest of each host."""
    service.plans.row(plan_id)
    rows = service.looks.rows(plan_id)
    if newest:
        rows = list({r.host: r for r in reversed(rows)}.values())
    return body(LookList(looks=[_look(r) for r in rows]))


@router.get("/plans/{plan_id}/drift", response_model=DriftList, operation_id="list_drift")
def list_drift(plan_id: str, service: TheService) -> Response:
    """What differs between the plan and the newest look at each host."""
    _, plan = service.plans.head(plan_id)
    mine = service.drifts(plan_id)
    seen = {d.host for d in mine}
    never = [h.id for h in plan.hosts if h.id not in seen]
    return body(DriftList(hosts=list(mine), never=never))


@router.get("/plans/{plan_id}/found", response_model=FoundReport, operation_id="get_found")
def get_found(plan_id: str, service: TheService) -> Response:
    """The points that exist, and the proof as found: with them instead of the planned ones."""
    row, plan = service.plans.head(plan_id)
    index = Index(plan)
    newest = service.looks.newest(plan_id)
    rows = {r.host: r for r in reversed(service.looks.rows(plan_id))}
    ages = [
        LookAge(
            host=h.id,
            seen_at=datetime.fromtimestamp(newest[h.id].at, UTC) if h.id in newest else None,
            sent=rows[h.id].sent if h.id in rows else False,
        )
        for h in plan.hosts
        if not h.closed
    ]
    cells: list[Cell] = []
    points: list[FoundPoints] = []
    if newest:
        book = book_of(service, plan_id)
        finder = Finder(book, newest)
        jobs = [j for j in plan.jobs if KINDS[j.kind].copies]
        points = [finder.found(j, d) for j in jobs for d in j.datasets]
        settled = service.evaluation(plan_id, row.head, plan).proof
        matrix = access_matrix(index, service.today(plan))
        cells = prove_found(index, book, matrix, settled, finder.standings())
    names = names_of(index)
    told = service.looks.runs(plan_id, MOST_RUNS)
    runs = [
        RunView(
            host=host,
            job=run.job,
            job_id=names.get(run.job.removeprefix(TRIED), ""),
            tried=run.job.startswith(TRIED) and run.job not in names,
            began=datetime.fromtimestamp(run.began, UTC),
            seconds=run.ended - run.began,
            result=run.result,
            said=run.said,
            carried_bytes=run.bytes,
        )
        for host, run in told
    ]
    how_full = grown(index, service.looks.fills(plan_id))
    return body(
        FoundReport(
            asked=bool(newest),
            ages=ages,
            points=points,
            cells=cells,
            runs=runs,
            hollow=list(hollow(index, service.looks.carried(plan_id))),
            grown=how_full,
        )
    )


@router.get("/plans/{plan_id}/wear", response_model=WearList, operation_id="list_wear")
def list_wear(plan_id: str, service: TheService) -> Response:
    """Readings of every disk over time, and what they make of its failure rate."""
    _, plan = service.plans.head(plan_id)
    by_serial: dict[str, list[Reading]] = {}
    for one in service.looks.readings(plan_id):
        by_serial.setdefault(one.serial, []).append(
            Reading.model_validate({"seen_at": one.seen_at, **one.readings})
        )
    return body(WearList(disks=wear_of(Index(plan), by_serial)))


@router.get("/plans/{plan_id}/tokens", response_model=TokenList, operation_id="list_tokens")
def list_tokens(plan_id: str, service: TheService) -> Response:
    """Which hosts may send looks."""
    service.plans.row(plan_id)
    rows = [TokenState.model_validate(asdict(t)) for t in service.looks.tokens(plan_id)]
    return body(TokenList(tokens=rows))


@router.post(
    "/plans/{plan_id}/hosts/{host}/token",
    response_model=Token,
    status_code=201,
    operation_id="give_token",
)
def give_token(plan_id: str, host: str, service: TheService) -> Response:
    """A token with which a host sends its looks; the one that it had is withdrawn."""
    _, plan = service.plans.head(plan_id)
    _there(plan, host)
    return body(Token(token=service.looks.give_token(plan_id, host)), 201)


@router.delete(
    "/plans/{plan_id}/hosts/{host}/token", status_code=204, operation_id="withdraw_token"
)
def withdraw_token(plan_id: str, host: str, service: TheService) -> Response:
    """From now on nothing is taken by it."""
    _, plan = service.plans.head(plan_id)
    _there(plan, host)
    service.looks.withdraw_token(plan_id, host)
    return Response(status_code=204)


@router.post(
    "/observations",
    response_model=Look,
    status_code=201,
    operation_id="observe",
    openapi_extra=TEXT,
    responses={401: {"description": "No token, or one that was withdrawn"}},
)
def observe(
    request: Request,
    content: RawBody,
    service: TheService,
    authorization: Annotated[str | None, Header(max_length=300)] = None,
) -> Response:
    """Takes a look that a host sent itself, by its token."""
    scheme, _, token = (authorization or "").partition(" ")
    try:
        if scheme.lower() != "bearer":
            raise NoSuchToken
        plan_id, host = service.looks.whose_token(token.strip())
    except NoSuchToken:
        raise ProblemError(
            401, "not let in", "this token is nobody's, or it was withdrawn"
        ) from None
    _, plan = service.plans.head(plan_id)
    _there(plan, host)
    reading = _reading(content, service)
    return body(_look(_kept(service, plan_id, plan, host, reading.machine, content, True)), 201)
