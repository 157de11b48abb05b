"""Ways by which somebody is told, a message to try them, and what went by them."""

import re
from dataclasses import asdict
from typing import Annotated

from fastapi import Depends, Path, Request, Response
from pydantic import (
    BaseModel,
    Field,
    SecretStr,
    StringConstraints,
    field_validator,
)

from kavrel.api.answer import TheService, body
from kavrel.api.door.book import TheDoor
from kavrel.api.door.roles import Routes
from kavrel.api.door.signing import ANSWERS, Password, Sent, ThePeople, TheThrottle, checked
from kavrel.api.door.visitor import TheVisitor
from kavrel.api.items import PROBLEMS
from kavrel.api.problem import ProblemError
from kavrel.api.told.post import NotSent, post
from kavrel.core.quantities import Flag, Id, Line, WallTime, whole
from kavrel.core.told.news import TOPICS, Topic
from kavrel.store.outbox import Message, NoSuchWay, Outbox, Security, State, Way, WayKind

router = Routes(prefix="/api/plans/{plan_id}", tags=["told"], responses=PROBLEMS)
MAIL = r"^[A-Za-z0-9.!#$%&'*+/=?^_`{|}~-]{1,64}@[A-Za-z0-9.-]{1,190}$"
Place = Annotated[str, StringConstraints(strip_whitespace=True, max_length=500)]
Server = Annotated[str, Field(pattern=r"^[A-Za-z0-9.:-]*$", max_length=190)]


class WaySent(Sent):
    """A way as it is sent. `secret` left out stays as it was; empty takes it away.

    `topics` left out are all of them. Equal quiet hours are none. `own_password`: that of the planner,
    once more, where news of the lab begin to go to another place.
    """

    kind: WayKind
    name: Line
    works: Flag = True
    place: Place = ""
    server: Server = ""
    port: Annotated[int, whole(0, 65535)] = 0
    security: Security = "tls"
    login: Annotated[str, Field(max_length=190)] = ""
    secret: Annotated[SecretStr, Field(max_length=500)] | None = None
    sender: Place = ""
    quiet_from: WallTime = "22:00"
    quiet_until: WallTime = "07:00"
    daily_at: WallTime = "08:00"
    heartbeat_day: Annotated[int, whole(0, 6)] | None = 0
    topics: Annotated[list[Topic], Field(max_length=len(TOPICS))] = Field(
        default_factory=lambda: list(TOPICS)
    )
    own_password: Password | None = None

    @field_validator("login")
    @classmethod
    def _printable(cls, value: str) -> str:
        if not value.isprintable():
            raise ValueError("no line ends in a login")
        return value


def _complaints(sent: WaySent) -> list[tuple[str, str]]:
    """What of a way cannot be, field by field."""
    complaints = []
    if sent.kind == "mail":
        if not re.fullmatch(MAIL, sent.place):
            complaints.append(("place", "an address of mail, as you@home.example"))
        if not re.fullmatch(MAIL, sent.sender):
            complaints.append(("sender", "the address that it comes from, as lab@home.example"))
        if not sent.server:
            complaints.append(("server", "the mail server that takes it"))
        if sent.login and sent.security == "none":
            said = (
                "a login goes over TLS or STARTTLS only: else its password could be read on the way"
            )
            complaints.append(("security", said))
    if sent.kind == "webhook" and not re.fullmatch(r"https?://[^\s/]+(/\S*)?", sent.place):
        complaints.append(("place", "an address that begins with https:// or http://"))
    return complaints


class WayView(BaseModel):
    """A way, without its secret."""

    id: str
    kind: WayKind
    name: str
    works: bool
    place: str
    server: str
    port: int
    security: Security
    login: str
    has_secret: bool
    sender: str
    quiet_from: str
    quiet_until: str
    daily_at: str
    heartbeat_day: int | None
    topics: list[Topic]


class WayList(BaseModel):
    """The ways of a plan. `night`: what came of the database's own copy last night."""

    ways: list[WayView]
    night: str


class MessageView(BaseModel):
    """A message; `tries` so far, the next at `next_at` while it waits."""

    number: int
    way: str
    made_at: float
    subject: str
    body: str
    state: State
    tries: int
    next_at: float
    settled_at: float | None
    error: str


class MessageList(BaseModel):
    """Messages, the newest first."""

    messages: list[MessageView]


class Tried(BaseModel):
    """Whether a message to try a way was taken, or why not."""

    taken: bool
    why: str


def the_outbox(request: Request) -> Outbox:
    """The outbox of the application."""
    outbox: Outbox = request.app.state.outbox
    return outbox


TheOutbox = Annotated[Outbox, Depends(the_outbox)]
WayId = Annotated[Id, Path()]
USUAL_PORTS: dict[Security, int] = {"tls": 465, "starttls": 587, "none": 25}


