"""The odds that a group of disks is lost, or loses a file: a Markov chain, solved exactly.

A state is (disks failed, spares at hand, repair with a spare or not); two more are ends: a disk
too many died, or with no redundancy left a rebuild met an unreadable sector. The first takes the
group, the second a file. Disks fail independently at a constant rate; one disk is rebuilt at a
time, sooner with a spare; a used spare is bought again, and others that draw on the same spares
may have taken it. Same-batch disks fail together more often than this says: see `lifetimes`.
Source: Patterson, Gibson and Katz 1988 for the model; `chain` for the answer.
"""

import math
from dataclasses import dataclass
from functools import lru_cache

from kavrel.core.pools.chain import Rows, mean_hours, reached
from kavrel.core.quantities import YEAR_DAYS

HOURS_PER_YEAR = 24 * YEAR_DAYS
SOONEST = 1e-6  # hours; a repair takes some time
NEARLY_ONE = 1e-8  # share by which two rates differ that are taken as one


@dataclass(frozen=True)
class Spares:
    """Spare disks: how many, hours of a repair while one is at hand, hours to buy one again.

    `others_per_hour`: how often other groups take one of them.
    """

    count: int
    repair_hours: float
    restock_hours: float
    others_per_hour: float = 0.0


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
) -> Rows:
    """Rates between the states: failed disks first, then spares; the last two are the ends.

    The last but one is a disk too many, the last an unreadable sector in the last rebuild.
    """
    shelf = spares.count if spares else 0
    # While a disk is down its repair runs with a spare, taken when it began, or with an order.
    states = [(0, s, False) for s in range(shelf, -1, -1)]
    states += [
        (f, s, fitted)
        for f in range(1, outlives + 1)
        for s in range(shelf, -1, -1)
        for fitted in ((True, False) if spares else (False,))
    ]
    place = {state: n for n, state in enumerate(states)}
    lost, damaged = len(states), len(states) + 1
    rates = [[0.0] * (damaged + 1) for _ in range(damaged + 1)]

    def begun(failed: int, left: int) -> int:
        """The state once a repair has begun: with a spare where there is one."""
        if not failed:
            return place[0, left, False]
        return place[failed, left - 1, True] if left else place[failed, 0, False]

    for (failed, left, fitted), here in place.items():
        worse = lost
        if failed < outlives:
            worse = place[failed + 1, left, fitted] if failed else begun(1, left)
        rates[here][worse] += (width - failed) * fail_per_hour
        if spares and left < shelf:
            rates[here][place[failed, left + 1, fitted]] += 1 / max(spares.restock_hours, SOONEST)
        if spares and left:
            rates[here][place[failed, left - 1, fitted]] += spares.others_per_hour
        if failed:
            hours = spares.repair_hours if spares and fitted else repair_hours
            speed = 1 / max(hours, SOONEST)
            # The last rebuild without redundancy may meet an unreadable sector.
            bad = read_error if failed == outlives else 0.0
            rates[here][begun(failed - 1, left)] += speed * (1 - bad)
            rates[here][damaged] += speed * bad
    return rates


def _of_one(
    width: int, fail_per_hour: float, repair_hours: float, read_error: float, hours: float
) -> tuple[float, float]:
    """The two ends of a group that outlives one disk and has no spare: whole, one failed, or at an end.

    Both ends are left for from the second state alone, so that one time, the sum of two exponential
    ones, decides and their rates share it out. Mirrors and single parity are most of what is asked.
    Source: hypoexponential distribution; its rates are the roots of the chain's characteristic polynomial.
    """
    first, speed = width * fail_per_hour, 1 / max(repair_hours, SOONEST)
    lost, damaged, back = (width - 1) * fail_per_hour, speed * read_error, speed * (1 - read_error)
    out = lost + damaged
    if not first or not out:
        return 0.0, 0.0
    root = math.sqrt((first - out - back) ** 2 + 4 * first * back)
    quick = (first + out + back + root) / 2
    slow = first * out / quick
    if quick - slow > NEARLY_ONE * quick:
        late = quick * math.expm1(-slow * hours) - slow * math.expm1(-quick * hours)
        there = -late / (quick - slow)
    else:  # twice the same
        there = 1 - math.exp(-quick * hours) * (1 + quick * hours)
    return there * lost / out, there * damaged / out


@lru_cache(maxsize=16_384)
def ends(
    width: int,
    outlives: int,
    fail_per_hour: float,
    repair_hours: float,
    read_error: float,
    years: float,
    spares: Spares | None = None,
) -> tuple[float, float]:
    """Which end came first within so many years: a disk too many, an unreadable sector."""
    if outlives == 0:
        return -math.expm1(-width * fail_per_hour * years * HOURS_PER_YEAR), 0.0
    if outlives == 1 and not spares:
        lost, damaged = _of_one(
            width, fail_per_hour, repair_hours, read_error, years * HOURS_PER_YEAR
        )
        return min(lost, 1.0), min(damaged, 1.0)
    rates = _generator(width, outlives, fail_per_hour, repair_hours, read_error, spares)
    lost, damaged = reached(rates, years * HOURS_PER_YEAR)[-2:]
    return min(lost, 1.0), min(damaged, 1.0)


def loss_odds(
    width: int,
    outlives: int,
    fail_per_hour: float,
    repair_hours: float,
    read_error: float,
    years: float,
    spares: Spares | None = None,
) -> float:
    """Probability of either end after so many years, from all disks sound.

    With `read_error` 0 it is that of a disk too many alone.
    """
    return min(
        1.0, sum(ends(width, outlives, fail_per_hour, repair_hours, read_error, years, spares))
    )


def mean_hours_to_loss(
    width: int,
    outlives: int,
    fail_per_hour: float,
    repair_hours: float,
    read_error: float = 0.0,
    spares: Spares | None = None,
) -> float:
    """Mean hours until either end (MTTDL), from all disks sound."""
    rates = _generator(width, outlives, fail_per_hour, repair_hours, read_error, spares)
    return mean_hours(rates, 2)
