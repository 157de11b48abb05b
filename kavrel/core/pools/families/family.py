"""What a layout family declares: how disks group, what a group outlives, how bytes add up."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from kavrel.core.plan import FamilyId, FilesystemId
from kavrel.core.pools.filesystems.zfs import Vdev

Groups = Sequence[Sequence[int]]  # bytes of each disk, group by group

ANY_FILESYSTEM: frozenset[FilesystemId] = frozenset({"zfs", "ext4", "xfs", "btrfs", "none"})
WITHOUT_ZFS: frozenset[FilesystemId] = ANY_FILESYSTEM - {"zfs"}
ONLY_ZFS: frozenset[FilesystemId] = frozenset({"zfs"})


@dataclass(frozen=True)
class Family:
    """A rule for joining disks.

    `groupings(n)` yields the sensible group sizes over n disks; `outlives(width)` is how many
    disks one group may lose; `device_bytes` is the md or LVM device; `vdevs` the ZFS groups.
    `read_disks` and `write_disks` say how many disks of a group stream at once.
    """

    id: FamilyId
    title: str
    minimum: int
    filesystems: frozenset[FilesystemId]
    groupings: Callable[[int], Sequence[Sequence[int]]]
    outlives: Callable[[int], int]
    device_bytes: Callable[[Groups], int]
    vdevs: Callable[[Groups], tuple[Vdev, ...]]
    read_disks: Callable[[int], int]
    write_disks: Callable[[int], int]
    grows: str
    smallest_rules: bool = False  # larger disks of a group waste what is above the smallest
    one_copy_of: bool = False  # a group is copies of one disk

    def check(self, groups: Sequence[Sequence[object]]) -> str | None:
        """What is wrong with these groups for this family, or None."""
        sizes = sorted(len(g) for g in groups)
        if sum(sizes) < self.minimum:
            return f"{self.title} needs at least {self.minimum} disks"
        allowed = [tuple(sorted(g)) for g in self.groupings(sum(sizes))]
        if tuple(sizes) not in allowed:
            ways = " or ".join(" + ".join(map(str, g)) for g in allowed) or "none"
            return f"{self.title} over {sum(sizes)} disks can be grouped as {ways}"
        return None


def each_alone(groups: Groups) -> tuple[Vdev, ...]:
    """Every disk a ZFS group of its own: data is spread, nothing is kept twice."""
    return tuple(Vdev((d,)) for g in groups for d in g)


def equal_groups(count: int, smallest: int, most_groups: int = 8) -> list[tuple[int, ...]]:
    """Ways to split `count` disks into equal groups of at least `smallest`, one group first."""
    return [
        (count // n,) * n
        for n in range(1, most_groups + 1)
        if count % n == 0 and count // n >= smallest
    ]
