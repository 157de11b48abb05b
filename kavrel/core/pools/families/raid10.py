"""RAID 10 as md has it: every block on two disks, over any number of them in one array.

The near layout puts the two copies of a block on neighbours: with an even number of disks those are
fixed pairs, with an odd one every two neighbours share blocks. Every member gives what the smallest
has, so mirrors joined by a stripe (the other RAID 10) hold more over disks of several sizes.
Source: md(4), near=2; sizes by mdadm 4.2 over 12, 12, 8 and 12 TB, three and five disks of 12 TB.
"""

from math import comb

from kavrel.core.pools import pace
from kavrel.core.pools.arrays import md_raid10
from kavrel.core.pools.families.family import (
    Family,
    below,
    no_vdevs,
    one_group,
    smallest_rules_rooms,
)


def neighbours(width: int) -> list[tuple[int, ...]]:
    """The pairs of disks that hold the same blocks."""
    if width % 2 == 0:
        return [(n, n + 1) for n in range(0, width, 2)]
    return [(n, (n + 1) % width) for n in range(width)]


def survivors(width: int, lost: int) -> int:
    """Of the ways to lose so many disks, those that leave a disk of every pair."""
    if width % 2 == 0:
        return comb(width // 2, lost) << lost
    if lost == 0:
        return 1
    # No two neighbours of a ring: n / (n - k) x C(n - k, k), a textbook count.
    return width * comb(width - lost, lost) // (width - lost) if 2 * lost <= width else 0


RAID10 = Family(
    id="raid10",
    title="RAID 10 in one array",
    minimum=3,
    takes=below,
    groupings=one_group(3),
    outlives=lambda width: 1,
    volumes=lambda groups: (md_raid10(groups[0]),),
    vdevs=no_vdevs,
    # Half of what each gives is a copy of its neighbour's half.
    rooms=lambda groups: smallest_rules_rooms(groups, lambda width: width / 2),
    pace=pace.neighbours,
    grows="replace every disk; md reshapes the near layout over more disks",
    grows_by="replace",
    smallest_rules=True,
    one_copy_of=True,
    md_level="10",
    sets=neighbours,
    survivors=survivors,
)
