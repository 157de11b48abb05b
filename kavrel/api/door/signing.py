"""Coming in and going out, and what everybody may settle for themselves."""

from dataclasses import asdict
from ipaddress import ip_address
from typing import Annotated

from fastapi import Depends, Path, Request, Response
from pydantic import BaseModel, ConfigDict, Field, SecretStr

from kavrel.api.answer import body
from kavrel.api.door.gate import cookie_name
from kavrel.api.door.roles import Routes
from kavrel.api.door.throttle import Throttle
from kavrel.api.door.visitor import TheVisitor, Visitor
from kavrel.api.problem import ProblemError
from kavrel.store import passwords
from kavrel.store.passkeys import Passkeys
from kavrel.store.people import LONGEST_SECONDS, NAME, NameTaken, People, Person, Role

Name = Annotated[str, Field(pattern=NAME, max_length=40)]
Password = Annotated[SecretStr, Field(max_length=1024)]
Code = Annotated[str, Field(pattern=r"^[0-9]{6}$")]
ANSWERS: dict[int | str, dict[str, str]] = {
    401: {"description": "Not signed in, or not with these words"},
    404: {"description": "No such person or session"},
    409: {"description": "Already so, or the last planner"},
    429: {"description": "Too many tries: wait for as long as Retry-After says"},
}
router = Routes(prefix="/api", tags=["door"], responses=ANSWERS)


class Sent(BaseModel):
    """A body that holds what is named here and nothing else."""

    model_config = ConfigDict(extra="forbid")


class VisitorView(BaseModel):
    """Who asks. `anybody`: people have to sign in here; `first`: the first may be made from here.

    `second`: codes are asked for; `owes`: more than a password is asked, and was not shown yet;
    `given`: they came in by a password that somebody else chose, and have to choose their own;
    `passkeys`: browsers make and use passkeys at this address.
    """

    name: str
    role: Role
    signed_in: bool
    anybody: bool
    first: bool
    second: bool
    owes: bool
    given: bool
    passkeys: bool


class Coming(Sent):
    """Name and password, and the code where one is asked for."""

    name: Annotated[str, Field(min_length=1, max_length=80)]
    password: Password
    code: Code | None = None


class First(Sent):
    """The first person: a planner."""

    name: Name
    password: Password


class NewPassword(Sent):
    """One's password as it is and as it shall be."""

    old: Password
    new: Password


class Again(Sent):
    """One's password once more, for what a session alone is not enough."""

    password: Password


class SecondSet(Sent):
    """The secret that was shown, with a code that it gives."""

    password: Password
    secret: Annotated[str, Field(pattern=r"^[A-Z2-7]{32}$")]
    code: Code


class SecondShown(BaseModel):
    """A fresh secret for an application for codes; `picture`: the address as a QR code (SVG, data: URI)."""

    secret: str
    address: str
    picture: str


class SessionView(BaseModel):
    """Where somebody is signed in."""

    number: str
    person: str
    made_at: float
    used_at: float
    address: str
    device: str
    this: bool


class SessionList(BaseModel):
    """Sessions, the one used last first."""

    sessions: list[SessionView]


class CalendarAddress(BaseModel):
    """The path of a calendar to subscribe to: whoever knows it reads it."""

    path: str


def the_people(request: Request) -> People:
    """The people of the application."""
    people: People = request.app.state.people
    return people


def the_throttle(request: Request) -> Throttle:
    """What counts failures; there from the first on."""
    state = request.app.state
    if state.throttle is None:
        state.throttle = Throttle()
    throttle: Throttle = state.throttle
    return throttle


ThePeople = Annotated[People, Depends(the_people)]
TheThrottle = Annotated[Throttle, Depends(the_throttle)]


def passkey_site(request: Request) -> str | None:
    """The host name to bind passkeys to; None where browsers make none.

    WebAuthn level 3, 5.1.3: a valid domain, in a secure context.
    """
    name = request.url.hostname or ""
    try:
        ip_address(name)
    except ValueError:
        return name if request.url.scheme == "https" or name == "localhost" else None
    return None


def _view(who: Visitor, people: People, request: Request) -> VisitorView:
    anybody = people.any()
    return VisitorView(
        name=who.name,
        role=who.role,
        signed_in=bool(who.name),
        anybody=anybody,
        first=not anybody and who.local,
        second=bool(who.name) and people.person(who.name).second,
        owes=who.owes,
        given=who.given,
        passkeys=passkey_site(request) is not None,
    )


def _cookie(response: Response, request: Request, cookie: str | None) -> None:
    secure = request.url.scheme == "https"
    response.set_cookie(
        cookie_name(secure),
        cookie or "",
        max_age=int(LONGEST_SECONDS) if cookie else 0,
        path="/",
        secure=secure,
        httponly=True,
        samesite="strict",
    )


