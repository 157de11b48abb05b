"""Pools of a host, from bare disks to mounted folders, as the layout families and file systems say.

A pool that stands is looked for. One that is wanted is made of the disks with its serials and no
others, each layer known by an identifier that the plan gives it: so what is there already is seen,
and a run that was stopped goes on. What would not be the layout of the plan is left to the hand.
Sources: sfdisk(8), mdadm(8), lvm(8), cryptsetup(8), mkfs.btrfs(8), zpool-create(8), snapraid(1).
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.plan import Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.parts import has_tier
from kavrel.core.quantities import MIB
from kavrel.core.shares.names import pool_names, pool_roots
from kavrel.core.works.volumes import Tree, Volume, identifier, tree_of, volumes_of
from kavrel.core.works.work import Work

NOTHING_BACK = "nothing brings back what was there before"


@dataclass(frozen=True)
class Device:
    """A disk by its id, a part of it by its number, or what has a name of its own under /dev."""

    disk: str = ""
    part: int = 0
    path: str = ""


@dataclass(frozen=True)
class PoolStands(Work):
    """A pool that is there: looked for with its disks, never made."""

    fields = (
        "pools.name",
        "pools.groups",
        "pools.spares",
        "pools.tier",
        "pools.known_as",
        "pools.path",
        "pools.standing",
    )

    pool: Pool
    name: str


@dataclass(frozen=True)
class DisksFree(Work):
    """Disks of a wanted pool, wiped once somebody said so.

    `sizes`: what each has by the plan, in bytes; `identifiers`: what this pool leaves on them.
    """

    fields = (
        "pools.groups",
        "pools.spares",
        "pools.tier",
        "disks.serial",
        "disks.capacity_bytes",
        "disks.holds_data",
    )

    pool: Pool
    name: str
    disks: tuple[str, ...]
    sizes: tuple[int, ...]
    identifiers: tuple[str, ...]


@dataclass(frozen=True)
class DiskCut(Work):
    """A disk with a partition table of its own: start and size of each part in MiB."""

    fields = ("pools.family", "pools.groups")

    disk: str
    identifier: str
    parts: tuple[tuple[int, int], ...]


@dataclass(frozen=True)
class RestCut(Work):
    """What a system leaves of the disk that the box boots from is a part of its own, behind all others.

    Nothing that is on the disk is touched. `identifier`: of that part; `mib`: its size.
    """

    fields = ("hosts.boot_disk", "hosts.system_bytes")

    disk: str
    identifier: str
    mib: int


@dataclass(frozen=True)
class ArrayRuns(Work):
    """An md array at /dev/md/`name`. `bitmap`: whether mdadm may choose to keep one."""

    fields = ("pools.family", "pools.groups", "pools.spares")

    name: str
    identifier: str
    level: str
    members: tuple[Device, ...]
    spares: tuple[Device, ...]
    bitmap: bool


@dataclass(frozen=True)
class VolumesJoined(Work):
    """An LVM group over devices, with one volume called data on all of it."""

    fields = ("pools.family", "pools.groups")

    name: str
    devices: tuple[tuple[Device, str], ...]  # each with its identifier


@dataclass(frozen=True)
class DeviceLocked(Work):
    """A device encrypted by LUKS, open at /dev/mapper/`name`.

    `key_file` opens it too; empty where only the passphrase does.
    """

    fields = ("pools.encrypted", "pools.unlock", "pools.passphrase_at")

    name: str
    identifier: str
    device: Device
    pool: str
    key_file: str


@dataclass(frozen=True)
class FilesystemMade(Work):
    """A file system over devices, by its UUID. `profile`: flags of mkfs; `counting`: with quotas."""

    fields = ("pools.filesystem", "pools.family")

    filesystem: str
    profile: str
    identifier: str
    devices: tuple[Device, ...]
    counting: bool


@dataclass(frozen=True)
class FolderMounted(Work):
    """A volume at its folder."""

    fields = ("pools.path",)

    volume: Volume


@dataclass(frozen=True)
class TreeMounted(Work):
    """One tree over several volumes."""

    fields = ("pools.family", "pools.path")

    tree: Tree


@dataclass(frozen=True)
class ParityKept(Work):
    """Parity files over data volumes, as the lines of `file` say; a chore keeps it up to date."""

    fields = ("pools.family", "pools.groups")

    file: str
    lines: tuple[str, ...]


@dataclass(frozen=True)
class ZpoolMade(Work):
    """A pool that ZFS makes of the disks itself."""

    fields = (
        "pools.family",
        "pools.groups",
        "pools.ashift",
        "pools.record_kib",
        "pools.encrypted",
        "pools.unlock",
        "pools.spares",
    )

    pool: Pool
    name: str
    root: str
    word: str  # of its groups, as mirror or raidz2
    key_file: str  # that opens it, empty where it is typed or not locked


@dataclass(frozen=True)
class PoolComplete(Work):
    """The pool as the plan has it; its last work."""

    fields = (
        "pools.name",
        "pools.family",
        "pools.filesystem",
        "pools.groups",
        "pools.spares",
        "pools.tier",
        "pools.standing",
    )

    pool: Pool
    name: str


def pool_works(index: Index, host: str) -> Iterator[Work]:
    """All works of the host's pools, each after what it needs."""
    for pool in index.plan.pools:
        if pool.host == host:
            yield from works_of_pool(index, pool)


