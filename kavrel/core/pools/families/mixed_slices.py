"""Mixed-size slices: disks cut at each other's heights, each slice a mirror or RAID 5 / 6.

The lowest slice runs over all disks, the next over all that are higher, and so on; all slices
are joined to one volume. With redundancy 1 a slice over two disks is a mirror, over more a RAID
5; with redundancy 2 a slice over three is a three-way mirror, over more a RAID 6. What only
fewer disks reach is stranded.
"""

from collections.abc import Sequence

from kavrel.core.plan import FamilyId
from kavrel.core.pools import pace
from kavrel.core.pools.arrays import lvm_linear, md_mirror, md_parity
from kavrel.core.pools.families.family import (
    Family,
    Groups,
    Room,
    below,
    no_vdevs,
    one_group,
)


def slices(disks: Sequence[int]) -> list[tuple[int, int]]:
    """Height in bytes and number of disks of each slice, from the lowest."""
    found = []
    floor = 0
    for height in sorted(set(disks)):
        found.append((height - floor, sum(1 for d in disks if d >= height)))
        floor = height
    return found


def _mixed(family: FamilyId, redundancy: int) -> Family:
    def array(height: int, width: int) -> int:
        if width == redundancy + 1:
            return md_mirror([height] * width)
        return md_parity([height] * width, redundancy)

    def volume(groups: Groups) -> tuple[int, ...]:
        arrays = [array(h, w) for h, w in slices(groups[0]) if w > redundancy]
        return (lvm_linear(arrays),)

    def rooms(groups: Groups) -> list[list[Room]]:
        found = []
        for disk in groups[0]:
            data = kept = stranded = floor = 0
            for height, width in slices(groups[0]):
                floor += height
                if disk < floor:
                    break
                if width <= redundancy:
                    stranded += height
                    continue
                share = height * redundancy // width
                kept += share
                data += height - share
            found.append(Room(data, kept, stranded))
        return [found]

    return Family(
        id=family,
        title=f"mixed slices, redundancy {redundancy}",
        minimum=redundancy + 1,
        takes=below,
        groupings=one_group(redundancy + 1),
        outlives=lambda width: redundancy,
        volumes=volume,
        vdevs=no_vdevs,
        rooms=rooms,
        pace=lambda width: (
            pace.mirrored(width) if width == redundancy + 1 else pace.parity(width, redundancy)
        ),
        grows="add one disk at a time, of any size; room above the second largest waits for a partner",
        grows_by="disk",
        parity=True,
        stronger="slices2" if redundancy == 1 else "",
        by_hand="cut the disks into slices by the drawing, make an array of each, join those",
    )


SLICES1 = _mixed("slices1", 1)
SLICES2 = _mixed("slices2", 2)
