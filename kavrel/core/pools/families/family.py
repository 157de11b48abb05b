"""What a layout family declares: how disks group, what a group outlives, how bytes add up."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.filesystems.filesystem import Filesystem, Ground, Vdev
from kavrel.core.plan import FamilyId
from kavrel.core.pools.arrays import LUKS_HEADER
from kavrel.core.pools.pace import Pace

Groups = Sequence[Sequence[int]]  # bytes of each disk, group by group


def on_anything(filesystem: Filesystem) -> bool:
    """The array goes below any file system, and one that makes its pool itself has the like."""
    return not filesystem.foreign


def on_one_disk(filesystem: Filesystem) -> bool:
    """Every file system goes on one disk, that of a PC as well."""
    return True


def below(filesystem: Filesystem) -> bool:
    """An array below a file system that does not make its pool itself."""
    return not (filesystem.whole_disks or filesystem.foreign)


def under_a_tree(filesystem: Filesystem) -> bool:
    """A file system on each disk, below a tree over them: what it can do that folders cannot is lost there.

    Btrfs has no subvolume through the tree, and so neither points nor limits.
    """
    return below(filesystem) and not filesystem.subvolumes


def by_itself(filesystem: Filesystem) -> bool:
    """Only file systems that make their pool of the disks themselves have it."""
    return filesystem.whole_disks


def as_profile(filesystem: Filesystem) -> bool:
    """Only file systems that keep chunks several times themselves have it."""
    return filesystem.profiles


@dataclass(frozen=True)
class Room:
    """A disk's bytes by their use before the file system: the three add up to its capacity."""

    data: int
    redundancy: int
    stranded: int


