"""What the disks of a box are made into, layer by layer, as the works of its pools would make them.

Devices have the names that the kernel gives them: arrays count down from md127 (md(4)), what LUKS and
LVM open is below /dev/mapper, with the dashes of names doubled (lvm(8)).
"""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.plan import Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.quantities import MIB
from kavrel.core.works.pools import (
    ArrayRuns,
    Device,
    DeviceLocked,
    DiskCut,
    FilesystemMade,
    RestCut,
    VolumesJoined,
    layers_of,
)
from kavrel.rig.box import Box, Store
from kavrel.rig.disks import Drive

FIRST_ARRAY = 127
# How many members' worth of room an array of so many has. Source: md(4).
ROOM: Mapping[str, Callable[[int], float]] = {
    "0": lambda n: n, "1": lambda n: 1, "5": lambda n: n - 1, "6": lambda n: n - 2, "10": lambda n: n / 2,
    "linear": lambda n: n,
}  # fmt: skip


@dataclass(slots=True)
class Block:
    """A device: its path, what lsblk calls its kind, bytes, what lies on it, and what is made of it."""

    path: str
    kind: str
    size: int
    fstype: str = ""
    uuid: str = ""
    drive: Drive | None = None
    children: list["Block"] = field(default_factory=list)


@dataclass(slots=True)
class Array:
    """An md array of a store: `members` in their order, None for one that does not answer.

    `disks`: whose they are, empty for what is an array itself; `member_bytes`: what the least has to have.
    """

    block: Block
    name: str
    level: str
    uuid: str
    members: list[Block | None]
    spares: list[Block]
    store: str
    disks: list[str]
    member_bytes: int

    @property
    def missing(self) -> int:
        """How many do not answer."""
        return sum(m is None for m in self.members)


@dataclass(slots=True)
class Group:
    """An LVM group: what it is of, and its one volume."""

    name: str
    devices: list[Block]
    volume: Block


@dataclass(frozen=True, slots=True)
class Lock:
    """A device of a pool that is encrypted below its file system: all that means it, its line in crypttab."""

    name: str
    store: Store
    paths: frozenset[str]
    line: str
    is_open: bool


@dataclass(slots=True)
class System:
    """A file system on devices; None for one that does not answer."""

    store: Store
    kind: str
    profile: str
    uuid: str
    devices: list[Block | None]
    counting: bool

    @property
    def source(self) -> str:
        """The device that it is mounted by."""
        return next((b.path for b in self.devices if b), "")


