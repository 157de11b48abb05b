"""Every layout that a set of disks allows, and which of them another one beats."""

from collections.abc import Sequence

from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.families.family import ONLY_ZFS
from kavrel.core.pools.lay_out import Conditions, DiskFacts, lay_out
from kavrel.core.pools.layout import Layout


def grouped(disks: Sequence[DiskFacts], widths: Sequence[int]) -> list[list[DiskFacts]]:
    """Disks into groups of these widths, like sizes together so that least is stranded."""
    order = sorted(disks, key=lambda d: -d.capacity_bytes)
    groups, start = [], 0
    for width in widths:
        groups.append(order[start : start + width])
        start += width
    return groups


def layouts(
    disks: Sequence[DiskFacts], filesystem: str | None, conditions: Conditions
) -> list[Layout]:
    """All layouts over all these disks, best first: most usable among those not beaten.

    With no file system named, RAIDZ is laid out as ZFS and every other family as a bare array.
    """
    found = []
    for family in FAMILIES.values():
        chosen = filesystem or ("zfs" if family.filesystems == ONLY_ZFS else "none")
        if chosen not in family.filesystems:
            continue
        for widths in family.groupings(len(disks)):
            groups = grouped(disks, widths)
            found.append(lay_out(family.id, groups, chosen, conditions))
    marked = [
        layout.model_copy(update={"dominated": True})
        if any(_beats(other, layout) for other in found)
        else layout
        for layout in found
    ]
    return sorted(marked, key=lambda x: (x.dominated, -x.usable_bytes, x.loss_odds_5y))


def _beats(a: Layout, b: Layout) -> bool:
    """As good on every count and better on one: room, survival, odds, speed, time to rebuild.

    A span is beaten by nothing: it alone can be bought one disk at a time. Layouts with other
    file systems differ in what they do for the data, which is not weighed here.
    """
    if b.family == "span" or a.filesystem != b.filesystem:
        return False
    pairs = [
        (a.usable_bytes, b.usable_bytes),
        (a.survives_any, b.survives_any),
        (-a.loss_odds_5y, -b.loss_odds_5y),
        (-(a.rebuild_hours or 0.0), -(b.rebuild_hours or 0.0)),
        (a.write_mb_per_s, b.write_mb_per_s),
    ]
    # A layout without redundancy has nothing to rebuild: time counts between redundant ones.
    if a.rebuild_hours is None or b.rebuild_hours is None:
        del pairs[3]
    return all(x >= y for x, y in pairs) and any(x > y for x, y in pairs)
