"""Local days of a zone as instants: where each begins, and whether its clock runs straight through.

Nearly every day is 24 hours of one offset, so that a time of it is its midnight and the hours since.
The odd ones, on which clocks change, are asked of the time zone hour by hour.
"""

from datetime import MAXYEAR, date, datetime, time
from functools import lru_cache
from itertools import pairwise
from typing import NamedTuple
from zoneinfo import ZoneInfo

import numpy as np

DAY = 86_400.0


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


@lru_cache(maxsize=256)
def local_days(zone: str, first: int, last: int) -> tuple[LocalDay, ...]:
    """The days of proleptic ordinals `first` to `last`, both included."""
    years = range(date.fromordinal(first).year, date.fromordinal(last).year + 1)
    found = [day for year in years for day in _year(zone, year)]
    skipped = first - date(years[0], 1, 1).toordinal()
    return tuple(found[skipped : skipped + last - first + 1])


@lru_cache(maxsize=64)
def _begins(zone: str, first_year: int, last_year: int) -> tuple[int, np.ndarray, np.ndarray]:
    """The ordinal of the first day of a span of years, where its days begin, and which are straight."""
    first, last = date(first_year, 1, 1).toordinal(), date(last_year, 12, 31).toordinal()
    days = local_days(zone, first, last)
    return first, np.array([d.begin for d in days]), np.array([d.straight for d in days])


def ordinals_and_hours(zone: str, moments: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """For instants (epoch s): the proleptic ordinal of the local day, and the local hour, 0 to 23."""
    place = ZoneInfo(zone)
    low, high = (datetime.fromtimestamp(t, place).year for t in (moments.min(), moments.max()))
    first, begins, straight = _begins(zone, low, high)
    # A year begins where its first midnight is read the first time; nothing lies before that.
    at = np.maximum(np.searchsorted(begins, moments, side="right") - 1, 0)
    ordinals = at + first
    hours = ((moments - begins[at]) // 3600).astype(np.int64)
    for n in np.flatnonzero(~straight[at]):
        local = datetime.fromtimestamp(float(moments[n]), place)
        ordinals[n], hours[n] = local.toordinal(), local.hour
    return ordinals, hours
