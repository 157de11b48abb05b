"""Who a request comes from."""

from dataclasses import dataclass
from typing import Annotated

from fastapi import Depends, Request

from kavrel.store.people import Role


@dataclass(frozen=True)
class Visitor:
    """`name` is empty where nobody has to sign in; `local`: straight from the machine itself.

    `owes`: more than a password is asked of them, and was not shown. `given`: they came in by a
    password that somebody else chose.
    """

    name: str
    role: Role
    address: str
    local: bool
    session: str = ""
    cookie: str = ""
    owes: bool = False
    given: bool = False


def visitor(request: Request) -> Visitor:
    """The visitor that the gate let in."""
    who: Visitor = request.scope["state"]["visitor"]
    return who


TheVisitor = Annotated[Visitor, Depends(visitor)]
