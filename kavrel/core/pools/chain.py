"""A Markov chain's way to its ends, without a subtraction that could eat a small figure.

Odds of loss run down to 1e-30, where a general matrix exponential knows nothing any more. Here every
number that is added is positive, so that each keeps its leading digits. Rates are rows of lists: a group
of disks has few states, and to load a library would take longer than the answer.
Source: Jensen's uniformisation (Grassmann 1977) for a short step, squared; Grassmann, Taksar and Heyman
1985 for the elimination. SciPy's expm and solve say the same in the tests, as far as they reach.
"""

from collections.abc import Callable
from operator import mul
from typing import Any

Rows = list[list[float]]

TERMS = 18  # of a series that is divided by n!: what is left out is below 1e-16
BY_HAND = 6  # states; more than that are worth a library that is slow to load and quick to multiply


def reached(rates: Rows, hours: float) -> list[float]:
    """Probability of each state after so many hours from the first; `rates[i][j]` an hour, i to j.

    The diagonal is not looked at.
    """
    count = len(rates)
    fastest = max((sum(r) - r[i] for i, r in enumerate(rates)), default=0.0)
    if not fastest or not hours:
        return [1.0, *[0.0] * (count - 1)]
    squarings = 0
    while 2 * fastest * hours / 2**squarings > 1:
        squarings += 1
    short = hours / 2**squarings
    # Of a step so short half of the moments pass without a transition.
    jump = [
        [0.0 if i == j else r * short for j, r in enumerate(row)] for i, row in enumerate(rates)
    ]
    for i, row in enumerate(jump):
        row[i] = 1 - sum(row)
    return (_by_hand if count <= BY_HAND else _by_library)(jump, squarings)


def _by_hand(jump: Rows, squarings: int) -> list[float]:
    # An end has no way on: its row stays as it is, whatever is multiplied.
    ends = {i for i, row in enumerate(jump) if row[i] == 1.0}

    def product(a: Rows, b: Rows) -> Rows:
        columns = list(zip(*b, strict=True))
        return [
            row if i in ends else [sum(map(mul, row, column)) for column in columns]
            for i, row in enumerate(a)
        ]

    def weighed(a: Rows, weight: float, b: Rows) -> Rows:
        return [
            p if i in ends else [x + weight * y for x, y in zip(p, q, strict=True)]
            for i, (p, q) in enumerate(zip(a, b, strict=True))
        ]

    def certain(rows: Rows) -> Rows:
        walks = []
        for i, row in enumerate(rows):
            if row[i] == 1.0:
                walks.append(row)
                continue
            whole = sum(row)
            scaled = [value / whole for value in row]
            scaled[i] = 0.0
            scaled[i] = 1 - sum(scaled)
            walks.append(scaled)
        return walks

    one = [[float(i == j) for j in range(len(jump))] for i in range(len(jump))]
    return list(_walked(one, jump, squarings, product, weighed, certain)[0])


def _by_library(jump: Rows, squarings: int) -> list[float]:
    import numpy as np  # it takes longer to load than a small chain to solve

    def certain(rows: np.ndarray) -> np.ndarray:
        rows /= rows.sum(axis=1, keepdims=True)
        np.fill_diagonal(rows, 0.0)
        np.fill_diagonal(rows, 1 - rows.sum(axis=1))
        return rows

    walked = _walked(
        np.eye(len(jump)), np.array(jump), squarings, np.matmul, lambda a, w, b: a + w * b, certain
    )
    return [float(x) for x in walked[0]]


def _walked(
    one: Any,
    jump: Any,
    squarings: int,
    product: Callable[[Any, Any], Any],
    weighed: Callable[[Any, float, Any], Any],
    certain: Callable[[Any], Any],
) -> Any:
    """All transitions of a short step, squared; `certain` keeps each row's sum at 1.

    A clock that ticks once a step on average, with a transition at most at each tick: the sum of
    jump^n / n!, scaled. In `certain` the diagonal is what the others leave, so that what is rare keeps
    its digits beside what is nearly sure.
    """
    total, power, weight = one, one, 1.0
    for n in range(1, TERMS + 1):
        power, weight = product(power, jump), weight / n
        total = weighed(total, weight, power)
    step = certain(total)
    for _ in range(squarings):
        step = certain(product(step, step))
    return step


def mean_hours(rates: Rows, ends: int) -> float:
    """Mean hours from the first state until any of the last `ends` states."""
    inner = len(rates) - ends
    left = [[rates[i][j] if i != j else 0.0 for j in range(inner)] for i in range(inner)]
    out = [sum(rates[i][inner:]) for i in range(inner)]
    stay = [1.0] * inner
    for k in range(inner - 1, 0, -1):
        whole = sum(left[k][:k]) + out[k]
        for i in range(k):
            part = left[i][k] / whole
            stay[i] += part * stay[k]
            out[i] += part * out[k]
            for j in range(k):
                if j != i:
                    left[i][j] += part * left[k][j]
    return stay[0] / out[0] if out[0] else float("inf")