def works_of_pool(index: Index, pool: Pool) -> Iterator[Work]:
    """The works of one pool."""
    name = pool_names(index.plan)[pool.id]
    makes = (("pools", pool.id),)
    if pool.standing:
        way = (
            f"zpool import {name}, with -f where the system that had it is gone"
            if FILESYSTEMS[pool.filesystem].by_name
            else "mount it as before"
        )
        yield PoolStands(
            f"pool/{name}", f"pool {pool.name} is there", makes, (), _see(index, pool), way, "",
            pool=pool, name=name,
        )  # fmt: skip
        return
    refused = refusal(index, pool)
    layers = () if refused else tuple(layers_of(index, pool, name))
    yield from layers
    yield PoolComplete(
        f"pool/{name}", f"pool {pool.name}", makes, tuple(w.key for w in layers), _see(index, pool),
        "destroy it by hand, by its name, once nothing on it is wanted", refused, pool=pool, name=name,
    )  # fmt: skip


def _see(index: Index, pool: Pool) -> str:
    name = pool_names(index.plan)[pool.id]
    if FILESYSTEMS[pool.filesystem].by_name:
        return f"zpool status {name}"
    return f"findmnt --mountpoint {pool_roots(index.plan)[pool.id]}"


def refusal(index: Index, pool: Pool) -> str:
    """Why no script makes a wanted pool; empty where one does."""
    if any(d in index.held for d in pool.disks):
        return "its disks hold data: go by the run sheet of the shuffle"
    kept = [index.disks[d].label for d in members(pool) if index.disks[d].holds_data]
    if kept:
        return (
            f"what is on {', '.join(kept)} must survive by the plan: copy it off, check the copy, and say in "
            "the plan that it holds no data any more; nothing was wiped"
        )
    if FAMILIES[pool.family].by_hand:
        return f"{FAMILIES[pool.family].by_hand}; nothing was wiped"
    if FILESYSTEMS[pool.filesystem].bare:
        return "it has no file system by the plan; nothing was wiped"
    used = members(pool)
    box = index.hosts[pool.host]
    if box.boot_disk in used and box.boot_disk:
        label = index.disks[box.boot_disk].label
        if box.system_bytes is None:
            return (
                f"the box boots from {label}, and how much of it the system takes is not in the plan; nothing "
                "was wiped"
            )
        if FAMILIES[pool.family].cuts:
            return (
                f"the box boots from {label}, and a pool of slices wants whole disks: cut what is left of it "
                "by hand, or leave it out; nothing was wiped"
            )
    unknown = [d for d in used if not index.disks[d].serial]
    if unknown:
        names = ", ".join(index.disks[d].label for d in unknown)
        return f"the serial of {names} is not in the plan, and no disk is wiped by its order"
    cuts = FAMILIES[pool.family].cuts
    if cuts:
        made = cuts([index.data_bytes(d) for d in pool.disks])
        within = {n for cut in made for n in cut.members}
        small = [index.disks[d].label for n, d in enumerate(pool.disks) if n not in within]
        if small:
            return f"{', '.join(small)} is too small for any slice: leave it out; nothing was wiped"
    return ""


