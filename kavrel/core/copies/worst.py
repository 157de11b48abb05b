"""When the worst moment is: at which instant most work is lost, and which point is newest then.

`retention.ages` and `retention.losses` say how much; a person who doubts the figure is shown the
night it comes from.
"""

from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

from kavrel.core.copies.retention import FOREVER, Point, spells


class Moment(NamedTuple):
    """Loss or damage at `at` is worst: what comes back is as of `good` (epoch s).

    `upcoming` is the point that was about to be there: its data time, and when it was complete.
    `good` is None where nothing comes back.
    """

    at: float
    good: float | None
    upcoming: Point

    @property
    def seconds(self) -> float:
        """Work lost."""
        return FOREVER if self.good is None else self.at - self.good


def worst_age(points: Sequence[Point], first: float, last: float) -> Moment | None:
    """The moment in a span (epoch s) at which the newest complete point is oldest.

    None where no point completes in the span.
    """
    moments = [
        Moment(following.available_at, point.data_time, following)
        for point, following in pairwise(points)
        if first <= following.available_at <= last
    ]
    return max(moments, key=lambda m: m.seconds, default=None)


def worst_loss(
    points: Sequence[Point], noticed_after: float, first: float, last: float, torn: bool = False
) -> Moment | None:
    """The moment in a span at which damage, noticed so many seconds later, costs most."""
    moments = (
        Moment(s.end, s.good.data_time if s.good else None, s.upcoming)
        for s in spells(points, noticed_after, first, last, torn)
    )
    return max(moments, key=lambda m: m.seconds, default=None)
