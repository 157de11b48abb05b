"""The odds that a group of disks loses something: a Markov chain, solved exactly.

A state is (disks failed, spares at hand); one more state is loss, and stays so. Disks fail
independently at a constant rate; one disk is rebuilt at a time, sooner while a spare is at
hand, and a used spare is bought again. With no redundancy left, an unreadable sector met in the
rebuild is a loss too. Same-batch disks fail together more often than this says: see `lifetimes`.
Source: Patterson, Gibson and Katz 1988 for the model; SciPy's expm and solve for the answer.
"""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.linalg import expm, solve

from kavrel.core.quantities import YEAR_DAYS

HOURS_PER_YEAR = 24 * YEAR_DAYS
SOONEST = 1e-6  # hours; a repair takes some time


@dataclass(frozen=True)
class Spares:
    """Spare disks: how many, hours of a repair while one is at hand, hours to buy one again."""

    count: int
    repair_hours: float
    restock_hours: float


def hourly_rate(yearly_share: float) -> float:
    """Failures an hour of one disk from the share that fails in a year (0 to 1, exclusive)."""
    return -math.log1p(-yearly_share) / HOURS_PER_YEAR


def read_error_odds(bytes_read: int, bits_per_error: float) -> float:
    """Probability of at least one unrecoverable error: 1 - (1 - 1/bits_per_error)^bits."""
    return -math.expm1(8 * bytes_read * math.log1p(-1 / bits_per_error))


def latent_error_odds(disks: float, errors_per_year: float, scrub_days: float) -> float:
    """Probability that one of `disks` has a sector that went bad since the last scrub.

    Errors appear at a constant rate and are found by the next scrub; at a random moment the last
    one is half an interval ago on average: 1 - exp(-disks x rate x interval / 2).
    """
    return -math.expm1(-disks * errors_per_year * scrub_days / YEAR_DAYS / 2)


def either(a: float, b: float) -> float:
    """Probability of one or the other of two independent events."""
    return 1 - (1 - a) * (1 - b)


def _generator(
    width: int,
    outlives: int,
    fail_per_hour: float,
    repair_hours: float,
    read_error: float,
    spares: Spares | None = None,
) -> np.ndarray:
    """Rates between the states; the last one is loss. States count failed first, then spares."""
    shelf = spares.count if spares else 0
    states = [(f, s) for f in range(outlives + 1) for s in range(shelf, -1, -1)]
    place = {state: n for n, state in enumerate(states)}
    lost = len(states)
    rates = np.zeros((lost + 1, lost + 1))
    for (failed, left), here in place.items():
        worse = place.get((failed + 1, left), lost)
        rates[here, worse] += (width - failed) * fail_per_hour
        if spares and left < shelf:
            rates[here, place[failed, left + 1]] += 1 / max(spares.restock_hours, SOONEST)
        if failed:
            hours = spares.repair_hours if spares and left else repair_hours
            speed = 1 / max(hours, SOONEST)
            better = place[failed - 1, max(left - 1, 0)]
            # The last rebuild without redundancy may meet an unreadable sector.
            bad = read_error if failed == outlives else 0.0
            rates[here, better] += speed * (1 - bad)
            rates[here, lost] += speed * bad
    rates -= np.diag(rates.sum(axis=1))
    return rates


@lru_cache(maxsize=16_384)
def loss_odds(
    width: int,
    outlives: int,
    fail_per_hour: float,
    repair_hours: float,
    read_error: float,
    years: float,
    spares: Spares | None = None,
) -> float:
    """Probability that one group has lost data after so many years, from all disks sound."""
    if outlives == 0:
        return -math.expm1(-width * fail_per_hour * years * HOURS_PER_YEAR)
    rates = _generator(width, outlives, fail_per_hour, repair_hours, read_error, spares)
    reached = expm(rates * (years * HOURS_PER_YEAR))[0, -1]
    return float(min(max(reached, 0.0), 1.0))


def loss_curve(
    width: int,
    outlives: int,
    fail_per_hour: float,
    repair_hours: float,
    read_error: float,
    years: tuple[float, ...],
    spares: Spares | None = None,
) -> list[float]:
    """`loss_odds` at several times."""
    return [
        loss_odds(width, outlives, fail_per_hour, repair_hours, read_error, y, spares)
        for y in years
    ]


def mean_hours_to_loss(
    width: int,
    outlives: int,
    fail_per_hour: float,
    repair_hours: float,
    read_error: float = 0.0,
    spares: Spares | None = None,
) -> float:
    """Mean hours until one group loses data (MTTDL), from all disks sound."""
    rates = _generator(width, outlives, fail_per_hour, repair_hours, read_error, spares)
    inner = rates[:-1, :-1]
    return float(solve(-inner, np.ones(len(inner)))[0])