def members(pool: Pool) -> tuple[str, ...]:
    """The disks that a script puts into a pool: its own, spares that it takes, and its fast tier."""
    return (*pool.disks, *spares_within(pool), *(pool.tier if has_tier(pool) else ()))


def spares_within(pool: Pool) -> tuple[str, ...]:
    """The spares that become part of the pool when it is made."""
    family = FAMILIES[pool.family]
    # Source: mdadm(8): only levels with redundancy take spares.
    redundant = any(family.outlives(len(g)) for g in pool.groups)
    whole_array = bool(family.md_level) and redundant and not family.nested
    return pool.spares if FILESYSTEMS[pool.filesystem].whole_disks or whole_array else ()


def layers_of(index: Index, pool: Pool, name: str) -> Iterator[Work]:
    """Every layer of a wanted pool but the last word."""
    makes = (("pools", pool.id),)
    used = (*pool.disks, *spares_within(pool), *(pool.tier if has_tier(pool) else ()))
    rest = rest_of(index, pool, name)
    free = rest.key if rest else f"disks/{name}"
    if FILESYSTEMS[pool.filesystem].whole_disks:
        above: list[Work] = [
            ZpoolMade(
                f"zpool/{name}", f"ZFS pool {name}", makes, (free,),
                f"zpool status {name}", f"zpool export {name}", "",
                pool=pool, name=name, root=pool_roots(index.plan)[pool.id],
                word=FAMILIES[pool.family].vdev_word, key_file=key_file(pool, name),
            )
        ]  # fmt: skip
    else:
        above = []
        for volume in volumes_of(index, pool):
            above += _Below(index, pool, name, volume, free).works()
        if FAMILIES[pool.family].parity_last:
            above.append(_parity(index, pool, name))
        tree = tree_of(index, pool)
        if tree:
            above.append(
                TreeMounted(
                    f"tree/{tree.folder}", f"one tree over {', '.join(tree.branches)}", makes,
                    tuple(f"mount/{b}" for b in tree.branches), f"findmnt {tree.folder}",
                    f"umount {tree.folder}", "", tree=tree,
                )
            )  # fmt: skip
    yield DisksFree(
        f"disks/{name}", f"the disks of pool {pool.name} are free", makes, (),
        "lsblk -o NAME,SERIAL,SIZE,FSTYPE", NOTHING_BACK, "",
        pool=pool, name=name, disks=used, sizes=tuple(index.disks[d].capacity_bytes for d in used),
        identifiers=tuple(_left_on_disks(above)),
        destroys=tuple(d for d in used if not (rest and d == rest.disk)),
    )  # fmt: skip
    if rest:
        yield rest
    yield from above


def rest_of(index: Index, pool: Pool, name: str) -> RestCut | None:
    """What makes a part of what the system leaves, where a pool has the disk that its box boots from."""
    box = index.hosts[pool.host]
    disk = index.disks.get(box.boot_disk or "")
    # By what is put into it, whether or not the disk itself is there: `pool` may have another by now.
    if disk is None or disk.id not in members(pool) or box.system_bytes is None:
        return None
    key = identifier(index, pool, f"rest/{disk.id}")
    return RestCut(
        f"rest/{disk.id}", f"what the system leaves of {disk.label} is a part of its own",
        (("pools", pool.id), ("hosts", box.id)), (f"disks/{name}",), "lsblk -o NAME,SIZE,PARTUUID",
        "sfdisk --delete, once nothing on that part is wanted", "",
        disk=disk.id, identifier=key, mib=index.data_bytes(disk.id) // MIB,
    )  # fmt: skip


def key_file(pool: Pool, name: str) -> str:
    """Where a pool's key lies that opens it without a hand; empty where there is none.

    Not below /etc: what carries a box's settings off does not carry its keys.
    """
    return f"/var/lib/kavrel/keys/{name}.key" if pool.opens_alone else ""


