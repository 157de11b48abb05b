"""Who may come in, settled by a planner, and the book kept at the door."""

from dataclasses import asdict
from typing import Annotated

from fastapi import Path, Response
from pydantic import BaseModel

from kavrel.api.answer import body
from kavrel.api.door.roles import Routes
from kavrel.api.door.signing import (
    ANSWERS,
    Name,
    Password,
    Sent,
    ThePeople,
    TheThrottle,
    checked,
    fit,
)
from kavrel.api.door.visitor import TheVisitor, Visitor
from kavrel.api.problem import ProblemError
from kavrel.core.quantities import Flag
from kavrel.store.people import LastPlanner, NameTaken, NoSuchPerson, Role, SecondFor

router = Routes(prefix="/api/people", tags=["door"], responses=ANSWERS)
Called = Annotated[str, Path(max_length=80)]


class PersonView(BaseModel):
    """Somebody who may come in. `given`: by a password that somebody else chose, to choose another."""

    name: str
    role: Role
    second: bool
    made_at: float
    calendar: bool
    passkeys: int
    given: bool


class NewPerson(Sent):
    """Somebody to let in; `own_password` is that of the planner who does it."""

    name: Name
    role: Role
    password: Password
    own_password: Password


class Own(Sent):
    """The password of the planner who does it, once more."""

    own_password: Password


class DoorRule(BaseModel):
    """Of whom more than a password is asked: a code beside it, or a passkey instead."""

    second_for: SecondFor


class NewDoorRule(DoorRule, Sent):
    """Another rule; `own_password` is that of the planner who sets it."""

    own_password: Password


class PersonChange(Sent):
    """Another role or another password; what is left out stays.

    `codes`: false asks for none any more; `passkeys`: false takes them away, as after a theft.
    """

    role: Role | None = None
    password: Password | None = None
    codes: Flag | None = None
    passkeys: Flag | None = None
    own_password: Password


class NoteView(BaseModel):
    """A line of the book at the door."""

    at: float
    who: str
    address: str
    what: str


class Household(BaseModel):
    """Everybody, by name."""

    people: list[PersonView]


class Door(BaseModel):
    """The book at the door, the newest line first."""

    notes: list[NoteView]


@router.get("", response_model=Household, operation_id="list_people")
def list_people(people: ThePeople) -> Response:
    """Who may come in."""
    return body(Household(people=[PersonView(**asdict(p)) for p in people.all()]))


@router.get("/door", response_model=Door, operation_id="list_door")
def list_door(people: ThePeople) -> Response:
    """Who came in, who was refused, and what leaves no revision."""
    return body(Door(notes=[NoteView(**asdict(n)) for n in people.notes()]))


@router.get("/rule", response_model=DoorRule, operation_id="get_door_rule")
def get_door_rule(people: ThePeople) -> Response:
    """Of whom more than a password is asked."""
    return body(DoorRule(second_for=people.second_for()))


@router.put("/rule", response_model=DoorRule, operation_id="put_door_rule")
def put_door_rule(
    wanted: NewDoorRule, who: TheVisitor, people: ThePeople, throttle: TheThrottle
) -> Response:
    """Asks more than a password of some; sessions of theirs that a password alone opened end."""
    _as_planner(who)
    checked(who, who.name, wanted.own_password, people, throttle)
    if wanted.second_for != "nobody" and not people.strong(who.cookie):
        said = "Set up codes or a passkey for yourself first: it would shut you out."
        raise ProblemError(409, "yourself first", said)
    people.ask_second_of(wanted.second_for)
    people.note(who.name, who.address, f"asks more than a password of {wanted.second_for}")
    return body(DoorRule(second_for=wanted.second_for))


def _as_planner(who: Visitor) -> None:
    if not who.name:
        raise ProblemError(404, "no such person", "Make the first person before others.")


def _last() -> ProblemError:
    said = "This is the only planner: nobody could let anybody in any more."
    return ProblemError(409, "last planner", said)


def _nobody(name: str) -> ProblemError:
    return ProblemError(404, "no such person", f"nobody is called {name}")


@router.post("", response_model=PersonView, status_code=201, operation_id="add_person")
def add_person(
    new: NewPerson, who: TheVisitor, people: ThePeople, throttle: TheThrottle
) -> Response:
    """Lets somebody in."""
    _as_planner(who)
    checked(who, who.name, new.own_password, people, throttle)
    try:
        added = people.add(new.name, new.role, fit(new.password, new.name), given=True)
    except NameTaken:
        said = "somebody is called that already"
        raise ProblemError(409, "already there", said, [("name", said)]) from None
    people.note(who.name, who.address, f"let {new.name} in as {new.role}")
    return body(PersonView(**asdict(added)), 201)


@router.patch("/{name}", response_model=PersonView, operation_id="change_person")
def change_person(
    name: Called, wanted: PersonChange, who: TheVisitor, people: ThePeople, throttle: TheThrottle
) -> Response:
    """Another role or password for somebody; with a new password all their sessions end."""
    _as_planner(who)
    checked(who, who.name, wanted.own_password, people, throttle)
    try:
        if wanted.password is not None:
            own = who.name.casefold() == name.casefold()
            keep = who.cookie if own else None
            people.set_password(name, fit(wanted.password, name), keep, given=not own)
            people.note(who.name, who.address, f"gave {name} another password")
        if wanted.role is not None:
            people.set_role(name, wanted.role)
            people.note(who.name, who.address, f"made {name} {wanted.role}")
        if wanted.codes is False:
            people.set_second(name, None)
            people.note(who.name, who.address, f"asks {name} for no codes any more")
        if wanted.passkeys is False:
            taken = people.forget_passkeys(name)
            people.note(who.name, who.address, f"took {taken} passkeys of {name} away")
        return body(PersonView(**asdict(people.person(name))))
    except LastPlanner:
        raise _last() from None
    except NoSuchPerson:
        raise _nobody(name) from None


@router.post("/{name}/end", status_code=204, operation_id="remove_person")
def remove_person(
    name: Called, again: Own, who: TheVisitor, people: ThePeople, throttle: TheThrottle
) -> Response:
    """Lets somebody in no more; their sessions end at once."""
    _as_planner(who)
    checked(who, who.name, again.own_password, people, throttle)
    try:
        people.remove(name)
    except LastPlanner:
        raise _last() from None
    except NoSuchPerson:
        raise _nobody(name) from None
    people.note(who.name, who.address, f"let {name} in no more")
    return Response(status_code=204)
