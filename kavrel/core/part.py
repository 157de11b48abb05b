"""Parts of an evaluation: what an edit cannot touch is not computed again.

A part declares which collections of the plan it may look at, and which fields of their things it
may not (a price says nothing about a night), and of what sort those things are. It is given a plan
that has nothing else, so that a rule that looks further fails there: then the part is reckoned from
the whole plan, and not kept. What is kept is therefore never older than what it follows from.
"""

import logging
from collections import deque
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass
from datetime import date
from threading import Lock
from typing import Any, Generic, TypeVar

from kavrel.core.index import Index
from kavrel.core.kept import Kept
from kavrel.core.made import bare
from kavrel.core.plan import Plan
from kavrel.core.registry import generation

Answer = TypeVar("Answer")
_bare: Kept[tuple[int, tuple[str, ...]], tuple[Any, Any]] = Kept(20_000)
_say = logging.getLogger(__name__)


class Undeclared(AttributeError):
    """A part looked at something of the plan that it does not declare."""


class Narrow(Plan):
    """A plan that has some of its collections only."""

    def __getattr__(self, name: str) -> Any:
        raise Undeclared(f"this part does not declare that it looks at {name}")


@dataclass(frozen=True, eq=False)
class _Known(Generic[Answer]):
    key: tuple[Any, ...]
    answer: Answer


class Part(Generic[Answer]):
    """A part: `work` on what `looks_at` names, things without the fields that `blind_to` names.

    `only` says, by collection, which of its things count: the others are not there at all.
    `most` results are kept, the newest ones: those of the plans that people look at.
    """

    strict = False  # whether looking further is an error: in tests it is

    def __init__(
        self,
        work: Callable[..., Answer],
        looks_at: Collection[str],
        blind_to: Mapping[str, tuple[str, ...]] | None = None,
        only: Mapping[str, Callable[[Any], bool]] | None = None,
        most: int = 8,
    ) -> None:
        self._work = work
        self._looks_at = tuple(looks_at)
        self._blind_to = blind_to or {}
        self._only = only or {}
        self._kept: deque[_Known[Answer]] = deque(maxlen=most)
        self._guard = Lock()

    def of(self, plan: Plan, today: date, *more: Any) -> Answer:
        """What follows from the plan as of a day, and from `more`, which is compared by value."""
        values = {n: self._seen(n, getattr(plan, n)) for n in self._looks_at}
        key = (generation(), today, tuple(values.values()), more)
        with self._guard:
            held = list(self._kept)
        known = next((k for k in reversed(held) if k.key == key), None)
        if known:
            return known.answer
        try:
            told = self._work(Index(bare(Narrow, values, set(values))), today, *more)
        except AttributeError:
            if self.strict:
                raise
            _say.exception("a part of the evaluation looked further than it declares")
            return self._work(Index(plan), today, *more)
        with self._guard:
            self._kept.append(_Known(key, told))
        return told

    def forget(self) -> None:
        """Empties what is kept."""
        with self._guard:
            self._kept.clear()

    def _seen(self, collection: str, value: Any) -> Any:
        fields, counts = self._blind_to.get(collection), self._only.get(collection)
        if counts:
            value = tuple(filter(counts, value))
        return tuple([_without(item, fields) for item in value]) if fields else value


def _without(item: Any, fields: tuple[str, ...]) -> Any:
    """The item without these fields; the same one for the same item."""
    key = (id(item), fields)
    known = _bare.get(key)
    if known is not None and known[0] is item:
        return known[1]
    values = {k: v for k, v in item.__dict__.items() if k not in fields}
    copy = bare(type(item), values, item.__pydantic_fields_set__ - set(fields))
    _bare.put(key, (item, copy))
    return copy