def parity_file(name: str) -> str:
    """Where the settings of a pool's parity stand."""
    return f"/etc/snapraid-{name}.conf"


def _parity(index: Index, pool: Pool, name: str) -> ParityKept:
    """Its list of what is where lies on the system disk and on every data disk."""
    volumes = volumes_of(index, pool)
    data = [v.folder for v in volumes if not v.parity and not v.fast]
    lines = [
        f"{'parity' if n == 0 else f'{n + 1}-parity'} {v.folder}/snapraid.parity"
        for n, v in enumerate(v for v in volumes if v.parity)
    ]
    lines.append(f"content /var/lib/kavrel/{name}.content")
    lines += [f"content {folder}/.snapraid.content" for folder in data]
    lines += [f"data d{n} {folder}" for n, folder in enumerate(data, 1)]
    lines += ["exclude *.unrecoverable", "exclude /lost+found/", "exclude /.Trash-*/"]
    file = parity_file(name)
    return ParityKept(
        f"parity/{name}", f"parity of pool {pool.name}, kept up to date", (("pools", pool.id),),
        tuple(f"mount/{v.folder}" for v in volumes), f"snapraid -c {file} status", f"rm {file}", "",
        file=file, lines=tuple(lines),
    )  # fmt: skip


def _left_on_disks(works: Sequence[Work]) -> Iterator[str]:
    """Identifiers that works leave on whole disks, so that a later run knows them for its own."""
    for work in works:
        if isinstance(work, DiskCut):
            yield work.identifier
        elif isinstance(work, ArrayRuns | DeviceLocked | FilesystemMade):
            below = work.members if isinstance(work, ArrayRuns) else ()
            below = (work.device,) if isinstance(work, DeviceLocked) else below
            below = work.devices if isinstance(work, FilesystemMade) else below
            if any(d.disk and not d.part for d in below):
                yield work.identifier
        elif isinstance(work, VolumesJoined):
            yield from (key for d, key in work.devices if d.disk and not d.part)


