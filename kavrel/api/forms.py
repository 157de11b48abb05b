"""What the forms of the sheets ask for; it follows from the plan's models and the registries."""

from collections.abc import Mapping
from typing import Any

from fastapi import Response
from pydantic import BaseModel

from kavrel.api.answer import body
from kavrel.api.door.roles import Routes
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.forms import FormView, forms
from kavrel.core.shares.protocols import PROTOCOLS
from kavrel.formats.readers import READERS

router = Routes(prefix="/api/forms", tags=["forms"])


class Named(BaseModel):
    """Something declared, by its id and in words."""

    id: str
    title: str


class FormList(BaseModel):
    """The forms of all collections, and what can be chosen beside them."""

    forms: list[FormView]
    filesystems: list[Named]
    protocols: list[Named]
    readers: list[Named]


def _named(declared: Mapping[str, Any]) -> list[Named]:
    return [Named(id=d.id, title=d.title) for d in declared.values()]


def form_list() -> FormList:
    """Everything that the sheets ask for."""
    return FormList(
        forms=list(forms()),
        filesystems=_named(FILESYSTEMS),
        protocols=_named(PROTOCOLS),
        readers=_named(READERS),
    )


@router.get("", response_model=FormList, operation_id="list_forms")
def list_forms() -> Response:
    """The fields of every collection, with labels, bounds, choices and a new thing to begin with."""
    return body(form_list())
