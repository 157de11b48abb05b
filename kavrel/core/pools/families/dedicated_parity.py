"""Dedicated parity: separately formatted data disks, and one or two disks with their parity.

Files lie whole on one data disk. Beyond the redundancy only the lost disks' files are gone.
Every parity disk must be at least as large as the largest data disk: a smaller one would leave
the end of it without parity, and so protects nothing. Groups: the data disks, the parity disks.
Parity is files on the parity disks, brought up to date once a day: what is newer is on its disk alone,
and what was deleted or changed since on one disk can spoil old files of another. Source: snapraid(1).
"""

from kavrel.core.plan import FamilyId
from kavrel.core.pools import pace
from kavrel.core.pools.families.family import Family, Groups, Room, no_vdevs, under_a_tree
from kavrel.core.quantities import sizes_apart


def _dedicated(family: FamilyId, parity: int) -> Family:
    def rooms(groups: Groups) -> list[list[Room]]:
        largest = max(groups[0])
        return [
            [Room(d, 0, 0) for d in groups[0]],
            [Room(0, largest, d - largest) for d in groups[1]],
        ]

    def complaint(groups: Groups) -> str | None:
        largest, smallest = max(groups[0]), min(groups[1])
        if smallest >= largest:
            return None
        parity_size, data_size = sizes_apart(smallest, largest)
        return (
            f"a parity disk of {parity_size} is smaller than the largest data disk "
            f"({data_size}) and protects nothing: make the largest disks the parity"
        )

    return Family(
        id=family,
        title=f"dedicated parity, {parity} {'disk' if parity == 1 else 'disks'}",
        minimum=parity + 1,
        takes=under_a_tree,
        groupings=lambda n: [(n - parity, parity)] if n >= parity + 1 else [],
        outlives=lambda width: parity,
        volumes=lambda groups: tuple(groups[0]),
        vdevs=no_vdevs,
        rooms=rooms,
        pace=lambda width: pace.dedicated_parity(width - parity, parity),
        grows="add one data disk at a time, up to the size of the parity disk",
        grows_by="disk",
        remains="files on the disks that live",
        complaint=complaint,
        one_set=True,
        parity_last=True,
        parity=True,
        stronger="parity2" if parity == 1 else "",
        apart=True,
        parity_at="04:20",
    )


PARITY1 = _dedicated("parity1", 1)
PARITY2 = _dedicated("parity2", 2)
