"""The odds that a group of disks loses data: a Markov chain, solved exactly.

States are disks failed, 0 to the number outlived; one more is loss, and stays so. Disks fail
independently at a constant rate; one disk is rebuilt at a time; with no redundancy left, an
unrecoverable read error during the rebuild is a loss too. Same-batch disks fail together more
often than this says.
Source: Patterson, Gibson and Katz 1988 for the model; SciPy's expm and solve for the answer.
"""

import math
from functools import lru_cache

import numpy as np
from scipy.linalg import expm, solve

HOURS_PER_YEAR = 8766.0  # 365.25 days


def hourly_rate(yearly_share: float) -> float:
    """Failures an hour of one disk from the share that fails in a year (0 to 1, exclusive)."""
    return -math.log1p(-yearly_share) / HOURS_PER_YEAR


def read_error_odds(bytes_read: int, bits_per_error: float) -> float:
    """Probability of at least one unrecoverable error: 1 - (1 - 1/bits_per_error)^bits."""
    return -math.expm1(8 * bytes_read * math.log1p(-1 / bits_per_error))


def _generator(
    width: int, outlives: int, fail_per_hour: float, repair_per_hour: float, read_error: float
) -> np.ndarray:
    lost = outlives + 1
    rates = np.zeros((lost + 1, lost + 1))
    for failed in range(lost):
        rates[failed, failed + 1] += (width - failed) * fail_per_hour
        if failed:
            # The last rebuild without redundancy may meet an unreadable sector.
            bad = read_error if failed == outlives else 0.0
            rates[failed, failed - 1] += repair_per_hour * (1 - bad)
            rates[failed, lost] += repair_per_hour * bad
    rates -= np.diag(rates.sum(axis=1))
    return rates


@lru_cache(maxsize=4096)
def loss_odds(
    width: int,
    outlives: int,
    fail_per_hour: float,
    repair_hours: float,
    read_error: float,
    years: float,
) -> float:
    """Probability that one group has lost data after so many years, from all disks sound."""
    if outlives == 0:
        return -math.expm1(-width * fail_per_hour * years * HOURS_PER_YEAR)
    rates = _generator(width, outlives, fail_per_hour, 1 / max(repair_hours, 1e-6), read_error)
    reached = expm(rates * (years * HOURS_PER_YEAR))[0, -1]
    return float(min(max(reached, 0.0), 1.0))


def mean_hours_to_loss(
    width: int,
    outlives: int,
    fail_per_hour: float,
    repair_hours: float,
    read_error: float = 0.0,
) -> float:
    """Mean hours until one group loses data (MTTDL), from all disks sound."""
    rates = _generator(width, outlives, fail_per_hour, 1 / repair_hours, read_error)
    inner = rates[:-1, :-1]
    return float(solve(-inner, np.ones(len(inner)))[0])
