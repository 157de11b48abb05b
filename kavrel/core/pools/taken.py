"""The room that data takes: what is kept for it counts from the first day, whether used or not.

A thick volume is written out or reserved when it is made; a reservation keeps room for a dataset
with all below it; a quota ends its growth. What is stored beside (copies, points) comes on top.
Source: zfsprops(7), refreservation, reservation and quota; a thick LUN is a file of its full length.
"""

from collections.abc import Iterable
from dataclasses import dataclass

from kavrel.core.index import Index
from kavrel.core.plan import Dataset

LONGEST_YEARS = 1_000.0


@dataclass(frozen=True)
class Tree:
    """A dataset with those below it: bytes of its data, of its thick volumes and kept for it."""

    size_bytes: int
    a_year_bytes: int = 0
    thick_bytes: int = 0
    reserve_bytes: int = 0
    quota_bytes: int | None = None
    below: tuple["Tree", ...] = ()

    def at(self, years: float) -> float:
        """Bytes that it takes so many years from now."""
        own = max(self.size_bytes + self.a_year_bytes * years, self.thick_bytes)
        inside = own + sum(t.at(years) for t in self.below)
        if self.quota_bytes is not None:
            # Growth ends at the quota; what is there already stays.
            now = self.size_bytes + sum(t.size_bytes for t in self.below)
            inside = min(inside, max(self.quota_bytes, now))
        return max(inside, self.reserve_bytes)


def trees(index: Index, pool: str) -> tuple[Tree, ...]:
    """The datasets of a pool that stand on top, each with those below it."""
    here = [d for d in index.plan.datasets if d.pool == pool]
    return tuple(_tree(index, d) for d in here if d.parent is None)


def _tree(index: Index, dataset: Dataset) -> Tree:
    thick = sum(
        e.size_bytes or 0 for e in index.plan.exports if e.dataset == dataset.id and e.thick
    )
    return Tree(
        dataset.size_bytes,
        dataset.growth_bytes_per_year,
        thick,
        dataset.reserve_bytes,
        dataset.quota_bytes,
        tuple(_tree(index, d) for d in index.plan.datasets if d.parent == dataset.id),
    )


@dataclass(frozen=True)
class Stored:
    """Bytes of copies and points on a pool that are not its datasets, now and more each year."""

    now_bytes: int = 0
    a_year_bytes: int = 0


@dataclass(frozen=True)
class Need:
    """Bytes a pool must hold now, and how many more each year; `trees` come on top."""

    now_bytes: int
    a_year_bytes: int
    trees: tuple[Tree, ...] = ()

    def at(self, years: float) -> int:
        """Bytes needed so many years from now."""
        return int(self.now_bytes + self.a_year_bytes * years + self._inside(years))

    def until(self, bytes_: float) -> float | None:
        """Years until so many bytes are needed; 0 when they already are, None for never."""

        def over(years: float) -> float:
            return self.now_bytes + self.a_year_bytes * years + self._inside(years) - bytes_

        if over(0.0) >= 0:
            return 0.0
        if over(LONGEST_YEARS) < 0:
            return None
        from scipy.optimize import brentq  # loaded only where something grows

        return float(brentq(over, 0.0, LONGEST_YEARS, xtol=1e-9))

    def _inside(self, years: float) -> float:
        return sum(t.at(years) for t in self.trees)


def reserved_bytes(trees: Iterable[Tree]) -> int:
    """Bytes that are taken beyond the data itself."""
    return sum(int(t.at(0.0)) - _data(t) for t in trees)


def _data(tree: Tree) -> int:
    return tree.size_bytes + sum(_data(t) for t in tree.below)
