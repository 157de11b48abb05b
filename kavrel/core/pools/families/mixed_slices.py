"""Mixed-size slices: disks cut at each other's heights, each slice a mirror or RAID 5 / 6.

The lowest slice runs over all disks, the next over all that are higher, and so on; all slices
are joined to one volume. With redundancy 1 a slice over two disks is a mirror, over more a RAID
5; with redundancy 2 a slice over three is a three-way mirror, over more a RAID 6. What only
fewer disks reach is stranded, and so is a slice that is too thin for an array.

Parts lie on whole MiB, the first MiB of a disk and its last are the partition table's. Source: UEFI 2.10,
5.3 (GUID partition table).
"""

from collections.abc import Sequence

from kavrel.core.plan import FamilyId
from kavrel.core.pools import pace
from kavrel.core.pools.arrays import MD_CHUNK, lvm_linear, md_mirror, md_parity
from kavrel.core.pools.families.family import (
    Cut,
    Family,
    Groups,
    Room,
    below,
    no_vdevs,
    one_group,
)
from kavrel.core.quantities import MIB


def slices(disks: Sequence[int]) -> list[tuple[int, int]]:
    """Height in bytes and number of disks of each slice, from the lowest."""
    cut = []
    floor = 0
    for height in sorted(set(disks)):
        cut.append((height - floor, sum(1 for d in disks if d >= height)))
        floor = height
    return cut


THINNEST_MIB = 1024  # common practice, no source: an array costs more than it holds below that


def cuts(disks: Sequence[int], redundancy: int) -> tuple[Cut, ...]:
    """The parts of the disks, from the lowest; what too few disks reach is not cut."""
    runs = []
    start = 1
    for height in sorted(set(disks)):
        end = height // MIB - 1
        members = tuple(n for n, d in enumerate(disks) if d >= height)
        if len(members) > redundancy and end - start >= THINNEST_MIB:
            level = "1" if len(members) == redundancy + 1 else str(4 + redundancy)
            runs.append(Cut(start, end - start, members, level))
            start = end
    return tuple(runs)


def _mixed(family: FamilyId, redundancy: int) -> Family:
    def array(cut: Cut) -> int:
        parts = [cut.size_mib * MIB] * len(cut.members)
        return md_mirror(parts) if cut.level == "1" else md_parity(parts, redundancy)

    def volume(groups: Groups) -> tuple[int, ...]:
        pieces = cuts(groups[0], redundancy)
        whole = [0 if c.level == "1" else MD_CHUNK * (len(c.members) - redundancy) for c in pieces]
        return (lvm_linear([array(c) for c in pieces], whole),)

    def rooms(groups: Groups) -> list[list[Room]]:
        spans = []
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
            spans.append(Room(data, kept, stranded))
        return [spans]

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
        cuts=lambda disks: cuts(disks, redundancy),
    )


SLICES1 = _mixed("slices1", 1)
SLICES2 = _mixed("slices2", 2)
