"""Copy-on-write profiles: every chunk on two or three of the disks, whatever their sizes.

Usable: the largest x with sum(min(disk, x)) >= copies * x; for two copies that is the lesser of
half the sum and the sum without the largest. Chunks go to the disks with the most room left.
Beyond the redundancy some chunk is on none of the disks left: with metadata among them, all is
counted as lost.
"""

from collections.abc import Sequence
from functools import lru_cache

from kavrel.core.plan import FamilyId
from kavrel.core.pools import pace
from kavrel.core.pools.families.family import Family, Groups, Room, as_profile, no_vdevs, one_group

WORD = {2: "two copies", 3: "three copies"}
PROFILE = {2: "raid1", 3: "raid1c3"}


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
        takes=as_profile,
        groupings=one_group(copies),
        outlives=lambda width: copies - 1,
        volumes=lambda groups: (usable_height(groups[0], copies),),
        vdevs=no_vdevs,
        rooms=rooms,
        pace=lambda width: pace.mirrored_chunks(width, copies),
        grows="add one disk at a time, of any size, and rebalance",
        grows_by="disk",
        copies=copies,
        stronger="copies3" if copies == 2 else "",
        profile=f" -d {PROFILE[copies]} -m {PROFILE[copies]}",
    )


STEPS = 4_000


@lru_cache(maxsize=4096)
def striped_use(disks: tuple[int, ...]) -> tuple[int, ...]:
    """Bytes of each disk that Btrfs' RAID 10 fills: chunks over the even number with most room left.

    Walked in steps of 1/4000 of the largest, as the allocator takes them chunk by chunk.
    Source: btrfs-progs 6.2 over 4, 4, 8 and 12 TB, filled until they were full.
    """
    unit = max(max(disks) // STEPS, 1)
    left = [d // unit for d in disks]
    while True:
        order = sorted((n for n in range(len(left)) if left[n]), key=lambda n: -left[n])
        wide = len(order) // 2 * 2
        if wide < 2:
            break
        # As long as the order cannot change several steps go at once.
        taken = order[:wide]
        spare = left[order[wide]] if wide < len(order) else 0
        least = left[taken[-1]]
        go = max(min(least, least - spare), 1)
        for n in taken:
            left[n] -= go
    return tuple(d // unit * unit - n * unit for d, n in zip(disks, left, strict=True))


def _striped_rooms(groups: Groups) -> list[list[Room]]:
    return [
        [
            Room(used // 2, used - used // 2, d - used)
            for d, used in zip(groups[0], striped_use(tuple(groups[0])), strict=True)
        ]
    ]


COPIES10 = Family(
    id="copies10",
    title="copy-on-write profile, two copies striped",
    minimum=4,
    takes=as_profile,
    groupings=one_group(4),
    outlives=lambda width: 1,
    volumes=lambda groups: (sum(striped_use(tuple(groups[0]))) // 2,),
    vdevs=no_vdevs,
    rooms=_striped_rooms,
    pace=pace.neighbours,
    grows="add disks of any size, and rebalance",
    grows_by="disk",
    copies=2,
    profile=" -d raid10 -m raid10",
)
COPIES2 = _profile("copies2", 2)
COPIES3 = _profile("copies3", 3)
