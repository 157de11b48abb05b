"""Copy-on-write profiles: every chunk on two or three of the disks, whatever their sizes.

Usable: the largest x with sum(min(disk, x)) >= copies * x; for two copies that is the lesser of
half the sum and the sum without the largest. Chunks go to the disks with the most room left.
Beyond the redundancy some chunk is on none of the disks left: with metadata among them, all is
counted as lost.
"""

from collections.abc import Sequence

from kavrel.core.plan import FamilyId
from kavrel.core.pools import pace
from kavrel.core.pools.families.family import ONLY_BTRFS, Family, Groups, Room, no_vdevs, one_group

WORD = {2: "two copies", 3: "three copies"}


def usable_height(disks: Sequence[int], copies: int) -> int:
    """Largest x in bytes with sum(min(disk, x)) >= copies * x, for at least `copies` disks."""
    order = sorted(disks, reverse=True)
    # With the j largest disks cut to x: x * j + the rest >= copies * x.
    for cut in range(copies):
        x = sum(order[cut:]) // (copies - cut)
        if x >= order[cut]:
            return x
    return order[copies - 1]


def _profile(family: FamilyId, copies: int) -> Family:
    def rooms(groups: Groups) -> list[list[Room]]:
        height = usable_height(groups[0], copies)
        used = [min(d, height) for d in groups[0]]
        over = sum(used) - copies * height  # the last odd byte or two
        used[used.index(max(used))] -= over
        data = [u // copies for u in used]
        return [
            [Room(a, u - a, d - u) for d, u, a in zip(groups[0], used, data, strict=True)],
        ]

    return Family(
        id=family,
        title=f"copy-on-write profile, {WORD[copies]}",
        minimum=copies,
        filesystems=ONLY_BTRFS,
        groupings=one_group(copies),
        outlives=lambda width: copies - 1,
        volumes=lambda groups: (usable_height(groups[0], copies),),
        vdevs=no_vdevs,
        rooms=rooms,
        pace=lambda width: pace.mirrored_chunks(width, copies),
        grows="add one disk at a time, of any size, and rebalance",
        grows_by="disk",
        copies=copies,
    )


COPIES2 = _profile("copies2", 2)
COPIES3 = _profile("copies3", 3)
