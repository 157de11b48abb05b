"""Fair sharing against a linear program: the lexicographic optimum, found level by level by HiGHS.

Source: max-min fairness as the lexicographic maximum of the sorted shares, Bertsekas and Gallager
1992; the program is solved by scipy.optimize.linprog.
"""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import linprog

from kavrel.core.week.sharing import Demand, fair_rates

RESOURCES = ("disks", "lan", "link")


def by_program(demands: list[Demand], capacity: dict[str, float]) -> list[float]:
    """Rates by linear programs: the smallest dominant share is raised as far as it goes, whoever
    cannot go further is fixed, and so on."""
    count = len(demands)
    full = [capacity.get(r, 1.0) for r in RESOURCES]
    use = np.array([[dict(d.loads).get(r, 0.0) for d in demands] for r in RESOURCES])
    dominant = [max(use[k][i] / full[k] for k in range(len(RESOURCES))) for i in range(count)]
    top = [1 / d.alone for d in demands]
    fixed: dict[int, float] = {}
    while len(fixed) < count:

        def best(goal: int | None, floor: float | None = None) -> float:
            """The highest common share of the open ones; or the highest rate of one of them."""
            rows, limits = [], []
            for k in range(len(RESOURCES)):
                rows.append([*use[k], 0.0])
                limits.append(full[k])
            for i in range(count):
                if i not in fixed:
                    rows.append([-dominant[i] * (j == i) for j in range(count)] + [1.0])
                    limits.append(0.0)
            bounds: list[tuple[float, float | None]] = [
                (fixed[i] * (1 - 1e-9), fixed[i]) if i in fixed else (0, top[i])
                for i in range(count)
            ]
            aim = [0.0] * (count + 1)
            aim[count if goal is None else goal] = -1.0
            bounds.append((floor or 0, None))
            found = linprog(aim, A_ub=rows, b_ub=limits, bounds=bounds, method="highs")
            assert found.status == 0, found.message
            return float(-found.fun)

        # Whoever goes at its own full speed has all it can use: the others' level may rise past it.
        level = best(None)
        newly = [
            i
            for i in range(count)
            if i not in fixed and best(i, level * (1 - 1e-7)) * dominant[i] <= level * (1 + 1e-5)
        ]
        assert newly
        for i in newly:
            fixed[i] = level / dominant[i]
    return [fixed[i] for i in range(count)]


DEMANDS = st.lists(
    st.builds(
        lambda loads, more: Demand(tuple(loads.items()), max(loads.values()) * more),
        st.dictionaries(st.sampled_from(RESOURCES), st.floats(1, 100), min_size=1),
        st.sampled_from([1.0, 1.5, 4.0]),
    ),
    min_size=1,
    max_size=5,
)


@given(DEMANDS, st.dictionaries(st.sampled_from(RESOURCES), st.sampled_from([0.25, 0.5, 1.0])))
@settings(max_examples=40, deadline=None)
def test_rates_are_those_of_the_linear_program(
    demands: list[Demand], capacity: dict[str, float]
) -> None:
    assert fair_rates(demands, capacity) == pytest.approx(by_program(demands, capacity), rel=1e-3)
