"""One box of the rig: its data by folder, its private place on the real disk, and its commands."""

import os
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING

from kavrel.core.plan import Host, Pool
from kavrel.rig.apart import Spread
from kavrel.rig.data import Data, NoRoom, Room
from kavrel.rig.files import File
from kavrel.rig.said import Said, failed

if TYPE_CHECKING:
    from kavrel.rig.lab import Lab

ROOT_BYTES = 32 * 10**9  # of the system disk: room enough for settings and logs
Tool = Callable[["Box", list[str], bytes], Said]


@dataclass(slots=True)
class Store:
    """A pool on a box: what the plan says of it, its name, its root folder and its room.

    By array, or UUID of a file system: `waiting` is a disk that was added and has no place yet,
    `joined` the old and the new disk of an array, while others still do without it. `opened`: which of
    its locked devices are open, while others are not.
    """

    pool: Pool
    name: str
    at: str
    room: Room
    locked: bool = False
    waiting: dict[str, str] = field(default_factory=dict)
    joined: dict[str, tuple[str, str]] = field(default_factory=dict)
    opened: set[str] = field(default_factory=set)
    sizes: tuple[int, ...] = ()  # bytes of its disks, as they were when it was made
    spread: Spread = field(default_factory=Spread)  # where each disk has a file system of its own
    scan: tuple[str, float] | None = (
        None  # the last time that all was read: what that did, and when
    )


# Folders of a fresh system that people put things into. Source: Filesystem Hierarchy Standard 3.0.
OF_ANY_SYSTEM = frozenset({
    "etc", "home", "media", "mnt", "opt", "root", "run", "srv", "tmp", "usr/local", "var", "var/lib", "var/log",
    "var/tmp",
})  # fmt: skip


@dataclass(slots=True)
class Box:
    """A host. `up`: it runs; `lost`: it burned, was stolen or broke, with every disk in it.

    `own` are the tools of a person's own, by the path of their script. `clock`: by how many seconds
    it is wrong. `hollow`: jobs that have nothing to do any more by their file, and go well. `mute`: its
    mails arrive nowhere.
    """

    host: Host
    folder: Path
    lab: "Lab"
    up: bool = True
    lost: bool = False
    stores: dict[str, Store] = field(default_factory=dict)
    datas: dict[str, Data] = field(default_factory=dict)  # by the name that tools know
    own: dict[str, Tool] = field(default_factory=dict)
    disabled: set[str] = field(default_factory=set)  # timers that are off
    clock: float = 0.0
    hollow: set[str] = field(default_factory=set)
    mute: bool = False

    @property
    def name(self) -> str:
        """What people call it."""
        return self.host.name

    def answers_to(self, address: str) -> bool:
        """Whether this is its name or one of its addresses."""
        return address in (self.host.name, self.host.id, self.host.address, self.host.vpn_address)

    def root(self) -> Data:
        """The system disk."""
        rest = self.datas.get("")
        if rest is None:
            rest = self.datas[""] = Data("", "", Room(ROOT_BYTES))
        return rest

    def mounted(self) -> Iterator[Data]:
        """What can be read now: a locked or lost pool is mounted nowhere."""
        for data in self.datas.values():
            if self.here(data):
                yield data

    def mount_all(self) -> None:
        """What a start mounts: every dataset that has its key, what was received too. Source: zfs-mount(8)."""
        for data in self.datas.values():
            data.mounted = data.mounted or data.props.get("raw") != "locked"

    def here(self, data: Data) -> bool:
        """Whether a dataset is mounted."""
        return data.mounted and self.alive(data)

    def alive_pool(self, data: Data) -> bool:
        """Whether the pool of a dataset is there, opened or not."""
        store = self.stores.get(data.name.partition("/")[0])
        return store is not None and self.lab.health(store.pool) != "LOST"

    def alive(self, data: Data) -> bool:
        """Whether the pool of a dataset is there and opened."""
        store = self.stores.get(data.name.partition("/")[0]) if data.name else None
        return store is None or not (store.locked or self.lab.health(store.pool) == "LOST")

    def find(self, path: str) -> tuple[Data, str]:
        """The dataset that a path lies in, and its name from there on: the one mounted furthest down."""
        path = os.path.normpath(path)
        best, longest = self.root(), -1
        for data in self.datas.values():
            at = data.at
            if (
                len(at) > longest
                and (path == at or path.startswith(f"{at}/"))
                and at
                and self.here(data)
            ):
                best, longest = data, len(at)
        return best, path[len(best.at) :].strip("/")

    def current(self, data: Data) -> Data:
        """A dataset with all the work that people have done in it by now."""
        work = self.lab.works.get((self.host.id, data.name))
        if work and not data.read_only:
            try:
                work.go_on(data, self.lab.moment)
            except NoRoom:
                work.until = self.lab.moment
                self.lab.tell(self, f"{data.name} is full: nothing more can be written")
        return data

    def private(self, path: str) -> Path | None:
        """Where this box really keeps what lab-job writes down for itself; None for any other path."""
        inside = f"{self.lab.folder}/"
        if not path.startswith(inside):
            return None
        _, _, name = path[len(inside) :].partition("/state/")
        return self.folder / "state" / name

    def file(self, path: str) -> File | None:
        """A file by its path; None where there is none."""
        data, name = self.find(path)
        return self.current(data).files.get(name)

    def is_folder(self, path: str) -> bool:
        """Whether there is a folder."""
        data, name = self.find(path)
        if not name or name in data.folders or any(d.at == path for d in self.mounted()):
            return True
        if data is self.root() and name in OF_ANY_SYSTEM:
            return True
        return any(n.startswith(f"{name}/") for n in data.files)

    def listed(self, path: str) -> list[str]:
        """What lies in a folder, by name."""
        data, name = self.find(path)
        cut = len(name) + 1 if name else 0
        below = f"{name}/" if name else ""
        names = {n[cut:].partition("/")[0] for n in self.current(data).files if n.startswith(below)}
        names |= {n[cut:].partition("/")[0] for n in data.folders if n.startswith(below)}
        at = f"{path.rstrip('/')}/"
        names |= {d.at[len(at) :].partition("/")[0] for d in self.mounted() if d.at.startswith(at)}
        return sorted(names - {""})

    def command(self, words: list[str], stdin: bytes = b"") -> Said:
        """Runs a command of this box. Raises FileNotFoundError where it has none of that name."""
        from kavrel.rig.tools import TOOLS  # the tools know boxes

        tool = self.own.get(words[0]) or TOOLS.get(words[0].rpartition("/")[2])
        if tool is None:
            raise FileNotFoundError(2, "No such file or directory")
        if words[0] in self.own and words[0].rpartition("/")[2] in self.hollow:
            return Said()
        try:
            return tool(self, words[1:], stdin)
        except NoRoom:
            return failed(f"{words[0]}: No space left on device")
