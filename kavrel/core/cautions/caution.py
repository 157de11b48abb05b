"""A caution: something a person of this trade would point at, with its reason and a way out."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Literal

from pydantic import BaseModel, ConfigDict

from kavrel.core.bench.power import Power
from kavrel.core.copies.book import CopyBook
from kavrel.core.index import Index
from kavrel.core.log.due import Due
from kavrel.core.pools.pool import PoolState
from kavrel.core.proof.proof import Cell
from kavrel.core.shares.access import Access
from kavrel.core.week.week import Week

Severity = Literal["serious", "caution", "advice"]
Sheet = Literal["bench", "pools", "shares", "copies", "week", "proof", "log"]


class Caution(BaseModel):
    """One finding: `about` is the id of the thing, `why` the reason, `remedy` the way out."""

    model_config = ConfigDict(frozen=True)

    rule: str
    severity: Severity
    sheet: Sheet
    about_kind: str
    about: str
    name: str
    why: str
    remedy: str


@dataclass(frozen=True)
class View:
    """Everything a rule may look at."""

    index: Index
    states: dict[str, PoolState]
    matrix: Sequence[Access]
    book: CopyBook
    week: Week
    cells: Sequence[Cell]
    due: Sequence[Due]
    power: Power
    today: date

    def stored_bytes(self, pool: str) -> int:
        """Bytes of others' newest copies on a pool; versions need more than that."""
        return sum(self.book.first_bytes(j) for j in self.index.plan.jobs if j.target_pool == pool)


Finding = tuple[str, str, str]  # id of the thing, its name, why


@dataclass(frozen=True)
class Rule:
    """A named check. `find` yields the id and name of each thing concerned, and why."""

    id: str
    severity: Severity
    sheet: Sheet
    about_kind: str
    remedy: str
    find: Callable[[View], Iterable[Finding]]

    def cautions(self, view: View) -> list[Caution]:
        """All findings of the rule as cautions."""
        return [
            Caution(
                rule=self.id,
                severity=self.severity,
                sheet=self.sheet,
                about_kind=self.about_kind,
                about=about,
                name=name,
                why=why,
                remedy=self.remedy,
            )
            for about, name, why in self.find(view)
        ]
