"""Growth as it was measured, beside what the plan guesses: from how full things were, look by look."""

from collections.abc import Mapping, Sequence

from pydantic import BaseModel, ConfigDict

from kavrel.core.index import Index
from kavrel.core.quantities import DAY
from kavrel.core.seen.offer import Taken
from kavrel.core.working import Working, local, step

YEAR = 365.25 * DAY
MOST_SHOWN = 24  # of the looks, the newest
SHORTEST = 14 * DAY  # a week says little: common practice, no source


class Fill(BaseModel):
    """What was in it at a moment (epoch s)."""

    model_config = ConfigDict(frozen=True)

    seen_at: float
    used_bytes: int


class Grown(BaseModel):
    """A dataset over time: its growth a year, and the change that takes it over.

    `measured_bytes_per_year` is None while there are too few days between the looks.
    """

    model_config = ConfigDict(frozen=True)

    dataset: str
    name: str
    fills: tuple[Fill, ...]
    planned_bytes_per_year: int
    measured_bytes_per_year: int | None
    working: Working
    change: Taken | None = None


def grown(
    index: Index, fills: Mapping[tuple[str, str], Sequence[tuple[float, int]]]
) -> list[Grown]:
    """Every dataset that was seen, with a straight line through what it held."""
    rows = []
    for dataset in index.plan.datasets:
        seen = tuple(fills.get(("datasets", dataset.id), ()))
        if not seen:
            continue
        slope = _slope(seen)
        change = None
        if slope is not None and abs(slope - dataset.growth_bytes_per_year) > seen[-1][1] * 0.02:
            item = {
                **dataset.model_dump(mode="json"),
                "growth_bytes_per_year": max(0, slope),
                "size_bytes": seen[-1][1],
            }
            change = Taken(
                key=f"datasets/{dataset.id}", collection="datasets", what="changed",
                name=dataset.name, item=item, why="size and growth as they were measured",
            )  # fmt: skip
        rows.append(
            Grown(
                dataset=dataset.id,
                name=dataset.name,
                fills=tuple(Fill(seen_at=t, used_bytes=b) for t, b in seen),
                planned_bytes_per_year=dataset.growth_bytes_per_year,
                measured_bytes_per_year=slope,
                working=_working(index, dataset.growth_bytes_per_year, seen, slope),
                change=change,
            )
        )
    return rows


def _working(
    index: Index, planned: int, seen: Sequence[tuple[float, int]], slope: int | None
) -> Working:
    zone = index.plan.zone
    return step(
        "grew a year",
        slope,
        "bytes",
        "slope of the straight line through what it held at each look, by least squares"
        if slope is not None
        else f"looks that are {SHORTEST / DAY:.0f} days apart at least say something",
        step("planned a year", planned, "bytes"),
        *(step(local(t, zone), used, "bytes") for t, used in seen[-MOST_SHOWN:]),
    )


def _slope(seen: Sequence[tuple[float, int]]) -> int | None:
    """Bytes a year by least squares; None where the looks are too close together."""
    if len(seen) < 2 or seen[-1][0] - seen[0][0] < SHORTEST:
        return None
    mean_at = sum(t for t, _ in seen) / len(seen)
    mean = sum(b for _, b in seen) / len(seen)
    over = sum((t - mean_at) ** 2 for t, _ in seen)
    return round(sum((t - mean_at) * (b - mean) for t, b in seen) / over * YEAR)
