"""Views of what was computed: their values are right by construction, and there are thousands."""

from functools import cache
from typing import Any, TypeVar

from pydantic import BaseModel

Model = TypeVar("Model", bound=BaseModel)
_set = object.__setattr__


@cache
def _names(model: type[BaseModel]) -> set[str]:
    return set(model.model_fields)


def made(model: type[Model], /, **values: Any) -> Model:
    """A model of all its values, none of them looked at: ten times as quick as model_construct.

    Every field has to be given.
    """
    return bare(model, values, _names(model))


def bare(model: type[Model], values: dict[str, Any], names: set[str]) -> Model:
    """A model of these values alone: asking it for any other field is an AttributeError."""
    made = object.__new__(model)
    _set(made, "__dict__", values)
    _set(made, "__pydantic_fields_set__", names)
    _set(made, "__pydantic_extra__", None)
    _set(made, "__pydantic_private__", None)
    return made
