"""How the things of a plan are asked for: fields with labels, bounds and when they mean anything.

Everything follows from the plan's own models and from what the kinds of job and the protocols
declare: a field is described where it is, and nowhere again.
"""

from collections.abc import Iterator, Mapping
from types import UnionType
from typing import Any, Literal, Protocol, Union, get_args, get_origin

from annotated_types import Ge, Le
from pydantic import BaseModel, ConfigDict
from pydantic.fields import FieldInfo

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.kinds import KINDS
from kavrel.core.plan import COLLECTIONS
from kavrel.core.plan.marks import fields_of, mark_of
from kavrel.core.plan.value import Ref, Shown, When
from kavrel.core.pools.families import FAMILIES
from kavrel.core.quantities import Bytes, Day, Flag, Money, Note, WallTime
from kavrel.core.registry import OneOf
from kavrel.core.shares.protocols import EXPORTS

FieldKind = Literal[
    "text",
    "words",
    "numbers",
    "note",
    "number",
    "whole",
    "size",
    "capacity",
    "money",
    "select",
    "check",
    "several",
    "date",
    "time",
    "windows",
]


class _View(BaseModel):
    model_config = ConfigDict(frozen=True)


class ConditionView(_View):
    """What another field must be: one of `one_of`, none of `none_of`, or `filled`."""

    field: str
    one_of: tuple[str, ...] = ()
    none_of: tuple[str, ...] = ()
    filled: bool = False


Conditions = tuple[tuple[ConditionView, ...], ...]  # one of these, with all of its parts


class ChoiceView(_View):
    """A choice of a field, in words; it stands there where one of `when` holds."""

    value: str | int
    label: str
    when: Conditions = ()


class FieldView(_View):
    """A field of a form.

    `names`: the collection that its ids are of, `names_that` which of it, `names_own` those of it that
    name this thing there, `prefer` and `prefer_is` the one that a new thing begins with.
    """

    name: str
    label: str
    kind: FieldKind
    help: str
    unit: str
    optional: bool
    low: float | None
    high: float | None
    choices: tuple[ChoiceView, ...]
    names: str
    names_that: str
    names_own: bool
    prefer: str
    prefer_is: bool
    when: Conditions
    folded: bool  # nobody has to know of it to begin with: it waits below
    blank: Any  # what stands in it where it means nothing
    start: Any  # what a new thing begins with


class FormView(_View):
    """The fields of a collection's things in order, and a new thing to begin with."""

    collection: str
    fields: tuple[FieldView, ...]
    fresh: dict[str, Any]


class Deciding(Protocol):
    """Something declared that decides which other fields mean anything."""

    @property
    def id(self) -> str:
        """The choice."""

    def uses(self, field: str) -> bool:
        """Whether a field means anything with it."""

    def allows(self, field: str, choice: str) -> bool:
        """Whether a field may have a choice with it."""


# Collection and field whose choice decides about others.
DECIDE: Mapping[tuple[str, str], Mapping[str, Deciding]] = {
    ("jobs", "kind"): KINDS,
    ("exports", "protocol"): EXPORTS,
    ("pools", "filesystem"): FILESYSTEMS,
}
TITLES = {
    "FAMILIES": lambda: [(f.id, f.title) for f in FAMILIES.values()],
    "FILESYSTEMS": lambda: [(f.id, f.title) for f in FILESYSTEMS.values()],
    "KINDS": lambda: [(k.id, k.title) for k in KINDS.values()],
    "EXPORTS": lambda: [(p.id, p.title) for p in EXPORTS.values()],
}
_ALIASES: tuple[tuple[Any, FieldKind], ...] = (
    (Note, "note"),
    (WallTime, "time"),
    (Day, "date"),
    (Bytes, "size"),
    (Money, "money"),
    (Flag, "check"),
)


def forms() -> tuple[FormView, ...]:
    """The forms of all collections that people fill in."""
    return tuple(f for c in COLLECTIONS if (f := form(c)).fields)


def form(collection: str) -> FormView:
    """The form of a collection's things."""
    model = COLLECTIONS[collection]
    fields = tuple(_fields(collection, model))
    return FormView(collection=collection, fields=fields, fresh=_fresh(model, fields))


def _fields(collection: str, model: type[BaseModel]) -> Iterator[FieldView]:
    essentials = getattr(model, "ESSENTIALS", ())
    for path, info in fields_of(model):
        shown = mark_of(info, Shown)
        if shown is None:
            continue
        kind = _kind(info, shown)
        named = mark_of(info, Ref)
        bounds = _marks(info)
        low = next((m.ge for m in bounds if isinstance(m, Ge)), None)
        high = next((m.le for m in bounds if isinstance(m, Le)), None)
        blank = None if info.is_required() else info.get_default(call_default_factory=True)
        yield FieldView(
            name=path,
            label=shown.label,
            kind=kind,
            help=shown.help,
            unit=shown.unit,
            optional=_optional(info),
            low=float(low) if isinstance(low, int | float) else None,
            high=float(high) if isinstance(high, int | float) else None,
            choices=_choices(collection, path, info, shown),
            names=named.collection if named else "",
            names_that=named.that if named else "",
            names_own=bool(named and named.own),
            prefer=shown.prefer[0] if shown.prefer else "",
            prefer_is=bool(shown.prefer and shown.prefer[1]),
            when=_when(collection, path, shown),
            folded=bool(essentials) and path not in essentials,
            blank=blank,
            start=blank if shown.start is None else shown.start,
        )


