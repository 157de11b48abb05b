"""Local days of a zone as instants: where each begins, and whether its clock runs straight through.

Nearly every day is 24 hours of one offset, so that a time of it is its midnight and the hours since.
The odd ones, on which clocks change, are asked of the time zone hour by hour.
"""

from collections.abc import Sequence
from datetime import MAXYEAR, date, datetime, time
from functools import lru_cache
from itertools import pairwise
from typing import NamedTuple
from zoneinfo import ZoneInfo

import numpy as np

from kavrel.core.quantities import DAY


class LocalDay(NamedTuple):
    """Where a local day begins (epoch s), and whether every hour of it comes once and is one."""

    begin: float
    straight: bool


@lru_cache(maxsize=512)
def _year(zone: str, year: int) -> tuple[LocalDay, ...]:
    """The days of a local year."""
    place = ZoneInfo(zone)
    first = date(year, 1, 1).toordinal()
    last = date(year, 12, 31).toordinal()
    both = [_midnight(place, n) for n in range(first, last + 1)]
    # Nothing follows the last day of the calendar: it is taken for an odd one.
    after = (0.0, -1.0) if year == MAXYEAR else _midnight(place, last + 1)
    return tuple(
        LocalDay(begin, begin == again and end == end_again and end - begin == DAY)
        for (begin, again), (end, end_again) in pairwise([*both, after])
    )


def _midnight(place: ZoneInfo, ordinal: int) -> tuple[float, float]:
    """The first and the second reading of a midnight; they differ where clocks change at it."""
    local = datetime.combine(date.fromordinal(ordinal), time(), place)
    return local.timestamp(), local.replace(fold=1).timestamp()


@lru_cache(maxsize=64)
def _years(zone: str, first: int, last: int) -> tuple[int, np.ndarray, np.ndarray]:
    """Of local years: the ordinal of the first day, where days begin, and which are straight."""
    days = [day for year in range(first, last + 1) for day in _year(zone, year)]
    begins, straight = np.array([d.begin for d in days]), np.array([d.straight for d in days])
    return date(first, 1, 1).toordinal(), begins, straight


def local_days(zone: str, ordinals: Sequence[int]) -> tuple[np.ndarray, np.ndarray]:
    """Of days by proleptic ordinal, in order: where each begins (epoch s), and which are straight."""
    low, high = (date.fromordinal(ordinals[n]).year for n in (0, -1))
    first, begins, straight = _years(zone, low, high)
    at = np.array(ordinals) - first
    return begins[at], straight[at]


def ordinals_and_hours(zone: str, moments: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """For instants (epoch s): the proleptic ordinal of the local day, and the local hour, 0 to 23."""
    place = ZoneInfo(zone)
    low, high = (datetime.fromtimestamp(t, place).year for t in (moments.min(), moments.max()))
    first, begins, straight = _years(zone, low, high)
    # A year begins where its first midnight is read the first time; nothing lies before that.
    at = np.maximum(np.searchsorted(begins, moments, side="right") - 1, 0)
    ordinals = at + first
    hours = ((moments - begins[at]) // 3600).astype(np.int64)
    for n in np.flatnonzero(~straight[at]):
        local = datetime.fromtimestamp(float(moments[n]), place)
        ordinals[n], hours[n] = local.toordinal(), local.hour
    return ordinals, hours
