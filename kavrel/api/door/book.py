"""Writes into the book at the door what a signed-in visitor did that leaves no revision."""

from collections.abc import Callable
from typing import Annotated

from fastapi import Depends, Request

from kavrel.api.door.visitor import TheVisitor
from kavrel.store.people import People


def door(request: Request, who: TheVisitor) -> Callable[[str], None]:
    """Writes a line under the visitor's name; nothing where nobody has to sign in."""
    people: People = request.app.state.people

    def write(what: str) -> None:
        if who.name:
            people.note(who.name, who.address, what)

    return write


TheDoor = Annotated[Callable[[str], None], Depends(door)]
