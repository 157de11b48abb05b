"""What the fields of a plan's things say of themselves: references, names that are one, forms."""

from collections.abc import Iterator
from functools import cache
from typing import Any, TypeVar, get_args

from pydantic import BaseModel
from pydantic.fields import FieldInfo

from kavrel.core.plan import COLLECTIONS
from kavrel.core.plan.value import Ref, Unique

Mark = TypeVar("Mark")


def mark_of(field: FieldInfo, kind: type[Mark]) -> Mark | None:
    """A field's mark of a kind; that of one which may be left empty stands inside the union."""
    marks = [m for m in field.metadata if isinstance(m, kind)]
    for part in get_args(field.annotation):
        marks += [m for m in getattr(part, "__metadata__", ()) if isinstance(m, kind)]
    return marks[0] if marks else None


def fields_of(model: type[BaseModel], above: str = "") -> Iterator[tuple[str, FieldInfo]]:
    """All fields with their paths, as `schedule.at`."""
    for name, field in model.model_fields.items():
        inner = field.annotation
        if isinstance(inner, type) and issubclass(inner, BaseModel):
            yield from fields_of(inner, f"{above}{name}.")
        else:
            yield above + name, field


@cache
def references() -> tuple[tuple[str, str, str], ...]:
    """Collection, field, and the collection that the field names something of."""
    return tuple(
        (collection, name, mark.collection)
        for collection, model in COLLECTIONS.items()
        for name, field in model.model_fields.items()
        if (mark := mark_of(field, Ref))
    )


@cache
def unique_fields() -> tuple[tuple[str, str], ...]:
    """Collection and field of the names that no two things share."""
    return tuple(
        (collection, name)
        for collection, model in COLLECTIONS.items()
        for name, field in model.model_fields.items()
        if mark_of(field, Unique)
    )


def named_in(value: Any, field: str) -> Iterator[tuple[str, str]]:
    """Places and ids in a reference: none, one, several, or groups of several."""
    if isinstance(value, str):
        yield field, value
    elif isinstance(value, tuple):
        for number, part in enumerate(value):
            yield from named_in(part, f"{field}.{number}" if isinstance(part, tuple) else field)
