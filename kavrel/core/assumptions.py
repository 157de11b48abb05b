"""Every figure that Kavrel takes for granted, gathered from the rules that use it.

A plan may hold its own value for any of them (`Plan.assumptions`). Each folder of the core lists its
own in `assumptions.py`: that is one line more in `FOLDERS` only for a new folder.
"""

from collections.abc import Iterator, Mapping
from functools import cached_property
from importlib import import_module

from kavrel.core.assumption import Assumption
from kavrel.core.plan import Plan
from kavrel.core.working import Working, step

FOLDERS = ("pools", "proof", "copies", "week", "shares", "log", "bench", "seen", "told")


class _Registry(Mapping[str, Assumption]):
    """By id; looked up when the first is asked for, since the folders lie above this module."""

    @cached_property
    def _by_id(self) -> dict[str, Assumption]:
        listed = (import_module(f"kavrel.core.{f}.assumptions").ASSUMPTIONS for f in FOLDERS)
        return {a.id: a for each in listed for a in each}

    def __getitem__(self, key: str) -> Assumption:
        return self._by_id[key]

    def __iter__(self) -> Iterator[str]:
        return iter(self._by_id)

    def __len__(self) -> int:
        return len(self._by_id)


REGISTRY: Mapping[str, Assumption] = _Registry()


class Assumptions:
    """The values that hold in one plan: its own where it has them, the defaults elsewhere."""

    def __init__(self, plan: Plan) -> None:
        self._own = {a.id: a.value for a in plan.assumptions}
        self._values = {a.id: a.default for a in REGISTRY.values()} | self._own

    def __getitem__(self, key: str) -> float:
        return self._values[key]

    def step(self, key: str) -> Working:
        """The assumption as a step of a working, with its source and where to edit it."""
        known = REGISTRY[key]
        own = key in self._own
        return step(
            known.label,
            self[key],
            known.unit,
            source="set in this plan" if own else known.source,
            assumption=key,
        )