def smallest_rules_rooms(groups: Groups, redundant: Callable[[int], float]) -> list[list[Room]]:
    """Each disk of a group gives what the smallest has; parity is spread evenly over them."""
    return [
        [
            Room(
                min(g) - int(min(g) * redundant(len(g)) // len(g)),
                int(min(g) * redundant(len(g)) // len(g)),
                d - min(g),
            )
            for d in g
        ]
        for g in groups
    ]


def one_copy_rooms(groups: Groups) -> list[list[Room]]:
    """The first disk of a group holds the data, the others a copy of it."""
    return [
        [Room(0 if n else min(g), min(g) if n else 0, d - min(g)) for n, d in enumerate(g)]
        for g in groups
    ]


def whole_disk_rooms(groups: Groups) -> list[list[Room]]:
    """Every disk is data, whole."""
    return [[Room(d, 0, 0) for d in g] for g in groups]


def no_complaint(groups: Groups) -> str | None:
    """Any sizes go."""
    return None


@dataclass(frozen=True)
class Cut:
    """A part of the same size on every disk that reaches so high, and the array over these parts.

    `members` are positions of disks; `level` is md's.
    """

    start_mib: int
    size_mib: int
    members: tuple[int, ...]
    level: str


@dataclass(frozen=True)
class Family:
    """A rule for joining disks.

    `groupings(n)` yields the sensible group sizes over n disks; `outlives(width)` is how many
    disks one group may lose; `volumes` are the devices that get a file system, one or several;
    `vdevs` the ZFS groups; `rooms` how each disk's bytes are used; `pace` the speed of a group.
    `sets`: positions of the disks of a group that outlive failures together, where that is not the
    whole group; `survivors(width, lost)` counts the ways that it then outlives.
    `one_set`: the groups stand and fall together. `remains`: what is left beyond redundancy.
    `grows_by`: what can be bought at a time. `complaint`: what is wrong with the sizes.
    `takes`: the file systems that go with it. `parity`: every small write is a read as well.
    `reshapes`: one more disk rewrites all of them; `widens`: a group takes one more disk.
    `of_one_group`: what it is called with a single group, `of_more_groups` with more, `stronger`
    the same with one more redundant disk; empty where there is no such. `bought_in` are the widths
    in which whole groups of it are bought.
    How machines make it: `md_level` of its array or of each group's, those joined by a stripe where
    `nested`; `vdev_word` where a file system makes it itself; `profile` the flags of mkfs;
    `joined_volumes` by volumes in a row; `cuts` the parts that disks are cut into, an array over
    each; `by_hand` what a person does where no script can. `apart`: each of its data disks has a
    file system of its own, joined to one tree. `parity_at`: the hour at which parity is brought up to
    date, every day; empty where it always is. `card`: a hardware card makes it, that alone can read
    it: it is looked after, and never proposed.
    """

    id: FamilyId
    title: str
    minimum: int
    takes: Callable[[Filesystem], bool]
    groupings: Callable[[int], Sequence[Sequence[int]]]
    outlives: Callable[[int], int]
    volumes: Callable[[Groups], tuple[int, ...]]
    vdevs: Callable[[Groups], tuple[Vdev, ...]]
    rooms: Callable[[Groups], list[list[Room]]]
    pace: Callable[[int], Pace]
    grows: str
    grows_by: Literal["disk", "group", "replace"]
    remains: Literal["nothing", "files on the disks that live"] = "nothing"
    complaint: Callable[[Groups], str | None] = no_complaint
    mixed_widths: int | None = None  # groups of different widths go from this width on
    one_set: bool = False
    parity_last: bool = False  # the last group is the dedicated parity
    one_copy_of: bool = False  # a group is copies of one disk
    smallest_rules: bool = False  # larger disks of a group waste what is above the smallest
    sets: Callable[[int], Sequence[tuple[int, ...]]] | None = None
    survivors: Callable[[int, int], int] | None = None
    copies: int = 0  # chunks kept so many times, placed by the file system
    parity: bool = False
    reshapes: bool = False
    widens: bool = False
    of_one_group: FamilyId = ""
    of_more_groups: FamilyId = ""
    stronger: FamilyId = ""
    bought_in: tuple[int, ...] = ()
    md_level: str = ""
    nested: bool = False
    vdev_word: str = ""
    profile: str = ""
    joined_volumes: bool = False
    cuts: Callable[[Sequence[int]], tuple[Cut, ...]] | None = None
    by_hand: str = ""
    apart: bool = False
    parity_at: str = ""
    card: bool = False

    @property
    def filesystems(self) -> frozenset[str]:
        """Ids of the file systems that go with it."""
        return frozenset(f.id for f in FILESYSTEMS.values() if self.takes(f))

    @property
    def own_filesystem(self) -> str:
        """The file system of a family that only one has; none for the arrays below one."""
        only = [f.id for f in FILESYSTEMS.values() if self.takes(f)]
        bare = next(f.id for f in FILESYSTEMS.values() if f.bare)
        return bare if bare in only else only[0]

    def ground(
        self, groups: Groups, ashift: int, record_bytes: int, locked: bool = False
    ) -> Ground:
        """What a file system on these groups is put on; where `locked`, below the header of LUKS."""
        whole = tuple(tuple(g) for g in groups)
        # A file system that makes its own copies lies on each disk by itself.
        headers = LUKS_HEADER * (sum(map(len, whole)) if self.copies else 1) if locked else 0
        return Ground(
            volumes=tuple(max(v - headers, 0) for v in self.volumes(whole)),
            vdevs=self.vdevs(whole),
            copies=self.copies,
            ashift=ashift,
            record_bytes=record_bytes,
        )

    def spare_bytes(self, groups: Groups) -> int:
        """What a spare must have at least, so that it can take the place of any member."""
        if self.smallest_rules:
            return max(min(g) for g in groups)
        return max(max(g) for g in groups)

    def check(self, groups: Sequence[Sequence[object]]) -> str | None:
        """What is wrong with the number of disks in these groups for this family, or None."""
        sizes = sorted(len(g) for g in groups)
        if sum(sizes) < self.minimum:
            return f"{self.title} needs at least {self.minimum} disks"
        allowed = [tuple(sorted(g)) for g in self.groupings(sum(sizes))]
        mixed = self.mixed_widths is not None and len(sizes) > 1 and sizes[0] >= self.mixed_widths
        if tuple(sizes) not in allowed and not mixed:
            ways = " or ".join(" + ".join(map(str, g)) for g in allowed) or "none"
            return f"{self.title} over {sum(sizes)} disks can be grouped as {ways}"
        if self.parity_last and len(groups[-1]) != self.outlives(sum(sizes)):
            return f"{self.title}: the data disks first, then the parity disks"
        return None


def each_alone(groups: Groups) -> tuple[Vdev, ...]:
    """Every disk a ZFS group of its own: data is spread, nothing is kept twice."""
    return tuple(Vdev((d,)) for g in groups for d in g)


def no_vdevs(groups: Groups) -> tuple[Vdev, ...]:
    """For families that ZFS does not have."""
    return ()


def equal_groups(count: int, smallest: int, most_groups: int = 12) -> list[tuple[int, ...]]:
    """Ways to split `count` disks into equal groups of at least `smallest`, one group first."""
    return [
        (count // n,) * n
        for n in range(1, most_groups + 1)
        if count % n == 0 and count // n >= smallest
    ]


def one_group(smallest: int) -> Callable[[int], list[tuple[int, ...]]]:
    """The grouping of families that have one group of at least so many disks."""
    return lambda count: [(count,)] if count >= smallest else []
