"""Which failures a layout outlives: any k disks, and of all sets of k disks the share, counted."""

from collections.abc import Sequence
from math import comb

from pydantic import BaseModel, ConfigDict

from kavrel.core.pools.families.family import Family


class Survival(BaseModel):
    """Of `sets` ways to lose `lost` disks, `survived` lose no file."""

    model_config = ConfigDict(frozen=True)

    lost: int
    sets: int
    survived: int


def outlives(family: Family, widths: Sequence[int]) -> int:
    """How many disks may die whichever they are."""
    if family.one_set:
        return family.outlives(sum(widths))
    return min(family.outlives(w) for w in widths)


def _ways(family: Family, width: int) -> list[int]:
    """The ways in which a group outlives none lost, one, two and so on."""
    if family.survivors is None:
        return [comb(width, j) for j in range(family.outlives(width) + 1)]
    outlived = [family.survivors(width, j) for j in range(width + 1)]
    return [n for n in outlived if n]


def survival(family: Family, widths: Sequence[int]) -> tuple[Survival, ...]:
    """The counts for one disk lost, two, and so on, to the first number that none survives.

    Groups fail on their own, so the counts are the coefficients of the product over groups of
    sum(ways to outlive j lost x^j).
    """
    total = sum(widths)
    sets = [total] if family.one_set else list(widths)
    ways = [1]
    for width in sets:
        own = _ways(family, width)
        longer = [0] * (len(ways) + len(own) - 1)
        for i, have in enumerate(ways):
            for j, more in enumerate(own):
                longer[i + j] += have * more
        ways = longer
    rows = []
    for lost in range(1, total + 1):
        survived = ways[lost] if lost < len(ways) else 0
        rows.append(Survival(lost=lost, sets=comb(total, lost), survived=survived))
        if not survived:
            break
    return tuple(rows)
