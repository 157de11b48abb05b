"""Mean time to data loss against the paper that named RAID.

Source: D. A. Patterson, G. Gibson, R. H. Katz, "A Case for Redundant Arrays of Inexpensive Disks
(RAID)", SIGMOD 1988: disk MTTF 30,000 h, 100 data disks, repair 1 h. Groups of 10 data disks and
one check disk last about 820,000 h together, groups of 25 and one about 346,000 h.
"""

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from kavrel.core.pools.odds import (
    HOURS_PER_YEAR,
    Spares,
    loss_odds,
    mean_hours_to_loss,
    read_error_odds,
)


@pytest.mark.parametrize(("data", "hours"), [(10, 820_000), (25, 346_000)])
def test_mttdl_of_the_1988_paper(data: int, hours: float) -> None:
    groups = 100 // data
    one_group = mean_hours_to_loss(data + 1, 1, 1 / 30_000, 1.0)
    assert one_group / groups == pytest.approx(hours, rel=0.005)


@pytest.mark.parametrize("data", [10, 25])
def test_chain_against_the_papers_own_formula(data: int) -> None:
    # MTTF^2 / ((D + C n_G) (G + C - 1) MTTR); the chain is exact, the formula drops small terms.
    groups = 100 // data
    formula = 30_000**2 / ((100 + groups) * data * 1.0)
    chain = mean_hours_to_loss(data + 1, 1, 1 / 30_000, 1.0) / groups
    assert chain == pytest.approx(formula, rel=0.005)


def test_reading_12_tb_in_the_ten_to_the_fourteen_class() -> None:
    # 1 - (1 - 10^-14)^bits, the data sheets' own arithmetic; value from memory: about 62 %.
    assert read_error_odds(12_000_138_625_024, 1e14) == pytest.approx(0.617, abs=0.001)


@pytest.mark.parametrize(("width", "outlives"), [(3, 1), (8, 1), (6, 2), (10, 2), (8, 3)])
def test_mttdl_closed_forms_against_the_chain(width: int, outlives: int) -> None:
    # Textbook approximation for repairs much quicker than failures (after Patterson, Gibson and
    # Katz 1988; Chen et al. 1994, "RAID: High-Performance, Reliable Secondary Storage", for two
    # parities): MTTF^(m+1) / (n (n-1) ... (n-m) MTTR^m), repairs one at a time.
    mttf, mttr = 10_000.0, 5.0
    formula = mttf ** (outlives + 1) / mttr**outlives
    for k in range(outlives + 1):
        formula /= width - k
    chain = mean_hours_to_loss(width, outlives, 1 / mttf, mttr)
    assert chain == pytest.approx(formula, rel=0.03)


@pytest.mark.parametrize(
    ("width", "outlives", "error", "spares"),
    [(4, 1, 0.0, None), (6, 2, 0.3, None), (5, 1, 0.2, Spares(1, 30.0, 300.0))],
)
def test_the_chains_solver_against_integrating_the_same_equations(
    width: int, outlives: int, error: float, spares: Spares | None
) -> None:
    # SciPy's expm is the solver; here its ODE integrator walks a generator built by hand.
    fail, repair = 2e-5, 200.0
    shelf = spares.count if spares else 0
    # Failed, spares left, and whether the repair that runs took a spare when it began.
    states = [
        (f, s, m) for f in range(outlives + 1) for s in range(shelf + 1) for m in (False, True)
    ]

    def begins(failed: int, left: int) -> tuple[int, int, bool]:
        taken = failed > 0 and left > 0
        return failed, left - taken, taken

    def flow(_: float, p: np.ndarray) -> list[float]:
        change = dict.fromkeys(states, 0.0)
        lost = 0.0
        for (failed, left, mine), share in zip(states, p, strict=False):
            here = failed, left, mine
            out = (width - failed) * fail * share
            change[here] -= out
            if failed == outlives:
                lost += out
            else:
                change[(failed + 1, left, mine) if failed else begins(1, left)] += out
            if spares and left < shelf:
                bought = share / spares.restock_hours
                change[here] -= bought
                change[failed, left + 1, mine] += bought
            if failed:
                hours = spares.repair_hours if spares and mine else repair
                mended = share / hours
                bad = error if failed == outlives else 0.0
                change[here] -= mended
                change[begins(failed - 1, left)] += mended * (1 - bad)
                lost += mended * bad
        return [*change.values(), lost]

    start = [1.0 if s == (0, shelf, False) else 0.0 for s in states] + [0.0]
    span = 5 * HOURS_PER_YEAR
    walked = solve_ivp(flow, (0, span), start, method="LSODA", rtol=1e-9, atol=1e-14).y[-1, -1]
    exact = loss_odds(width, outlives, fail, repair, error, 5.0, spares)
    assert exact == pytest.approx(walked, rel=1e-5)
