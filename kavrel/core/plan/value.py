"""What the things of a plan have in common, and what a form needs to know of their fields."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar, Literal

from pydantic import BaseModel, ConfigDict


class Value(BaseModel):
    """A frozen value that refuses fields it does not know.

    `ESSENTIALS` are the fields that a form asks for to begin with; the rest is folded, with its
    defaults said. None: all of them.
    """

    ESSENTIALS: ClassVar[tuple[str, ...]] = ()

    model_config = ConfigDict(frozen=True, extra="forbid")


@dataclass(frozen=True)
class Ref:
    """Of an id, or a tuple of ids: the collection that it names something of.

    `that` narrows what a form offers: a field that must be filled, or what the thing's kind must be;
    with `own`, that field has to name the very thing whose form it is.
    """

    collection: str
    that: str = ""
    own: bool = False


@dataclass(frozen=True)
class Unique:
    """No two things of the collection have the same; names that differ in case only are one."""


@dataclass(frozen=True)
class When:
    """A condition on another field of the same thing.

    `is_` and `not_`: its value is, or is not, one of these. `filled`: something stands in it, and it
    is no zero.
    """

    field: str
    is_: tuple[str, ...] = ()
    not_: tuple[str, ...] = ()
    filled: bool = False


@dataclass(frozen=True)
class Shown:
    """How a field is asked for.

    `unit` stands behind it, with `{currency}` for the plan's; `words` name the choices; `start` is
    what a new thing begins with where that is not the default; `as_` says how it is written where
    its type does not: a `capacity` as sold, a `size`, `windows` of age. It is asked for where one of the
    conditions of `when` holds with all of its parts; `by` names the field whose choice decides,
    with what is declared for that choice.
    """

    label: str
    help: str = ""
    unit: str = ""
    words: Mapping[Any, str] = field(default_factory=dict, hash=False)
    start: Any = None
    as_: Literal["", "capacity", "size", "windows"] = ""
    when: tuple[tuple[When, ...], ...] = ()
    by: str = ""
    prefer: tuple[str, bool] | None = None  # of a reference: the first thing that is so
