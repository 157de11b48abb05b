"""RAID 5 and 6, and stripes over them (RAID 50 and 60): parity turns from disk to disk."""

from collections.abc import Callable, Sequence

from kavrel.core.plan import FamilyId
from kavrel.core.pools import pace
from kavrel.core.pools.arrays import md_parity, md_stripe
from kavrel.core.pools.families.family import (
    Family,
    Groups,
    below,
    equal_groups,
    no_vdevs,
    one_group,
    smallest_rules_rooms,
)


def _family(
    family: FamilyId,
    title: str,
    parity: int,
    minimum: int,
    groupings: Callable[[int], Sequence[Sequence[int]]],
    volume: Callable[[Groups], int],
    grows: str,
    mixed_widths: int | None = None,
    of_one_group: FamilyId = "",
    stronger: FamilyId = "",
) -> Family:
    return Family(
        id=family,
        title=title,
        minimum=minimum,
        takes=below,
        groupings=groupings,
        outlives=lambda width: parity,
        volumes=lambda groups: (volume(groups),),
        vdevs=no_vdevs,
        rooms=lambda groups: smallest_rules_rooms(groups, lambda width: parity),
        pace=lambda width: pace.parity(width, parity),
        grows=grows,
        grows_by="group" if mixed_widths else "disk",
        mixed_widths=mixed_widths,
        smallest_rules=True,
        parity=True,
        reshapes=mixed_widths is None,
        of_one_group=of_one_group,
        stronger=stronger,
        md_level=str(4 + parity),
        nested=mixed_widths is not None,
    )


RESHAPE = "add a disk of at least the smallest size and reshape (days), or replace every disk"


def single_group(family: FamilyId, title: str, parity: int, stronger: FamilyId = "") -> Family:
    """One RAID 5 or RAID 6."""
    minimum = parity + 2
    return _family(
        family,
        title,
        parity,
        minimum,
        one_group(minimum),
        lambda groups: md_parity(groups[0], parity),
        RESHAPE,
        stronger=stronger,
    )


def striped_groups(
    family: FamilyId, title: str, parity: int, of_one_group: FamilyId, stronger: FamilyId = ""
) -> Family:
    """A RAID 0 over two or more RAID 5 or RAID 6, all of one width or not."""
    width = parity + 2
    return _family(
        family,
        title,
        parity,
        2 * width,
        lambda count: equal_groups(count, width)[1:],
        lambda groups: md_stripe([md_parity(g, parity) for g in groups]),
        "add another group and rewrite, or replace every disk of one",
        mixed_widths=width,
        of_one_group=of_one_group,
        stronger=stronger,
    )
