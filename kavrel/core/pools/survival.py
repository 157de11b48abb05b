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


def survival(family: Family, widths: Sequence[int]) -> tuple[Survival, ...]:
    """The counts for one disk lost, two, and so on, to the first number that none survives.

    Groups fail on their own, so the counts are the coefficients of the product over groups of
    sum(C(width, j) x^j, j = 0 .. outlived).
    """
    total = sum(widths)
    sets = [total] if family.one_set else list(widths)
    ways = [1]
    for width in sets:
        most = family.outlives(width)
        longer = [0] * (len(ways) + most)
        for i, have in enumerate(ways):
            for j in range(most + 1):
                longer[i + j] += have * comb(width, j)
        ways = longer
    found = []
    for lost in range(1, total + 1):
        survived = ways[lost] if lost < len(ways) else 0
        found.append(Survival(lost=lost, sets=comb(total, lost), survived=survived))
        if not survived:
            break
    return tuple(found)
