"""Datasets, subvolumes and plain folders: files, points in time, and the room that both take.

A point shares the files that did not change; what only points still have is held until the last of
them goes, as copy-on-write file systems do.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import NamedTuple

from kavrel.rig.files import File


class NoRoom(Exception):
    """The pool is full."""


@dataclass(slots=True)
class Room:
    """Bytes that a pool has and that are taken."""

    capacity: int
    used: int = 0

    def take(self, size: int) -> None:
        """Takes bytes, or gives them back. Raises NoRoom."""
        if size > 0 and self.used + size > self.capacity:
            raise NoRoom
        self.used += size


class Point(NamedTuple):
    """A read-only state: its files and when it was taken.

    `came`: it was received from elsewhere. `wrote`: names that were written since the point before.
    """

    files: dict[str, File]
    created: float
    came: bool
    wrote: frozenset[str]


@dataclass(slots=True)
class Data:
    """One dataset of a pool: `name` as its tools say it, `at` the folder where it is mounted.

    `origin`: the name of the point that its present state is, for what was received.
    """

    name: str
    at: str
    room: Room
    files: dict[str, File] = field(default_factory=dict)
    points: dict[str, Point] = field(default_factory=dict)
    folders: set[str] = field(default_factory=set)
    props: dict[str, str] = field(default_factory=dict)
    mounted: bool = True
    read_only: bool = False
    _shared: bool = False
    _wrote: set[str] = field(default_factory=set)

    def clone(self, room: Room) -> "Data":
        """The same, to be changed without this one."""
        self._shared = True
        return Data(
            self.name, self.at, room, self.files, dict(self.points), set(self.folders),
            dict(self.props), self.mounted, self.read_only, True, set(self._wrote),
        )  # fmt: skip

    def _own(self) -> dict[str, File]:
        if self._shared:
            self.files, self._shared = dict(self.files), False
        return self.files

    def _newest(self) -> dict[str, File]:
        return next(reversed(self.points.values())).files if self.points else {}

    def _freed(self, name: str) -> int:
        """Bytes that come back when the present version of a file goes."""
        old = self.files.get(name)
        if old is None or self._newest().get(name) is old:
            return 0
        return old.size

    def write(self, name: str, file: File) -> None:
        """Puts a file in its place. Raises NoRoom."""
        self.room.take(file.size - self._freed(name))
        self._own()[name] = file
        self._wrote.add(name)

    def remove(self, name: str) -> None:
        """Takes a file away."""
        self.room.take(-self._freed(name))
        del self._own()[name]
        self._wrote.add(name)

    def mark(self, name: str, moment: float, came: bool = False) -> None:
        """Makes the present state a point."""
        self._shared = True
        self.points[name] = Point(self.files, moment, came, frozenset(self._wrote))
        self._wrote = set()

    def forget(self, name: str) -> None:
        """Lets a point go, with what only it held: what came after the one before and went before the next."""
        names = list(self.points)
        place = names.index(name)
        gone = self.points.pop(name)
        before = self.points[names[place - 1]].files if place else {}
        if place + 1 < len(names):
            after = self.points[names[place + 1]]
            later, files = after.wrote, after.files
            self.points[names[place + 1]] = after._replace(wrote=later | gone.wrote)
        else:
            later, files = frozenset(self._wrote), self.files
            self._wrote |= gone.wrote
        freed = 0
        for one in gone.wrote & later:
            file = gone.files.get(one)
            if file and before.get(one) is not file and files.get(one) is not file:
                freed += file.size
        self.room.take(-freed)

    def become(self, files: dict[str, File]) -> int:
        """Takes over a whole state; returns the bytes that are new in it. Raises NoRoom."""
        came = [n for n, f in files.items() if self.files.get(n) is not f]
        went = [n for n, f in self.files.items() if files.get(n) is not f]
        new = sum(files[n].size for n in came)
        self.room.take(new - sum(self._freed(n) for n in went))
        self.files, self._shared = files, True
        self._wrote.update(came, went)
        return new

    def share(self, files: dict[str, File]) -> None:
        """Takes over a state that takes no room, for something else holds it."""
        self.files, self._shared = files, True

    def undo(self, before: "Data", after: "Data") -> None:
        """Takes back what made the one state of it the other: it was on its way and broke off.

        What others wrote here meanwhile stays.
        """
        taken = self.taken()
        if self.files is after.files and list(self.points) == list(after.points):
            self.files, self.points, self._shared = before.files, dict(before.points), True
            self._wrote = set(before._wrote)
        else:
            files = self._own()
            for name in before.files.keys() | after.files.keys():
                old, new = before.files.get(name), after.files.get(name)
                if old is new or files.get(name) is not new:
                    continue
                if old is None:
                    del files[name]
                else:
                    files[name] = old
            points = [
                *(
                    (n, p)
                    for n, p in self.points.items()
                    if n in before.points or n not in after.points
                ),
                *((n, p) for n, p in before.points.items() if n not in after.points),
            ]
            self._line_up(sorted(points, key=lambda one: one[1].created))
        self.room.take(self.taken() - taken)

    def _line_up(self, points: list[tuple[str, Point]]) -> None:
        """These points in this order, each with what was written since the one before."""
        last: dict[str, File] = {}
        self.points = {}
        for name, point in points:
            self.points[name] = point._replace(wrote=frozenset(_differing(last, point.files)))
            last = point.files
        self._wrote = _differing(last, self.files)

    def taken(self) -> int:
        """Bytes of all versions of all files."""
        return sum(f.size for f in self.versions())

    def held(self) -> int:
        """Bytes that only points still have."""
        return self.taken() - sum(f.size for f in self.files.values())

    def versions(self) -> Iterator[File]:
        """Every version once, of the present state and of all points."""
        points = list(self.points.values())
        oldest = points[0].files if points else self.files
        seen = dict(zip(map(id, oldest.values()), oldest.values(), strict=True))
        # From one state to the next nothing is other than what was written in between.
        later = [(p.files, p.wrote) for p in points[1:]]
        for files, wrote in (*later, (self.files, self._wrote)) if points else ():
            for name in wrote:
                file = files.get(name)
                if file is not None:
                    seen[id(file)] = file
        yield from seen.values()

    def below(self, folder: str) -> dict[str, File]:
        """Files in a folder of it, by their names from there on; all with an empty one."""
        if not folder:
            return self.files
        cut = len(folder) + 1
        return {n[cut:]: f for n, f in self.files.items() if n.startswith(f"{folder}/")}


def _differing(one: dict[str, File], other: dict[str, File]) -> set[str]:
    """Names of which there is another version, or none, in the other state."""
    return {n for n in one.keys() | other.keys() if one.get(n) is not other.get(n)}
