"""What a hazard declares: what it takes, when it is noticed, what must be mended first."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal

from kavrel.core.copies.book import Copy, CopyBook
from kavrel.core.index import Index
from kavrel.core.plan import Dataset
from kavrel.core.shares.access import Access

State = Literal["stands", "gone", "spoiled"]


@dataclass(frozen=True)
class Step:
    """One step on the way back, with its hours and the assumption behind them."""

    text: str
    hours: float
    assumption: str = ""


@dataclass(frozen=True)
class Strike:
    """What a hazard does to one dataset.

    `seen_after_days` is set when damage is noticed late, so that only points from before it
    help. `silent_days` is set when copies stop arriving while the data itself runs on,
    `unmoved_days` when only what is newer than that is lost with a fast tier.
    """

    state: State
    why: str
    dies: tuple[str, ...] = ()
    lost_copy: Callable[[Copy], str | None] = field(default=lambda copy: None)
    seen_after_days: float | None = None
    silent_days: float | None = None
    unmoved_days: float | None = None
    repair: tuple[Step, ...] = ()
    share_of_data: float = 1.0


@dataclass(frozen=True)
class Scene:
    """The plan as a hazard sees it."""

    index: Index
    book: CopyBook
    matrix: tuple[Access, ...]

    def own_pool(self, dataset: Dataset) -> str:
        """Name of the pool that the dataset lives on."""
        return self.index.pools[dataset.pool].name


@dataclass(frozen=True)
class Hazard:
    """A thing that can happen: `strike` says what it does to a dataset."""

    id: str
    title: str
    question: str
    strike: Callable[[Scene, Dataset], Strike]


def on_pool(pool: str, why: str) -> Callable[[Copy], str | None]:
    """Copies on a pool are lost, for the reason given."""
    return lambda copy: why if copy.place.pool == pool else None


def key_sites(copy: Copy, index: Index) -> tuple[str, ...]:
    """Where the key of an encrypted copy is; nowhere else than with the box that made it."""
    if copy.job.key_kept_at:
        return copy.job.key_kept_at
    return (index.site_of_pool(copy.dataset.pool),)
