"""RAIDZ1, 2 and 3: ZFS parity groups, allocated block by block, in one or more groups."""

from kavrel.core.filesystems.filesystem import Vdev
from kavrel.core.plan import FamilyId
from kavrel.core.pools import pace
from kavrel.core.pools.families.family import (
    Family,
    Groups,
    by_itself,
    equal_groups,
    smallest_rules_rooms,
)


def _raidz(family: FamilyId, parity: int) -> Family:
    smallest = max(parity + 1, 3)

    def groupings(count: int) -> list[tuple[int, ...]]:
        if count < smallest:
            return []
        # Several groups of parity + 1 disks would be mirrors that take longer to write.
        several = [g for g in equal_groups(count, parity + 2) if len(g) > 1]
        return [(count,), *several]

    def vdevs(groups: Groups) -> tuple[Vdev, ...]:
        return tuple(Vdev(tuple(g), parity) for g in groups)

    return Family(
        id=family,
        title=f"RAIDZ{parity}",
        minimum=smallest,
        takes=by_itself,
        groupings=groupings,
        outlives=lambda width: parity,
        volumes=lambda groups: (sum(min(g) * (len(g) - parity) for g in groups),),
        vdevs=vdevs,
        rooms=lambda groups: smallest_rules_rooms(groups, lambda width: parity),
        pace=lambda width: pace.record_parity(width, parity),
        grows="add a group, replace every disk of one, or widen it by a disk "
        "(old blocks keep the old ratio)",
        grows_by="group",
        mixed_widths=parity + 2,
        smallest_rules=True,
        parity=True,
        widens=True,
        stronger=f"raidz{parity + 1}" if parity < 3 else "",
        bought_in=tuple(range(parity + 2, 7 if parity == 1 else 13)),
        vdev_word=family,
    )


RAIDZ1 = _raidz("raidz1", 1)
RAIDZ2 = _raidz("raidz2", 2)
RAIDZ3 = _raidz("raidz3", 3)