class _Below:
    """What lies below one volume: parts, arrays, LVM and LUKS, then its file system and its folder."""

    def __init__(self, index: Index, pool: Pool, name: str, volume: Volume, free: str) -> None:
        self.index, self.pool, self.name, self.volume = index, pool, name, volume
        self.family = FAMILIES[pool.family]
        self.makes = (("pools", pool.id),)
        self.tail = volume.folder.removeprefix(
            pool_roots(index.plan)[pool.id]
        )  # of a member: -disk2
        self.last = free

    def works(self) -> Iterator[Work]:
        devices: tuple[Device, ...] = ()
        for step in self._devices():
            if isinstance(step, Work):
                self.last = step.key
                yield step
            else:
                devices = step
        for step in self._locked(devices):
            if isinstance(step, Work):
                self.last = step.key
                yield step
            else:
                devices = step
        key, folder = self.volume.uuid or "", self.volume.folder
        yield FilesystemMade(
            f"filesystem/{folder}", f"{self.pool.filesystem} for {folder}", self.makes, (self.last,),
            f"blkid -U {key}", NOTHING_BACK, "",
            filesystem=self.pool.filesystem,
            profile="" if self.volume.fast else self.family.profile, identifier=key,
            devices=devices, counting=self.volume.counting,
        )  # fmt: skip
        yield FolderMounted(
            f"mount/{folder}", f"{folder} is mounted", self.makes, (f"filesystem/{folder}",),
            f"findmnt -n -o UUID --mountpoint {folder}", f"umount {folder}", "", volume=self.volume,
        )  # fmt: skip

    def _id(self, what: str) -> str:
        return identifier(self.index, self.pool, what)

    def _devices(self) -> Iterator[Work | tuple[Device, ...]]:
        """Works, then the devices that they end in."""
        disks = [Device(d) for d in self.volume.disks]
        if self.volume.fast:
            if len(disks) == 1:
                yield tuple(disks)
            else:
                yield self._array("-fast", "1" if self.pool.tier_mirrored else "0", disks)
                yield (Device(path=f"/dev/md/{self.name}-fast"),)
        elif self.family.cuts:
            yield from self._cut()
        elif self.family.joined_volumes:
            yield from self._joined([(d, self._id(f"pv/{n}")) for n, d in enumerate(disks)])
        elif self.family.nested:
            inner = []
            for n, group in enumerate(self.pool.groups):
                array = self._array(f"-{n}", self.family.md_level, [Device(d) for d in group])
                yield array
                inner.append(Device(path=f"/dev/md/{array.name}"))
            yield self._array("", "0", inner)
            yield (Device(path=f"/dev/md/{self.name}"),)
        elif self.family.md_level:
            spares = [Device(d) for d in spares_within(self.pool)]
            yield self._array("", self.family.md_level, disks, spares)
            yield (Device(path=f"/dev/md/{self.name}"),)
        else:
            yield tuple(disks)

    def _array(
        self, tail: str, level: str, members: Sequence[Device], spares: Sequence[Device] = ()
    ) -> ArrayRuns:
        name = f"{self.name}{tail}"
        # A stripe has nothing to catch up with, and mdadm takes no bitmap for it.
        return ArrayRuns(
            f"array/{name}", f"array {name}, level {level}", self.makes, (self.last,),
            f"mdadm --detail /dev/md/{name}", f"mdadm --stop /dev/md/{name}", "",
            name=name, identifier=self._id(f"md/{name}"), level=level, members=tuple(members),
            spares=tuple(spares), bitmap=level == "0",
        )  # fmt: skip

    def _cut(self) -> Iterator[Work | tuple[Device, ...]]:
        assert self.family.cuts
        sizes = [self.index.data_bytes(d) for d in self.volume.disks]
        cuts = self.family.cuts(sizes)
        numbers = [0] * len(sizes)
        arrays: list[tuple[str, list[Device]]] = []
        for cut in cuts:
            members = []
            for n in cut.members:
                numbers[n] += 1
                members.append(Device(self.volume.disks[n], part=numbers[n]))
            arrays.append((cut.level, members))
        for n, disk in enumerate(self.volume.disks):
            label = self.index.disks[disk].label
            yield DiskCut(
                f"cut/{disk}", f"{label} is cut into its slices", self.makes, (self.last,),
                f"sfdisk -l with serial {self.index.disks[disk].serial}", NOTHING_BACK, "",
                disk=disk, identifier=self._id(f"gpt/{disk}"),
                parts=tuple((c.start_mib, c.size_mib) for c in cuts if n in c.members),
            )  # fmt: skip
        below = []
        for n, (level, members) in enumerate(arrays):
            made = self._array(f"-{n}", level, members)
            yield made
            below.append((Device(path=f"/dev/md/{made.name}"), self._id(f"pv/{n}")))
        yield from self._joined(below)

    def _joined(self, devices: Sequence[tuple[Device, str]]) -> Iterator[Work | tuple[Device, ...]]:
        yield VolumesJoined(
            f"lvm/{self.name}", f"volume group {self.name}, one volume on all of it", self.makes,
            (self.last,), f"lvs {self.name}", f"vgchange -an {self.name}", "",
            name=self.name, devices=tuple(devices),
        )  # fmt: skip
        yield (Device(path=f"/dev/{self.name}/data"),)

    def _locked(self, devices: tuple[Device, ...]) -> Iterator[Work | tuple[Device, ...]]:
        if not self.pool.encrypted:
            return
        opened = []
        for n, device in enumerate(devices):
            name = f"{self.name}{self.tail}-{n}"
            yield DeviceLocked(
                f"locked/{name}", f"{name} is locked by LUKS, its passphrase yours", self.makes,
                (self.last,), f"cryptsetup status {name}", f"cryptsetup close {name}", "",
                name=name, identifier=self._id(f"locked{self.tail}/{n}"), device=device,
                pool=self.name, key_file=key_file(self.pool, self.name),
            )  # fmt: skip
            opened.append(Device(path=f"/dev/mapper/{name}"))
        yield tuple(opened)
