"""Local days of a zone as instants: where each begins, and whether its clock runs straight through.

Nearly every day is 24 hours of one offset, so that a time of it is its midnight and the hours since.
The odd ones, on which clocks change, are asked of the time zone hour by hour.
"""

from collections.abc import Sequence
from datetime import MAXYEAR, date, datetime, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

import numpy as np

from kavrel.core.quantities import DAY

EPOCH = date(1970, 1, 1).toordinal()


@lru_cache(maxsize=512)
def _year(zone: str, year: int) -> tuple[np.ndarray, np.ndarray]:
    """The days of a local year: where each begins (epoch s), and whether every hour of it comes once."""
    place = ZoneInfo(zone)
    first, days = datetime(year, 1, 1), date(year, 12, 31).timetuple().tm_yday
    # The last day of the calendar has none after it.
    midnights = [first + timedelta(n) for n in range(days + (year < MAXYEAR))]
    offsets = np.array([_offset(place, m) for m in midnights])
    begins = (first.toordinal() - EPOCH + np.arange(len(midnights))) * DAY - offsets
    # A midnight that comes twice, or never, has another offset the second time; so has the next one.
    changed = np.append(offsets[1:] != offsets[:-1], True)
    for n in np.flatnonzero(changed):
        changed[n] = _offset(place, midnights[n].replace(fold=1)) != offsets[n]
    straight = (np.diff(begins) == DAY) & ~changed[:-1] & ~changed[1:]
    return begins[:days], np.append(straight, np.zeros(days - len(straight), bool))


def _offset(place: ZoneInfo, local: datetime) -> float:
    """Seconds that this clock is ahead of UTC."""
    ahead = place.utcoffset(local)
    assert ahead is not None
    return ahead.total_seconds()


@lru_cache(maxsize=64)
def _years(zone: str, first: int, last: int) -> tuple[int, np.ndarray, np.ndarray]:
    """Of local years: the ordinal of the first day, where days begin, and which are straight."""
    begins, straight = zip(*(_year(zone, year) for year in range(first, last + 1)), strict=True)
    return date(first, 1, 1).toordinal(), np.concatenate(begins), np.concatenate(straight)


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