def _view(way: Way) -> WayView:
    given = asdict(way)
    return WayView(**{**given, "has_secret": bool(given.pop("secret")), "topics": list(way.topics)})


def _message(message: Message) -> MessageView:
    given = asdict(message)
    return MessageView(**{k: given[k] for k in MessageView.model_fields})


def _there(outbox: Outbox, plan_id: str, way: str) -> Way:
    try:
        return outbox.way(plan_id, way)
    except NoSuchWay:
        raise ProblemError(404, "no such thing", f"there is no way {way}") from None


@router.get("/ways", response_model=WayList, operation_id="list_ways")
def list_ways(plan_id: str, service: TheService, outbox: TheOutbox) -> Response:
    """By which ways somebody is told."""
    service.plans.row(plan_id)
    ways = [_view(w) for w in outbox.ways(plan_id)]
    return body(WayList(ways=ways, night=outbox.said_of("night")))


@router.put("/ways/{way}", response_model=WayView, operation_id="put_way", responses=ANSWERS)
def put_way(
    plan_id: str,
    way: WayId,
    sent: WaySent,
    service: TheService,
    outbox: TheOutbox,
    door: TheDoor,
    who: TheVisitor,
    people: ThePeople,
    throttle: TheThrottle,
) -> Response:
    """Adds a way or changes it."""
    if wrong := _complaints(sent):
        raise ProblemError(422, "not valid", "; ".join(f"{f}: {m}" for f, m in wrong), wrong)
    service.plans.row(plan_id)
    known = next((w for w in outbox.ways(plan_id) if w.id == way), None)
    secret = sent.secret.get_secret_value() if sent.secret is not None else None
    # A secret goes with the place that it was given for: elsewhere it is asked for anew.
    moved = known is None or (known.place, known.server) != (sent.place, sent.server)
    # A session that was left open, or stolen, is not enough to have the lab's news sent elsewhere.
    if who.name and moved and sent.kind != "page":
        checked(who, who.name, sent.own_password or SecretStr(""), people, throttle)
    if secret is None:
        secret = known.secret if known and not moved else ""
    given = sent.model_dump(exclude={"secret", "topics", "own_password"})
    port = sent.port or (USUAL_PORTS[sent.security] if sent.kind == "mail" else 0)
    made = Way(**{**given, "id": way, "secret": secret, "port": port, "topics": tuple(sent.topics)})
    outbox.put(plan_id, made)
    door(f"set the way {made.name} to {made.place or 'the page'}")
    return body(_view(outbox.way(plan_id, way)))


@router.delete("/ways/{way}", status_code=204, operation_id="remove_way")
def remove_way(
    plan_id: str, way: WayId, service: TheService, outbox: TheOutbox, door: TheDoor
) -> Response:
    """Takes a way out, with what went by it."""
    service.plans.row(plan_id)
    _there(outbox, plan_id, way)
    outbox.remove(plan_id, way)
    door(f"took the way {way} out")
    return Response(status_code=204)


@router.post("/ways/{way}/test", response_model=Tried, operation_id="try_way")
def try_way(
    plan_id: str, way: WayId, request: Request, service: TheService, outbox: TheOutbox
) -> Response:
    """Sends a message to try a way, at once and whatever the hour."""
    name = service.plans.row(plan_id).name
    known = _there(outbox, plan_id, way)
    now = service.now().timestamp()
    message = Message(
        number=0,
        plan_id=plan_id,
        way=way,
        mark=f"try-{now:.0f}",
        made_at=now,
        daily=False,
        subject=f"{name}: a message to try this way",
        body="This way works. What is new in the lab will come by it.\n",
        state="sending",
        tries=0,
        next_at=now,
        settled_at=None,
        error="",
    )
    send = getattr(request.app.state, "send", post)
    try:
        send(message, known)
    except NotSent as error:
        return body(Tried(taken=False, why=str(error)))
    return body(Tried(taken=True, why=""))


@router.get("/messages", response_model=MessageList, operation_id="list_messages")
def list_messages(plan_id: str, service: TheService, outbox: TheOutbox) -> Response:
    """What went, what waits, and what could not go."""
    service.plans.row(plan_id)
    return body(MessageList(messages=[_message(m) for m in outbox.messages(plan_id)]))


@router.get("/notices", response_model=MessageList, operation_id="list_notices")
def list_notices(
    plan_id: str, service: TheService, outbox: TheOutbox, after: Annotated[int, Field(ge=0)] = 0
) -> Response:
    """What the page itself tells, where a way for that works; after a number, the newest first."""
    service.plans.row(plan_id)
    pages = {w.id for w in outbox.ways(plan_id) if w.kind == "page" and w.works}
    messages = [m for m in outbox.messages(plan_id) if m.way in pages and m.number > after]
    return body(MessageList(messages=[_message(m) for m in messages]))