def let_in(
    request: Request, people: People, who: Visitor, name: str, how: str = "", strong: bool = False
) -> Response:
    """A session of its own for whoever came in; one that the cookie held before is ended.

    `strong`: by more than a password.
    """
    if who.cookie:
        people.close(who.cookie)
    cookie = people.open(name, who.address, request.headers.get("user-agent", ""), strong)
    person = people.person(name)
    people.note(person.name, who.address, f"signed in {how}".rstrip())
    owes = not strong and _asked_of(people, person)
    given = person.given and not strong
    entered = Visitor(
        person.name, person.role, who.address, who.local, cookie=cookie, owes=owes, given=given
    )
    answer = body(_view(entered, people, request))
    _cookie(answer, request, cookie)
    return answer


def _asked_of(people: People, person: Person) -> bool:
    """Whether more than a password is asked of somebody."""
    whom = people.second_for()
    return whom == "everybody" or (whom == "planners" and person.role == "planner")


def slowed(who: Visitor, name: str, throttle: Throttle) -> None:
    """Raises 429 after too many failures."""
    wait = throttle.wait(name, who.address, who.local)
    if wait:
        raise ProblemError(
            429,
            "too many tries",
            f"Too many tries: wait {wait:.0f} s. At the machine itself the name stays open.",
            retry_after=int(wait) + 1,
        )


def checked(
    who: Visitor, name: str, password: SecretStr, people: People, throttle: Throttle
) -> None:
    """Raises 401 unless the password is the person's, 429 when there were too many failures."""
    slowed(who, name, throttle)
    if not passwords.same(people, name, password.get_secret_value()):
        throttle.failed(name, who.address, who.local)
        people.note(name, who.address, "refused: wrong password")
        raise ProblemError(401, "not let in", "The name or the password is not right.")


def fit(password: SecretStr, name: str, field: str = "password") -> str:
    """The hash of a password that will do; raises a problem at the field."""
    try:
        return passwords.hashed(passwords.fit(password.get_secret_value(), name))
    except passwords.WeakPassword as error:
        raise ProblemError(422, "not valid", str(error), [(field, str(error))]) from error


@router.get("/visitor", response_model=VisitorView, operation_id="get_visitor")
def get_visitor(request: Request, who: TheVisitor, people: ThePeople) -> Response:
    """Who asks, and whether they have to sign in."""
    return body(_view(who, people, request))


@router.post("/visitor/in", response_model=VisitorView, operation_id="sign_in")
def sign_in(
    coming: Coming, request: Request, who: TheVisitor, people: ThePeople, throttle: TheThrottle
) -> Response:
    """Signs in: the answer sets a cookie."""
    checked(who, coming.name, coming.password, people, throttle)
    kept = people.secrets(coming.name)
    if kept and kept.second_secret:
        if coming.code is None:
            raise ProblemError(
                401,
                "code wanted",
                "The code of your application for codes is wanted, too.",
                [("code", "six digits")],
            )
        step = passwords.step_of(kept.second_secret, coming.code, request.app.state.now())
        if step is None or not people.spend(coming.name, step):
            throttle.failed(coming.name, who.address, who.local)
            people.note(coming.name, who.address, "refused: wrong code")
            raise ProblemError(
                401,
                "not let in",
                "This code is not right, or it was used.",
                [("code", "not right")],
            )
        return let_in(request, people, who, coming.name, "with a code", strong=True)
    if kept and _asked_of(people, people.person(coming.name)):
        state = request.app.state
        if Passkeys(state.database, state.now).of(coming.name):
            said = "Come in by your passkey: a password alone is not enough here."
            raise ProblemError(401, "passkey wanted", said)
    return let_in(request, people, who, coming.name)


@router.post("/visitor/out", status_code=204, operation_id="sign_out")
def sign_out(request: Request, who: TheVisitor, people: ThePeople) -> Response:
    """Ends this session; the browser is told to keep nothing of it."""
    if who.cookie:
        people.close(who.cookie)
        people.note(who.name, who.address, "signed out")
    answer = Response(status_code=204, headers={"Clear-Site-Data": '"cache", "storage"'})
    _cookie(answer, request, None)
    return answer


@router.post("/people/first", response_model=VisitorView, operation_id="begin_people")
def begin_people(first: First, request: Request, who: TheVisitor, people: ThePeople) -> Response:
    """Makes the first person, a planner; only from the machine itself, while there is nobody."""
    if not who.local or people.any():
        raise ProblemError(
            403, "not yours to do", "The first person is made at the machine itself."
        )
    try:
        people.add(first.name, "planner", fit(first.password, first.name), first=True)
    except NameTaken:
        raise ProblemError(409, "already there", "Somebody is there already: sign in.") from None
    people.note(first.name, who.address, "made the first planner")
    return let_in(request, people, who, first.name)


