"""An arrangement of a few jobs, solved exactly: the most jobs placed, then the least moved.

Which pairs of starts meet on some night is worked out for every two jobs; HiGHS then chooses one
start a job of those that do not meet. Exact on the grid of starts that `arrange` looks at.
Source: scipy.optimize.milp (HiGHS).
"""

from collections.abc import Mapping, Sequence
from itertools import combinations
from typing import Any, Protocol

import numpy as np

from kavrel.core.copies.resource import Resource

MOST_JOBS = 8
MOST_SECONDS = 5.0
DAY_MINUTES = 1440
UNPLACED = 1e7  # dearer than any move of minutes
Array = np.ndarray[Any, Any]


class Placeable(Protocol):
    """What is asked of a job to be placed; see `arrange`."""

    @property
    def resources(self) -> tuple[Resource, ...]:
        """What it keeps busy."""

    @property
    def inside(self) -> tuple[int, ...]:
        """Minutes of the day at which it may start."""

    @property
    def low(self) -> int:
        """The minute of the day at which its window opens."""

    @property
    def now(self) -> int:
        """Its present start."""

    def runs(self, minute: int) -> list[tuple[float, float]]:
        """Begin and end of each run when it starts at this minute."""


def times(piece: Placeable, starts: Sequence[int]) -> Array:
    """Begin and end of every run for every start: starts x runs x 2, epoch s."""
    return np.array([piece.runs(m) for m in starts], dtype=float)


def meet(first: Array, second: Array, gap_seconds: float) -> Array:
    """For every two starts whether some two of their runs overlap or follow too closely."""
    meets = np.zeros((len(first), len(second)), dtype=bool)
    if not first.size or not second.size:
        return meets
    reach = max(_longest(first), _longest(second)) + 86_400 + gap_seconds
    theirs = second[:, :, 0].min(axis=0)
    for n in range(first.shape[1]):
        # Only the runs of nights that are near can be met at all.
        near = np.flatnonzero(np.abs(theirs - first[0, n, 0]) < 2 * reach)
        for k in near:
            begins = first[:, None, n, 0] < second[None, :, k, 1] + gap_seconds
            ends = second[None, :, k, 0] < first[:, None, n, 1] + gap_seconds
            meets |= begins & ends
    return meets


def _longest(runs: Array) -> float:
    return float((runs[:, :, 1] - runs[:, :, 0]).max())


def solve(
    pieces: Mapping[str, Placeable],
    standing: Sequence[Placeable],
    after: Mapping[str, tuple[str, int]],
    gap_seconds: float,
) -> dict[str, int] | None:
    """Start minutes of those that have a place; None where the time ran out before it was proven.

    `after`: job to the one that it must wait for and that one's longest run, in minutes.
    """
    from scipy.optimize import Bounds, LinearConstraint, milp  # loaded only where it is solved
    from scipy.sparse import vstack

    names = list(pieces)
    starts = {n: list(dict.fromkeys(pieces[n].inside)) for n in names}
    all_times = {n: times(pieces[n], starts[n]) for n in names}
    fixed = [(set(s.resources), times(s, [s.now])) for s in standing]
    offset, columns = {}, 0
    cost: list[float] = []
    upper: list[float] = []
    for n in names:
        offset[n] = columns
        columns += len(starts[n])
        free = np.ones(len(starts[n]), dtype=bool)
        for resources, held in fixed:
            if resources & set(pieces[n].resources) and len(starts[n]):
                free &= ~meet(all_times[n], held, gap_seconds)[:, 0]
        upper += [1.0 if f else 0.0 for f in free]
        cost += [_moved(pieces[n], minute, n in after) - UNPLACED for minute in starts[n]]
    if not columns:
        return {}
    rows = [_one_each(names, starts, offset, columns)]
    for a, b in combinations([n for n in names if starts[n]], 2):
        clash = np.zeros((len(starts[a]), len(starts[b])), dtype=bool)
        if set(pieces[a].resources) & set(pieces[b].resources):
            clash |= meet(all_times[a], all_times[b], gap_seconds)
        for reader, source, transposed in ((a, b, False), (b, a, True)):
            if after.get(reader, ("",))[0] == source:
                early = _early(pieces[reader], starts[reader], starts[source], after[reader][1])
                clash |= early.T if transposed else early
        rows += _apart(clash, offset[a], offset[b], columns)
    answer = milp(
        np.array(cost),
        constraints=LinearConstraint(vstack(rows), ub=1.0),
        integrality=np.ones(columns),
        bounds=Bounds(0, np.array(upper)),
        options={"time_limit": MOST_SECONDS},
    )
    if answer.status != 0 or answer.x is None:
        return None
    chosen = np.round(answer.x).astype(int)
    return {
        n: starts[n][k] for n in names for k in range(len(starts[n])) if chosen[offset[n] + k] == 1
    }


def _moved(piece: Placeable, minute: int, waits: bool) -> int:
    """What waits for another is best soon; others move as little as they can."""
    if waits:
        return (minute - piece.low) % DAY_MINUTES
    return min((minute - piece.now) % DAY_MINUTES, (piece.now - minute) % DAY_MINUTES)


def _one_each(
    names: Sequence[str], starts: Mapping[str, list[int]], offset: Mapping[str, int], columns: int
) -> Any:
    from scipy.sparse import coo_array

    row = [i for i, n in enumerate(names) for _ in starts[n]]
    column = [offset[n] + k for n in names for k in range(len(starts[n]))]
    return coo_array((np.ones(len(row)), (row, column)), shape=(len(names), columns)).tocsr()


def _apart(clash: Array, first: int, second: int, columns: int) -> list[Any]:
    """A start of the one, and any of the other that meet it, are one at most; both ways round."""
    from scipy.sparse import coo_array

    ruled = []
    for matrix, one, other in ((clash, first, second), (clash.T, second, first)):
        busy = np.flatnonzero(matrix.any(axis=1))
        if not len(busy):
            continue
        here = matrix[busy]
        row, column = np.nonzero(here)
        rows = np.concatenate((row, np.arange(len(busy))))
        cells = np.concatenate((column + other, busy + one))
        data = np.ones(len(rows))
        ruled.append(coo_array((data, (rows, cells)), shape=(len(busy), columns)).tocsr())
    return ruled


def _early(reader: Placeable, starts: Sequence[int], sources: Sequence[int], lasting: int) -> Array:
    """Starts of a reader that come before its source has ended, in the night of its window."""
    own = (np.array(starts)[:, None] - reader.low) % DAY_MINUTES
    done = (np.array(sources)[None, :] + lasting + 3 - reader.low) % DAY_MINUTES
    early: Array = own < done
    return early
