"""Every layout that a set of disks allows, and which of them another one beats."""

from collections import defaultdict
from collections.abc import Sequence

from kavrel.core.pools.facts import Conditions, DiskFacts
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.lay_out import lay_out
from kavrel.core.pools.layout import Layout


def grouped(
    disks: Sequence[DiskFacts], widths: Sequence[int], largest_last: bool = False
) -> list[list[DiskFacts]]:
    """Disks into groups of these widths, like sizes together so that least is stranded.

    Disks of one size are dealt so that those of one batch fall into different groups. With
    `largest_last` the last group (the parity) gets the largest disks.
    """
    order = sorted(disks, key=lambda d: -d.capacity_bytes)
    if largest_last:
        head = widths[-1]
        order = order[head:] + order[:head]
    group_of = [n for n, width in enumerate(widths) for _ in range(width)]
    groups: list[list[DiskFacts]] = [[] for _ in widths]
    slots: dict[int, list[int]] = defaultdict(list)
    for disk, group in zip(order, group_of, strict=True):
        slots[disk.capacity_bytes].append(group)
    if largest_last:
        for disk, group in zip(order, group_of, strict=True):
            groups[group].append(disk)
        return groups
    for capacity, places in slots.items():
        alike = sorted((d for d in order if d.capacity_bytes == capacity), key=lambda d: d.batch)
        for disk, group in zip(alike, _in_turn(places), strict=True):
            groups[group].append(disk)
    place = {d.id: n for n, d in enumerate(order)}
    return [sorted(g, key=lambda d: place[d.id]) for g in groups]


def _in_turn(places: Sequence[int]) -> list[int]:
    """Group numbers one after the other in turn, each as often as it occurs."""
    left = {g: places.count(g) for g in dict.fromkeys(places)}
    ordered: list[int] = []
    while len(ordered) < len(places):
        for group, count in left.items():
            if count:
                left[group] -= 1
                ordered.append(group)
    return ordered


def layouts(
    disks: Sequence[DiskFacts], filesystem: str | None, conditions: Conditions
) -> list[Layout]:
    """All layouts over all these disks, best first: most usable among those not beaten.

    With no file system named, RAIDZ is laid out as ZFS, the copy profiles as Btrfs and every
    other family as a bare array.
    """
    ranked = []
    for family in FAMILIES.values():
        chosen = filesystem or family.own_filesystem
        if chosen not in family.filesystems:
            continue
        for widths in family.groupings(len(disks)):
            groups = grouped(disks, widths, family.parity_last)
            ranked.append(lay_out(family.id, groups, chosen, conditions))
    marked = [
        layout.model_copy(update={"dominated": True})
        if any(_beats(other, layout) for other in ranked)
        else layout
        for layout in ranked
    ]
    return sorted(marked, key=lambda x: (x.dominated, -x.usable_bytes, x.loss_odds_5y))


def _beats(a: Layout, b: Layout) -> bool:
    """As good on every count and better on one: room, survival, odds, speed, time to rebuild.

    One that grows disk by disk is beaten only by another such; one that keeps the other disks'
    files likewise. Layouts with other file systems differ in what they do for the data, which is
    not weighed here.
    """
    if b.grows_by == "disk" and a.grows_by != "disk":
        return False
    if (b.remains != "nothing" and a.remains == "nothing") or a.filesystem != b.filesystem:
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