def _optional(info: FieldInfo) -> bool:
    return get_origin(info.annotation) in (Union, UnionType)


def _inner(info: FieldInfo) -> Any:
    """The type of a field without the None that it may be."""
    if not _optional(info):
        return info.annotation
    part = next(p for p in get_args(info.annotation) if p is not type(None))
    return get_args(part)[0] if hasattr(part, "__metadata__") else part


def _marks(info: FieldInfo) -> list[Any]:
    marks: list[Any] = []
    for mark in (*info.metadata, *_inside(info)):
        marks += mark.metadata if isinstance(mark, FieldInfo) else [mark]
    return marks


def _inside(info: FieldInfo) -> list[Any]:
    parts = get_args(info.annotation) if _optional(info) else ()
    return [m for p in parts for m in getattr(p, "__metadata__", ())]


def _kind(info: FieldInfo, shown: Shown) -> FieldKind:
    marks, inner = _marks(info), _inner(info)
    named = mark_of(info, Ref) is not None
    if shown.as_:
        return shown.as_
    if get_origin(inner) is tuple:
        if named or shown.words:
            return "several"
        return "numbers" if get_args(inner)[0] is not str and _is_number(inner) else "words"
    if (
        shown.words
        or get_origin(inner) is Literal
        or named
        or any(isinstance(m, OneOf) for m in marks)
    ):
        return "select"
    for alias, kind in _ALIASES:
        mine = get_args(alias)[1:]
        plain = [x for m in mine for x in (m.metadata if isinstance(m, FieldInfo) else [m])]
        if inner is get_args(alias)[0] and plain and all(m in marks for m in plain):
            return kind
    if inner is bool:
        return "check"
    return {int: "whole", float: "number"}.get(inner, "text")  # type: ignore[return-value]


def _is_number(inner: Any) -> bool:
    first = get_args(inner)[0]
    return (get_args(first)[0] if hasattr(first, "__metadata__") else first) in (int, float)


def _choices(collection: str, path: str, info: FieldInfo, shown: Shown) -> tuple[ChoiceView, ...]:
    listed = next((m for m in _marks(info) if isinstance(m, OneOf)), None)
    if listed:
        pairs: list[tuple[Any, str]] = list(TITLES[listed.where.partition(":")[2]]())
    elif shown.words:
        pairs = list(shown.words.items())
    elif get_origin(_inner(info)) is Literal:
        pairs = [(value, str(value)) for value in get_args(_inner(info))]
    else:
        return ()
    deciding = DECIDE.get((collection, shown.by), {}).values()
    views = []
    for value, label in pairs:
        able = tuple(d.id for d in deciding if d.allows(path, str(value)))
        only = (
            () if len(able) == len(deciding) else ((ConditionView(field=shown.by, one_of=able),),)
        )
        views.append(ChoiceView(value=value, label=label, when=only))
    return tuple(views)


def _when(collection: str, path: str, shown: Shown) -> Conditions:
    said = tuple(tuple(_condition(w) for w in all_of) for all_of in shown.when)
    deciding = DECIDE.get((collection, shown.by), {})
    able = tuple(d.id for d in deciding.values() if d.uses(path))
    if len(able) == len(deciding):
        return said
    mine = ConditionView(field=shown.by, one_of=able)
    return tuple((mine, *all_of) for all_of in said) if said else ((mine,),)


def _condition(when: When) -> ConditionView:
    return ConditionView(field=when.field, one_of=when.is_, none_of=when.not_, filled=when.filled)


def _fresh(model: type[BaseModel], fields: tuple[FieldView, ...]) -> dict[str, Any]:
    """A new thing: every field's default, with what forms begin with instead; ids are still empty."""
    values = _defaults(model)
    for field in fields:
        if field.start is not None:
            *above, last = field.name.split(".")
            into = values
            for part in above:
                into = into[part]
            into[last] = field.start
    return values


def _defaults(model: type[BaseModel]) -> dict[str, Any]:
    values: dict[str, Any] = {}
    for name, info in model.model_fields.items():
        inner = info.annotation
        if isinstance(inner, type) and issubclass(inner, BaseModel):
            values[name] = _defaults(inner)
        elif not info.is_required():
            values[name] = info.get_default(call_default_factory=True)
        elif get_origin(inner) is tuple:
            values[name] = ()
        elif inner in (int, float):
            values[name] = 0
        else:
            values[name] = ""
    return values
