"""What a bare machine has: its disks, what is made of them, who is there, and who may do what."""

import os
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path

from kavrel.rig.bare.said import Refused

NOBODY = 65_534
# Of what useradd gives by itself: login.defs(5), and 1000 is whoever installed it, who may be in the plan.
FIRST_NUMBER = 1_001


@dataclass(frozen=True, slots=True)
class Part:
    """Where a part of a disk lies, in bytes, and its identifier in the table."""

    start: int
    end: int
    key: str = ""


@dataclass(slots=True)
class Device:
    """A block device. `below`: paths of those that it is made of; `signs`: identifiers by kind of signature.

    `user` holds it, as an array, a group, a pool or a mount; empty where nobody does.
    """

    path: str
    size: int
    kind: str
    below: tuple[str, ...] = ()
    signs: dict[str, str] = field(default_factory=dict)
    serial: str = ""
    user: str = ""
    part: Part | None = None


@dataclass(slots=True)
class Array:
    """An md array."""

    uuid: str
    level: str
    members: tuple[str, ...]
    spares: tuple[str, ...] = ()


@dataclass(slots=True)
class Lock:
    """A LUKS device and the keys that open it."""

    device: str
    keys: list[bytes]


@dataclass(slots=True)
class Filesystem:
    """A file system: its kind, devices, and the flags with which it was made. `volumes` are Btrfs's."""

    kind: str
    devices: tuple[str, ...]
    flags: dict[str, str] = field(default_factory=dict)
    volumes: dict[str, dict[str, str]] = field(
        default_factory=dict
    )  # by folder, with their properties
    counts: bool = False  # Btrfs: quota is enabled


@dataclass(slots=True)
class Mount:
    """What is at a folder: UUID of a file system, name of a dataset, or branches of a tree."""

    what: str
    kind: str
    options: tuple[str, ...] = ()


@dataclass(slots=True)
class Zpool:
    """A ZFS pool: its groups, each with its word and its devices."""

    groups: tuple[tuple[str, tuple[str, ...]], ...]
    spares: tuple[str, ...]
    properties: dict[str, str]
    key: str = ""  # what opens it; empty where it is open to all
    opened: bool = True


@dataclass(slots=True)
class Person:
    """An account. `locked` as by `usermod --lock --expiredate 1`."""

    number: int
    group: int
    groups: set[str] = field(default_factory=set)
    home: str = ""
    full_name: str = ""
    ends: str = ""
    locked: bool = False


@dataclass(slots=True)
class Rights:
    """Whose a folder is, and its access list, entry by entry."""

    owner: str = "root"
    group: str = "root"
    entries: dict[str, str] = field(default_factory=dict)


