"""Random values over the whole range of every field of a plan's things, its edges first."""

import json
import random
import types
import typing
from collections.abc import Iterator, Sequence
from datetime import date
from typing import Any

import annotated_types as bounds
from pydantic import BaseModel, ValidationError

from kavrel.core.edit import EditError, put
from kavrel.core.plan import COLLECTIONS, Plan

DAYS = ("1970-01-01", "2026-11-24", "2027-06-01", "2199-12-31", "0001-01-01", "9999-12-31")


def leaves(model: type[BaseModel], above: tuple[str, ...] = ()) -> Iterator[Any]:
    """Path, annotation and metadata of every plain field, down into nested values."""
    for name, field in model.model_fields.items():
        kind = field.annotation
        if isinstance(kind, type) and issubclass(kind, BaseModel):
            yield from leaves(kind, (*above, name))
        else:
            yield (*above, name), kind, field.metadata


def limits(metadata: Sequence[Any]) -> tuple[float | None, float | None]:
    """The lowest and the highest that a field takes."""
    low = high = None
    for each in metadata:
        if isinstance(each, bounds.Ge):
            low = each.ge
        elif isinstance(each, bounds.Le):
            high = each.le
        elif hasattr(each, "metadata"):
            inner = limits(each.metadata)
            low, high = (
                low if inner[0] is None else inner[0],
                high if inner[1] is None else inner[1],
            )
    return low, high  # type: ignore[return-value]


def values(kind: Any, metadata: Sequence[Any], luck: random.Random) -> list[Any]:
    """Values at the edges of a field's range, and somewhere within."""
    origin, inside = typing.get_origin(kind), typing.get_args(kind)
    if origin in (typing.Union, types.UnionType):
        found = [v for a in inside if a is not type(None) for v in values(a, metadata, luck)]
        return [None, *found] if found else []
    if origin is typing.Annotated:
        return values(inside[0], [*metadata, *inside[1:]], luck)
    if origin is typing.Literal:
        return list(inside)
    low, high = limits(metadata)
    if kind is bool:
        return [True, False]
    if kind is int:
        least, most = int(low or 0), int(high or 1000)
        return [least, most, least + 1, most - 1, luck.randint(least, most)]
    if kind is float:
        lowest, highest = low or 0.0, high or 1e6
        span = highest - lowest
        near = lowest + span * 1e-9
        return [lowest, highest, near, lowest + span / 2, lowest + span * luck.random() ** 4]
    return list(DAYS) if kind is date else []


def edits(plan: Plan, seed: int, count: int) -> Iterator[tuple[str, Plan]]:
    """So many edits of one field each that are accepted, in words, with the plan that they make."""
    luck = random.Random(seed)
    collections = [c for c in COLLECTIONS if getattr(plan, c)]
    made = 0
    while made < count:
        collection = luck.choice(collections)
        item = luck.choice(getattr(plan, collection))
        path, kind, metadata = luck.choice(list(leaves(type(item))))
        choices = values(kind, metadata, luck) if path != ("id",) else []
        if not choices:
            continue
        raw = item.model_dump(mode="json")
        here = raw
        for name in path[:-1]:
            here = here[name]
        here[path[-1]] = value = luck.choice(choices)
        try:
            changed = put(plan, collection, type(item).model_validate_json(json.dumps(raw)))
        except (ValidationError, EditError):
            continue
        made += 1
        yield f"{collection}/{item.id} {'.'.join(path)} = {value!r}", changed