@router.post("/visitor/password", status_code=204, operation_id="change_password")
def change_password(
    wanted: NewPassword, who: TheVisitor, people: ThePeople, throttle: TheThrottle
) -> Response:
    """Another password of one's own; all other sessions end."""
    signed_in(who)
    checked(who, who.name, wanted.old, people, throttle)
    if wanted.new.get_secret_value() == wanted.old.get_secret_value():
        said = "this is the one that you have" + (", and somebody else knows it" * who.given)
        raise ProblemError(422, "not valid", said, [("new", said)])
    people.set_password(who.name, fit(wanted.new, who.name, "new"), who.cookie)
    people.note(who.name, who.address, "changed the password")
    return Response(status_code=204)


def signed_in(who: Visitor) -> None:
    """Raises 404 where nobody has to sign in."""
    if not who.name:
        raise ProblemError(404, "no such person", "Nobody has to sign in here yet.")


@router.post("/visitor/second", response_model=SecondShown, operation_id="begin_second")
def begin_second(
    again: Again, who: TheVisitor, people: ThePeople, throttle: TheThrottle
) -> Response:
    """A fresh secret for an application for codes; it counts once a code of it was given."""
    import segno

    signed_in(who)
    checked(who, who.name, again.password, people, throttle)
    secret = passwords.new_second()
    address = passwords.second_address(secret, who.name)
    picture = str(segno.make(address, error="m").svg_data_uri(scale=4, border=4))
    return body(SecondShown(secret=secret, address=address, picture=picture))


@router.put("/visitor/second", status_code=204, operation_id="set_second")
def set_second(
    wanted: SecondSet, request: Request, who: TheVisitor, people: ThePeople, throttle: TheThrottle
) -> Response:
    """From now on a code is asked for at each sign-in."""
    signed_in(who)
    checked(who, who.name, wanted.password, people, throttle)
    step = passwords.step_of(wanted.secret, wanted.code, request.app.state.now())
    if step is None:
        said = "this code is not of that secret; is the clock of the telephone right?"
        raise ProblemError(422, "not valid", said, [("code", said)])
    people.set_second(who.name, wanted.secret, step)
    people.strengthen(who.cookie)
    people.note(who.name, who.address, "asks for codes from now on")
    return Response(status_code=204)


@router.post("/visitor/second/end", status_code=204, operation_id="end_second")
def end_second(again: Again, who: TheVisitor, people: ThePeople, throttle: TheThrottle) -> Response:
    """No code is asked for any more."""
    signed_in(who)
    checked(who, who.name, again.password, people, throttle)
    people.set_second(who.name, None)
    people.note(who.name, who.address, "asks for no codes any more")
    return Response(status_code=204)


@router.get("/visitor/sessions", response_model=SessionList, operation_id="list_sessions")
def list_sessions(who: TheVisitor, people: ThePeople) -> Response:
    """Where one is signed in oneself; a planner sees everybody."""
    rows = people.sessions(None if who.role == "planner" else who.name)
    views = [SessionView(**asdict(s), this=s.number == who.session) for s in rows]
    return body(SessionList(sessions=views))


@router.delete("/visitor/sessions/{number}", status_code=204, operation_id="end_session")
def end_session(
    number: Annotated[str, Path(max_length=40)], who: TheVisitor, people: ThePeople
) -> Response:
    """Ends a session of one's own; a planner ends any."""
    if not people.end(number, None if who.role == "planner" else who.name):
        raise ProblemError(404, "no such session", "this session has ended already")
    people.note(who.name, who.address, "ended a session")
    return Response(status_code=204)


@router.post("/visitor/calendar", response_model=CalendarAddress, operation_id="give_calendar")
def give_calendar(who: TheVisitor, people: ThePeople) -> Response:
    """A secret address of the calendar of what is due; the one before ends."""
    signed_in(who)
    secret = people.give_calendar(who.name)
    people.note(who.name, who.address, "made a calendar's address")
    return body(CalendarAddress(path=f"/api/calendar/{secret}"))


@router.delete("/visitor/calendar", status_code=204, operation_id="withdraw_calendar")
def withdraw_calendar(who: TheVisitor, people: ThePeople) -> Response:
    """The calendar's address is worth nothing from now on."""
    signed_in(who)
    people.withdraw_calendar(who.name)
    people.note(who.name, who.address, "withdrew the calendar's address")
    return Response(status_code=204)