@dataclass
class Machine:
    """See above. `root` is the folder in which its own files lie."""

    root: Path
    today: date
    devices: dict[str, Device] = field(default_factory=dict)
    arrays: dict[str, Array] = field(default_factory=dict)  # by path
    groups_of_volumes: dict[str, tuple[str, ...]] = field(default_factory=dict)
    locks: dict[str, Lock] = field(default_factory=dict)  # by UUID
    filesystems: dict[str, Filesystem] = field(default_factory=dict)  # by UUID
    mounts: dict[str, Mount] = field(default_factory=dict)  # by folder
    zpools: dict[str, Zpool] = field(default_factory=dict)
    datasets: dict[str, dict[str, str]] = field(
        default_factory=dict
    )  # of ZFS, with their properties
    people: dict[str, Person] = field(default_factory=dict)
    groups: dict[str, int] = field(default_factory=dict)
    rights: dict[str, Rights] = field(default_factory=dict)
    projects: dict[str, int] = field(default_factory=dict)  # by folder
    limits: dict[tuple[str, str], int] = field(
        default_factory=dict
    )  # by what counts and who, bytes
    away: dict[str, Device] = field(default_factory=dict)  # what nothing has put together yet
    importable: set[str] = field(default_factory=set)  # ZFS pools that another system had

    def __post_init__(self) -> None:
        self.as_installed()

    def as_installed(self) -> None:
        """Who is there on a new system, besides whoever installed it."""
        self.groups |= {"root": 0, "sudo": 27, "users": 100, "nogroup": NOBODY}
        self.people |= {"root": Person(0, 0), "nobody": Person(NOBODY, NOBODY)}

    def inside(self, path: str) -> Path:
        """Where a path of the machine really is. Raises Refused for what would lead out of it."""
        there = Path(os.path.realpath(self.root / path.lstrip("/")))
        if not there.is_relative_to(self.root):
            raise Refused(f"{path}: Permission denied")
        return there

    def kept(self, what: str) -> Path:
        """Where the content of a file system is while it is mounted nowhere."""
        return self.root.parent / "kept" / what.replace("/", "_").replace(":", "_")

    def resolved(self, path: str) -> str:
        """What a path of a device leads to."""
        there = self.root / path.lstrip("/")
        if path.startswith("/dev/md/") and there.is_symlink():
            return str(there.readlink())
        return path

    def renamed(self, was: str, path: str) -> None:
        """A device has another name now, wherever it is spoken of."""

        def now(paths: Sequence[str]) -> tuple[str, ...]:
            return tuple(path if p == was else p for p in paths)

        for device in (*self.devices.values(), *self.away.values()):
            device.below = now(device.below)
        for array in self.arrays.values():
            array.members, array.spares = now(array.members), now(array.spares)
        for system in self.filesystems.values():
            system.devices = now(system.devices)
        self.groups_of_volumes = {g: now(of) for g, of in self.groups_of_volumes.items()}
        for lock in self.locks.values():
            lock.device = path if lock.device == was else lock.device

    def device(self, path: str) -> Device:
        """A device by its path. Raises Refused."""
        path = self.resolved(path)
        if path not in self.devices:
            raise Refused(f"{path}: No such file or directory")
        return self.devices[path]

    def plug_in(self, device: Device) -> Device:
        """A device comes up, with its file below /dev."""
        self.devices[device.path] = device
        file = self.root / device.path.lstrip("/")
        file.parent.mkdir(parents=True, exist_ok=True)
        file.touch()
        return device

    def pull_out(self, path: str) -> None:
        """A device goes, with its file."""
        self.devices.pop(path, None)
        (self.root / path.lstrip("/")).unlink(missing_ok=True)

    def parts_of(self, path: str) -> list[Device]:
        """Those that lie on a device directly."""
        return [d for d in self.devices.values() if path in d.below]

    def free(self, paths: Sequence[str], who: str) -> list[Device]:
        """Devices that nobody holds. Raises Refused with who asked for them."""
        found = [self.device(p) for p in paths]
        for one in found:
            if one.user or any(self.in_use(p) for p in self.parts_of(one.path)):
                raise Refused(f"{who}: {one.path}: Device or resource busy")
        return found

    def in_use(self, device: Device) -> bool:
        """Whether a device, or what lies on it, is held."""
        return bool(device.user) or any(self.in_use(d) for d in self.parts_of(device.path))

    def hold(self, devices: Sequence[Device], user: str, kind: str, uuid: str) -> None:
        """What is made of devices holds them, and leaves its signature on each."""
        for one in devices:
            one.user = user
            one.signs[kind] = uuid

    def serials(self, paths: Sequence[str]) -> tuple[str, ...]:
        """Of disks, in their order; the path of what is no disk."""
        return tuple(self.devices[p].serial or p for p in paths)

    def at(self, folder: str) -> tuple[str, Mount] | None:
        """The mount that a path lies in, with its folder."""
        best = max(
            (f for f in self.mounts if folder == f or folder.startswith(f"{f}/")),
            key=len,
            default=None,
        )
        return (best, self.mounts[best]) if best else None
