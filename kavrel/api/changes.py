"""What differs between two states of a plan, part by part: the answer to an edit is small.

A state is cut into parts (a collection's things, a sheet's figures, a proof's cells), each of them
written as JSON once. Whoever holds the state of a revision gets the parts that are others now.
"""

from collections.abc import Iterator
from typing import Any

from pydantic import BaseModel, Field
from pydantic_core import to_json

from kavrel.core.kept import Kept

DEEPEST = 3  # plan.disks.0, evaluation.strip.odds: what lies below is one part
KEPT = 12

# Things that were written lately, by themselves: they never change.
_texts: Kept[int, tuple[BaseModel, bytes]] = Kept(12_000)

Node = bytes | tuple[bytes, ...] | dict[str, "Node"]


class Difference(BaseModel):
    """What became of a part: another `value`, other `items` of a list of `length`, other `fields`."""

    value: Any = None
    length: int | None = None
    items: dict[str, Any] | None = None
    fields: dict[str, "Difference"] | None = None


class Changes(BaseModel):
    """The parts of a plan's state that are others than at `since`; all the rest is as it was."""

    since: str = Field(description="the entity tag of the state that these apply to")
    changes: Difference


def parts_of(value: Any, depth: int = 0) -> Node:
    """A model as JSON, part by part."""
    if isinstance(value, BaseModel) and depth < DEEPEST:
        return {name: parts_of(part, depth + 1) for name, part in value}
    if isinstance(value, tuple | list) and value:
        return tuple([_text(item) for item in value])
    return to_json(value)


def _text(item: Any) -> bytes:
    """A thing as JSON; what an edit left alone is the very same thing, and was written already."""
    if not isinstance(item, BaseModel):
        return to_json(item)
    known = _texts.get(id(item))
    if known is not None and known[0] is item:
        return known[1]
    text = to_json(item)
    _texts.put(id(item), (item, text))
    return text


def whole(node: Node) -> bytes:
    """The JSON of all parts together."""
    if isinstance(node, bytes):
        return node
    if isinstance(node, tuple):
        return b"[" + b",".join(node) + b"]"
    return b"{" + b",".join(to_json(k) + b":" + whole(v) for k, v in node.items()) + b"}"


def difference(before: Node, after: Node) -> bytes | None:
    """A `Difference` as JSON; None where nothing differs."""
    if before == after:
        return None
    if isinstance(before, dict) and isinstance(after, dict) and before.keys() == after.keys():
        changed = _members((k, difference(before[k], v)) for k, v in after.items())
        return b'{"fields":' + changed + b"}"
    if isinstance(before, tuple) and isinstance(after, tuple):
        head = len(before)
        changed = _members(
            (str(n), item) for n, item in enumerate(after) if n >= head or before[n] != item
        )
        short = b'{"length":%d,"items":%b}' % (len(after), changed)
        full = b'{"value":' + whole(after) + b"}"
        return short if len(short) < len(full) else full
    return b'{"value":' + whole(after) + b"}"


def _members(pairs: Iterator[tuple[str, bytes | None]]) -> bytes:
    return b"{" + b",".join(to_json(k) + b":" + v for k, v in pairs if v is not None) + b"}"


# The states handed out lately, part by part, by plan and entity tag.
Written = Kept[tuple[str, str], Node]
