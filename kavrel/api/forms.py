"""What the forms of the sheets ask for; it follows from the plan's models and the registries."""

from fastapi import APIRouter, Response
from pydantic import BaseModel

from kavrel.api.answer import body
from kavrel.core.forms import FormView, forms

router = APIRouter(prefix="/api/forms", tags=["forms"])


class FormList(BaseModel):
    """The forms of all collections."""

    forms: list[FormView]


@router.get("", response_model=FormList, operation_id="list_forms")
def list_forms() -> Response:
    """The fields of every collection, with labels, bounds, choices and a new thing to begin with."""
    return body(FormList(forms=list(forms())))