class Layers:
    """All layers of a box, now."""

    def __init__(self, box: Box) -> None:
        self.box = box
        self.disks: dict[str, Block] = {}
        self.arrays: list[Array] = []
        self.groups: list[Group] = []
        self.systems: list[System] = []
        self.locks: list[Lock] = []
        self._named: dict[str, Block | None] = {}
        self._rests: dict[str, Block] = {}
        for path, drive in drives(box):
            whole = Block(path, "disk", drive.disk.capacity_bytes, drive=drive)
            self.disks[drive.disk.id] = whole
            for number, size in enumerate(drive.cut, 1):
                part = Block(f"{path}{number}", "part", size)
                self._named[f"{drive.disk.id} {number}"] = part
                whole.children.append(part)
        for store in box.stores.values():
            if (
                FILESYSTEMS[store.pool.filesystem].whole_disks
                and not FAMILIES[store.pool.family].card
            ):
                self._parts_of_zfs(store)
            else:
                self._made(store)

    def _parts_of_zfs(self, store: Store) -> None:
        """ZFS cuts whole disks itself: a part for data, and a small one behind it."""
        for disk in (*store.pool.disks, *store.pool.spares, *store.pool.tier):
            whole = self.disks.get(disk)
            if whole and not whole.children:
                path = f"{whole.path}1"
                whole.children.append(Block(path, "part", whole.size - 9 * MIB, "zfs_member"))

    def _made(self, store: Store) -> None:
        index, pool = unmade(self.box, store.pool)
        lost = self.box.lab.health(store.pool) == "LOST"
        shown = self._by_card(store, lost) if FAMILIES[store.pool.family].card else None
        for work in layers_of(index, pool, store.name):
            if isinstance(work, RestCut):
                self._rest(work)
            elif isinstance(work, DiskCut):
                whole = self.disks.get(work.disk)
                if whole:
                    whole.children.clear()
                for number, (_, mib) in enumerate(work.parts, 1):
                    part = whole and Block(f"{whole.path}{number}", "part", mib * MIB)
                    self._named[f"{work.disk} {number}"] = part
                    if whole and part:
                        whole.children.append(part)
            elif isinstance(work, ArrayRuns):
                self._array(work, store, lost)
            elif isinstance(work, VolumesJoined):
                self._group(work)
            elif isinstance(work, DeviceLocked):
                if shown is None:
                    self._locked(work, store, self._at(work.device))
                elif work.device.disk == pool.disks[0]:  # what is shown is locked, once
                    shown = self._locked(work, store, shown) or shown
            elif isinstance(work, FilesystemMade):
                key = store.pool.uuid if store.pool.uuid else work.identifier
                on: list[Block | None] = [self._at(d) for d in work.devices]
                if shown:
                    on = [shown]
                for block in on:
                    if block:
                        block.fstype, block.uuid = work.filesystem, key
                self.systems.append(
                    System(store, work.filesystem, work.profile, key, on, work.counting)
                )

    def _rest(self, work: RestCut) -> None:
        """What the system leaves of a disk, behind its own part."""
        whole = self.disks.get(work.disk)
        if whole and not whole.children:
            size = work.mib * MIB
            system = Block(f"{whole.path}1", "part", whole.size - size, "ext4")
            rest = self._rests[work.disk] = Block(f"{whole.path}2", "part", size)
            whole.children += [system, rest]

    def _by_card(self, store: Store, lost: bool) -> Block:
        """The one disk that a hardware card shows of a pool; its members only the card sees."""
        block = Block(f"/dev/sd{letters(len(self.disks))}", "disk", store.room.capacity)
        if not lost:
            self.disks[f"by card {store.name}"] = block
        return block

    def _at(self, device: Device) -> Block | None:
        if not device.disk:
            return self._named.get(device.path)
        return (
            self._named.get(f"{device.disk} {device.part}")
            if device.part
            else self._rests.get(device.disk) or self.disks.get(device.disk)
        )

    def part(self, disk: str, part: int) -> Block | None:
        """A disk that answers, or one of its parts."""
        return self._named.get(f"{disk} {part}") if part else self.disks.get(disk)

    def _array(self, work: ArrayRuns, store: Store, lost: bool) -> None:
        old, new = store.joined.get(work.name, ("", ""))
        on = [replace(d, disk=new) if d.disk and d.disk == old else d for d in work.members]
        members = [None if self._kicked(d) else self._at(d) for d in on]
        there = [m for m in members if m]
        size = int(min((m.size for m in there), default=0) * ROOM[work.level](len(members)))
        path = f"/dev/md{FIRST_ARRAY - len(self.arrays)}"
        block = Block(path, f"raid{work.level}" if work.level.isdigit() else work.level, size)
        for member in there:
            member.fstype = "linux_raid_member"
            member.children.append(block)
        spares = [s for d in work.spares if (s := self._at(d))]
        for spare in spares:
            spare.fstype = "linux_raid_member"
        self._named[f"/dev/md/{work.name}"] = None if lost else block
        if waits := store.waiting.get(work.name):
            spares += [s for d in on[:1] if (s := self.part(waits, d.part))]
        needs = min((m.size for m in there), default=0)
        disks = [d.disk for d in on]
        self.arrays.append(
            Array(
                block, work.name, work.level, work.identifier, members, spares,
                store.name, disks, needs,
            )
        )  # fmt: skip

    def _kicked(self, device: Device) -> bool:
        return bool(device.disk) and self.box.lab.drives[device.disk].kicked

    def _group(self, work: VolumesJoined) -> None:
        devices = [b for d, _ in work.devices if (b := self._at(d))]
        mapped = f"/dev/mapper/{work.name.replace('-', '--')}-data"
        volume = Block(mapped, "lvm", sum(b.size for b in devices))
        whole = len(devices) == len(work.devices)
        for device in devices:
            device.fstype = "LVM2_member"
            if whole:
                device.children.append(volume)
        self._named[f"/dev/{work.name}/data"] = volume if whole else None
        self.groups.append(Group(work.name, devices, volume))

    def _locked(self, work: DeviceLocked, store: Store, below: Block | None) -> Block | None:
        """What is open above it; None where it is not."""
        if below is None:
            return None
        below.fstype, below.uuid = "crypto_LUKS", work.identifier
        is_open = not store.locked or work.name in store.opened
        paths = {f"/dev/disk/by-uuid/{work.identifier}", f"UUID={work.identifier}", below.path}
        paths |= {p for p, b in self._named.items() if b is below}
        rest = f"{work.key_file} luks,nofail" if work.key_file else "none luks,noauto"
        line = f"{work.name} UUID={work.identifier} {rest}"
        self.locks.append(Lock(work.name, store, frozenset(paths), line, is_open))
        if is_open:
            opened = Block(f"/dev/mapper/{work.name}", "crypt", below.size - 16 * MIB)
            below.children.append(opened)
            self._named[opened.path] = opened
            return opened
        return None

    def mounted(self) -> Iterator[System]:
        """File systems whose pool is there and opened."""
        for one in self.systems:
            if self.box.alive(self.box.datas[one.store.name]) and one.source:
                yield one


def drives(box: Box) -> list[tuple[str, Drive]]:
    """The disks that answer in a box, with the kernel's names for them; none behind a hardware card."""
    hidden = {
        d
        for s in box.stores.values()
        if FAMILIES[s.pool.family].card
        for d in (*s.pool.disks, *s.pool.spares)
    }
    alive = [
        d
        for d in box.lab.drives.values()
        if d.host == box.host.id and d.alive and d.disk.id not in hidden
    ]
    return [(f"/dev/sd{letters(n)}", d) for n, d in enumerate(alive)]  # fmt: skip


def letters(number: int) -> str:
    """What a disk has after sd: a to z, then aa, as the kernel has it."""
    name = ""
    while number >= 0:
        name, number = chr(ord("a") + number % 26) + name, number // 26 - 1
    return name


def unmade(box: Box, pool: Pool) -> tuple[Index, Pool]:
    """The plan with this pool yet to be made, of the disks that it has by now: then its works say how."""
    plan = box.lab.index.plan
    wanted = pool.model_copy(update={"standing": False, "uuid": None})
    others = tuple(wanted if p.id == pool.id else p for p in plan.pools)
    disks = tuple(d.disk for d in box.lab.drives.values())
    return Index(plan.model_copy(update={"pools": others, "disks": disks})), wanted
