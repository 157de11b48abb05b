"""A caution: something a person of this trade would point at, with its reason and a way out."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from functools import cached_property
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from kavrel.core.bench.power import Power
from kavrel.core.consistency import Problem
from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.ladder import Ladder
from kavrel.core.index import Index
from kavrel.core.log.due import Due
from kavrel.core.made import made
from kavrel.core.pools.pool import PoolState
from kavrel.core.pools.taken import Stored
from kavrel.core.proof.cell import Cell
from kavrel.core.shares.access import Access
from kavrel.core.shares.addresses import Listener
from kavrel.core.shares.promises import Promise
from kavrel.core.week.week import Week

Severity = Literal["serious", "caution", "advice"]
Sheet = Literal["bench", "pools", "shares", "copies", "week", "proof", "log"]


class Put(BaseModel):
    """One thing of the plan as it would be; `item` None takes it out."""

    model_config = ConfigDict(frozen=True)

    collection: str
    id: str
    item: dict[str, Any] | None


class Fix(BaseModel):
    """A change of the plan that settles the finding at one click, and can be undone."""

    model_config = ConfigDict(frozen=True)

    label: str
    puts: tuple[Put, ...]


class Caution(BaseModel):
    """One finding: `about` is the id of the thing, `why` the reason, `remedy` the way out.

    `could` says what may happen; `fix` is there where one change of the plan settles it.
    """

    model_config = ConfigDict(frozen=True)

    rule: str
    severity: Severity
    sheet: Sheet
    about_kind: str
    about: str
    name: str
    why: str
    remedy: str
    could: str = ""
    fix: Fix | None = None


@dataclass(frozen=True)
class View:
    """Everything a rule may look at."""

    index: Index
    states: dict[str, PoolState]
    stores: Mapping[str, Stored]
    matrix: Sequence[Access]
    book: CopyBook
    week: Week
    cells: Sequence[Cell]
    due: Sequence[Due]
    power: Power
    listeners: Sequence[Listener]
    promises: Sequence[Promise]
    ladders: Sequence[Ladder]
    impossible: Sequence[Problem]
    today: date

    @cached_property
    def by_share(self) -> dict[str, Sequence[Access]]:
        """The matrix share by share."""
        width = len(self.index.plan.accounts)
        return {
            share.id: self.matrix[n * width : (n + 1) * width]
            for n, share in enumerate(self.index.plan.shares)
        }

    @cached_property
    def by_account(self) -> dict[str, Sequence[Access]]:
        """The matrix account by account."""
        width = len(self.index.plan.accounts)
        return {a.id: self.matrix[n::width] for n, a in enumerate(self.index.plan.accounts)}

    @cached_property
    def by_dataset(self) -> dict[str, dict[str, Cell]]:
        """The proof's cells by dataset and hazard."""
        cells: dict[str, dict[str, Cell]] = {d.id: {} for d in self.index.plan.datasets}
        for cell in self.cells:
            cells[cell.dataset][cell.hazard] = cell
        return cells

    def stored(self, pool: str) -> Stored:
        """Others' newest copies on a pool and what all points on it hold, and how that grows."""
        return self.stores.get(pool, Stored())

    def fill(self, pool: str) -> float:
        """Share of a pool that is taken."""
        return self.states[pool].fill(self.stored(pool))

    def stored_bytes(self, pool: str) -> int:
        """Bytes of others' newest copies on a pool, and of what all points on it hold."""
        return self.stored(pool).now_bytes


def changed(label: str, collection: str, **values: Any) -> Callable[[View, str], Fix | None]:
    """A fix that changes some fields of the thing that the finding is about."""

    def fix(view: View, about: str) -> Fix | None:
        items = getattr(view.index.plan, collection)
        item = next((i for i in items if i.id == about), None)
        if item is None:
            return None
        new = {k: v(view) if callable(v) else v for k, v in values.items()}
        put = item.model_copy(update=new).model_dump(mode="json")
        return Fix(label=label, puts=(Put(collection=collection, id=about, item=put),))

    return fix


def removed(label: str, collection: str) -> Callable[[View, str], Fix | None]:
    """A fix that takes the thing out."""
    return lambda view, about: Fix(
        label=label, puts=(Put(collection=collection, id=about, item=None),)
    )


Finding = tuple[str, str, str]  # id of the thing, its name, why


@dataclass(frozen=True)
class Rule:
    """A named check. `find` yields the id and name of each thing concerned, and why.

    `whole`: it looks at prices or at the log, or its fix puts a thing that has a price; all others are
    looked at again only when something else changes.
    """

    id: str
    severity: Severity
    sheet: Sheet
    about_kind: str
    remedy: str
    find: Callable[[View], Iterable[Finding]]
    could: str = ""
    fix: Callable[[View, str], Fix | None] = lambda view, about: None
    whole: bool = False

    def cautions(self, view: View) -> list[Caution]:
        """All findings of the rule as cautions."""
        return [
            made(
                Caution,
                rule=self.id,
                severity=self.severity,
                sheet=self.sheet,
                about_kind=self.about_kind,
                about=about,
                name=name,
                why=why,
                remedy=self.remedy,
                could=self.could,
                fix=self.fix(view, about),
            )
            for about, name, why in self.find(view)
        ]
