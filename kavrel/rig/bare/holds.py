"""What a work says must be true, looked for on a machine: empty where it holds, else what is there instead."""

from collections.abc import Iterator, Mapping, Sequence
from functools import singledispatch
from types import MappingProxyType

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.plan import Disk
from kavrel.core.quantities import MIB
from kavrel.core.works import (
    AccountLimited,
    AccountShut,
    AccountThere,
    CertificateThere,
    DatasetLimited,
    DatasetThere,
    FolderAccess,
    GroupThere,
    HomeFolder,
    ServerAccount,
    Work,
)
from kavrel.core.works.pools import (
    ArrayRuns,
    Device,
    DeviceLocked,
    DiskCut,
    FilesystemMade,
    FolderMounted,
    ParityKept,
    PoolStands,
    RestCut,
    TreeMounted,
    VolumesJoined,
    ZpoolMade,
)
from kavrel.core.works.repositories import RepositoryThere
from kavrel.rig.bare.machine import Machine, Rights
from kavrel.rig.bare.restart import named


class Bare:
    """A machine beside the disks of the plan, so that a work's devices can be found on it."""

    def __init__(self, machine: Machine, disks: Mapping[str, Disk]) -> None:
        self.machine, self.disks = machine, disks
        self.rests: dict[str, str] = {}  # of disks of which only what the system leaves is meant

    def path(self, device: Device) -> str:
        """Where a device of a work is."""
        if not device.disk:
            return self.machine.resolved(device.path)
        serial = self.disks[device.disk].serial
        whole = next(
            (d.path for d in self.machine.devices.values() if d.serial == serial and serial), ""
        )
        if not device.part:
            return self.rests.get(device.disk, whole)
        return f"{whole}{'p' if whole[-1:].isdigit() else ''}{device.part}"

    def rights(self, folder: str) -> Rights | None:
        """Whose a folder is by the names that are here now; None where it is not there."""
        rights = self.machine.rights.get(folder)
        if rights is None or not self.machine.inside(folder).is_dir():
            return None
        return named(self.machine, rights)

    def paths(self, devices: Sequence[Device]) -> tuple[str, ...]:
        """Of several."""
        return tuple(self.path(d) for d in devices)


def _is(what: str, there: object, wanted: object) -> Iterator[str]:
    if there != wanted:
        yield f"{what} is {there!r}, and not {wanted!r}"


@singledispatch
def lacking(work: Work, bare: Bare) -> Iterator[str]:
    """What a machine lacks of a work; nothing of one that no script makes."""
    yield from ()


LOOKED_AT = (
    AccountLimited, AccountShut, AccountThere, ArrayRuns, CertificateThere, DatasetLimited, DatasetThere,
    DeviceLocked, DiskCut, FilesystemMade, FolderAccess, FolderMounted, GroupThere, HomeFolder, ParityKept,
    PoolStands, RepositoryThere, RestCut, ServerAccount, TreeMounted, VolumesJoined, ZpoolMade,
)  # fmt: skip


@lacking.register
def _(work: GroupThere, bare: Bare) -> Iterator[str]:
    number = bare.machine.groups.get(work.name)
    if number is None:
        yield "it is not there"
    elif work.number:
        yield from _is("its number", number, work.number)


@lacking.register
def _(work: ServerAccount, bare: Bare) -> Iterator[str]:
    if work.login not in bare.machine.people:
        yield "it is not there"


@lacking.register
def _(work: CertificateThere, bare: Bare) -> Iterator[str]:
    pair = work.certificate
    secret = 0o640 if pair.reader else 0o600
    for path, mode in ((pair.file, 0o644), (pair.key, secret)):
        there = bare.machine.inside(path)
        if there.is_file():
            yield from _is(f"the mode of {path}", f"{there.stat().st_mode & 0o777:o}", f"{mode:o}")
        else:
            yield f"{path} is not there"


@lacking.register
def _(work: RepositoryThere, bare: Bare) -> Iterator[str]:
    there = bare.machine.inside(work.folder)
    if not there.is_dir():
        yield "it is not there"
        return
    rights = bare.rights(work.folder)
    yield from _is("its owner", rights.owner if rights else "root", work.user)
    yield from _is("its mode", f"{there.stat().st_mode & 0o777:o}", "700")


@lacking.register
def _(work: AccountThere, bare: Bare) -> Iterator[str]:
    there = bare.machine.people.get(work.login)
    if there is None:
        yield "it is not there"
        return
    if work.number:
        yield from _is("its number", there.number, work.number)
    yield from _is("what it is in", sorted(there.groups), sorted(work.groups))
    yield from _is("its end", there.ends, work.ends.isoformat() if work.ends else "")
    yield from _is("being locked", there.locked, False)
    if work.home:
        yield from _is("its home", there.home, work.home)
    own = bare.machine.groups.get(work.login if work.own_group else "nogroup")
    yield from _is("its own group", there.group, own)


@lacking.register
def _(work: AccountShut, bare: Bare) -> Iterator[str]:
    there = bare.machine.people.get(work.login)
    if there is not None:
        yield from _is("being locked", there.locked, True)


@lacking.register
def _(work: FolderAccess, bare: Bare) -> Iterator[str]:
    rights = bare.rights(work.folder)
    if rights is None:
        yield "it is not there, or nobody gave it rights"
        return
    yield from _is("whose it is", f"{rights.owner}:{rights.group}", f"{work.owner}:{work.group}")
    entries = tuple(sorted(f"{k}{v}" for k, v in rights.entries.items()))
    yield from _is("its list", entries, work.entries())
    mode = f"{bare.machine.inside(work.folder).stat().st_mode & 0o7777:o}"
    yield from _is("its mode", mode.zfill(4), work.mode.zfill(4))


@lacking.register
def _(work: HomeFolder, bare: Bare) -> Iterator[str]:
    rights, there = bare.rights(work.folder), bare.machine.inside(work.folder)
    if rights is None:
        yield "it is not there"
        return
    yield from _is("whose it is", rights.owner, work.login)
    yield from _is("its mode", f"{there.stat().st_mode & 0o777:o}", "700")
    yield from _is("its list", rights.entries, {})


@lacking.register
def _(work: DatasetThere, bare: Bare) -> Iterator[str]:
    there = bare.machine.at(work.folder)
    if there is None:
        yield "nothing is mounted there"
    elif there[1].kind == "zfs":
        properties = bare.machine.datasets[there[1].what]
        for name, value in work.options:
            yield from _is(name, properties.get(name), value)
    elif not bare.machine.inside(work.folder).is_dir():
        yield "it is not there"


@lacking.register
def _(work: DatasetLimited, bare: Bare) -> Iterator[str]:
    machine = bare.machine
    there = machine.at(work.folder)
    if there is None:
        yield "nothing is mounted there"
    elif there[1].kind == "zfs":
        properties = machine.datasets[there[1].what]
        yield from _is("quota", properties.get("quota"), str(work.limit_bytes or "none"))
        yield from _is("reservation", properties.get("reservation"), str(work.kept_bytes or "none"))
    elif work.project is not None:
        yield from _is("its project", machine.projects.get(work.folder), work.project)
        key = (work.root, f"project {work.project}")
        yield from _is("its limit", machine.limits.get(key), _kib(work.limit_bytes))
    elif work.limit_bytes:
        yield from _is("its limit", machine.limits.get((work.folder, "")), work.limit_bytes)


@lacking.register
def _(work: AccountLimited, bare: Bare) -> Iterator[str]:
    machine = bare.machine
    there = machine.at(work.folder)
    if there is None:
        yield "nothing is mounted there"
    elif there[1].kind == "zfs":
        said = machine.datasets[there[1].what].get(f"userquota@{work.login}")
        yield from _is("its limit", said, str(work.bytes))
    else:
        said_bytes = machine.limits.get((work.folder, work.login))
        yield from _is("its limit", said_bytes, _kib(work.bytes))


def _kib(count: int) -> int:
    return -(-count // 1024) * 1024


@lacking.register
def _(work: PoolStands, bare: Bare) -> Iterator[str]:
    if FILESYSTEMS[work.pool.filesystem].by_name and work.name not in bare.machine.zpools:
        yield "it is not there"


@lacking.register
def _(work: DiskCut, bare: Bare) -> Iterator[str]:
    disk = bare.path(Device(work.disk))
    there = bare.machine.devices.get(disk)
    if there is None:
        yield "it is not plugged in"
        return
    yield from _is("its table", there.signs.get("gpt"), work.identifier)
    sizes = [d.size for d in bare.machine.parts_of(disk) if d.kind == "part"]
    yield from _is("its parts", sizes, [n * MIB for _, n in work.parts])


@lacking.register
def _(work: RestCut, bare: Bare) -> Iterator[str]:
    bare.rests.pop(work.disk, None)
    whole = bare.path(Device(work.disk))
    parts = [d for d in bare.machine.parts_of(whole) if d.part and d.part.key == work.identifier]
    if not parts:
        yield "it is not there"
        return
    bare.rests[work.disk] = parts[0].path
    yield from _is("its size", parts[0].size, work.mib * MIB)
    before = [d.part.end for d in bare.machine.parts_of(whole) if d.part and d is not parts[0]]
    if max(before, default=0) > (parts[0].part.start if parts[0].part else 0):
        yield "it does not lie behind what the system has"


@lacking.register
def _(work: ArrayRuns, bare: Bare) -> Iterator[str]:
    path = bare.machine.resolved(f"/dev/md/{work.name}")
    there = bare.machine.arrays.get(path)
    if there is None or path not in bare.machine.devices:
        yield "it does not run"
        return
    yield from _is("its level", there.level, work.level)
    yield from _is("its members", there.members, bare.paths(work.members))
    yield from _is("its spares", there.spares, bare.paths(work.spares))
    yield from _is("its identifier", there.uuid.replace(":", ""), work.identifier.replace("-", ""))
    yield from _line(bare, "/etc/mdadm/mdadm.conf", f"ARRAY /dev/md/{work.name} ")


@lacking.register
def _(work: VolumesJoined, bare: Bare) -> Iterator[str]:
    there = bare.machine.groups_of_volumes.get(work.name, ())
    yield from _is("what it is of", there, bare.paths([d for d, _ in work.devices]))
    if f"/dev/{work.name}/data" not in bare.machine.devices:
        yield "its volume is not there"


@lacking.register
def _(work: DeviceLocked, bare: Bare) -> Iterator[str]:
    lock = bare.machine.locks.get(work.identifier)
    if lock is None:
        yield "it is not locked"
        return
    yield from _is("what is locked", lock.device, bare.path(work.device))
    if f"/dev/mapper/{work.name}" not in bare.machine.devices:
        yield "it is not open"
    if work.key_file:
        file = bare.machine.inside(work.key_file)
        if not file.exists() or file.read_bytes() not in lock.keys:
            yield f"{work.key_file} does not open it"
        else:
            yield from _is("the mode of its key", f"{file.stat().st_mode & 0o777:o}", "600")
    yield from _line(bare, "/etc/crypttab", f"{work.name} UUID={work.identifier} ")


@lacking.register
def _(work: FilesystemMade, bare: Bare) -> Iterator[str]:
    there = bare.machine.filesystems.get(work.identifier)
    if there is None:
        yield "it is not there"
        return
    yield from _is("its kind", there.kind, work.filesystem)
    yield from _is("what it is on", there.devices, bare.paths(work.devices))
    flags = work.profile.split()
    for flag, name in (("-d", "data"), ("-m", "meta")):
        if flag in flags:
            yield from _is(f"its {name}", there.flags.get(name), flags[flags.index(flag) + 1])


@lacking.register
def _(work: FolderMounted, bare: Bare) -> Iterator[str]:
    there = bare.machine.mounts.get(work.volume.folder)
    yield from _is("what is mounted", there and there.what, work.volume.uuid)
    if there:
        yield from _is("its options", there.options, tuple(work.volume.kept.split(",")))


@lacking.register
def _(work: TreeMounted, bare: Bare) -> Iterator[str]:
    there = bare.machine.mounts.get(work.tree.folder)
    yield from _is("what it is over", there and there.what, work.tree.what)


@lacking.register
def _(work: ParityKept, bare: Bare) -> Iterator[str]:
    for line in work.lines:
        yield from _line(bare, work.file, line)


# What setup.sh sets on every pool of ZFS that it makes, besides what the plan says of it.
ALWAYS: Mapping[str, str] = MappingProxyType(
    {"compression": "lz4", "atime": "off", "acltype": "posixacl", "xattr": "sa"}
)


@lacking.register
def _(work: ZpoolMade, bare: Bare) -> Iterator[str]:
    there = bare.machine.zpools.get(work.name)
    if there is None:
        yield "it is not there"
        return

    def disks(ids: Sequence[str]) -> tuple[str, ...]:
        return bare.paths([Device(d) for d in ids])

    single = not work.word
    groups = tuple(
        one
        for g in work.pool.groups
        for one in ([("", (p,)) for p in disks(g)] if single else [(work.word, disks(g))])
    )
    yield from _is("its groups", there.groups, groups)
    yield from _is("its spares", there.spares, disks(work.pool.spares))
    wanted = {
        **ALWAYS, "ashift": str(work.pool.ashift), "recordsize": f"{work.pool.record_kib}K",
        "mountpoint": work.root,
    }  # fmt: skip
    for name, value in wanted.items():
        yield from _is(name, there.properties.get(name), value)
    yield from _is("being locked", bool(there.key), work.pool.encrypted)
    if work.key_file:
        file = bare.machine.inside(work.key_file)
        said = file.read_text(encoding="utf-8") if file.exists() else ""
        yield from _is("what opens it without a hand", said == there.key, True)


def _line(bare: Bare, file: str, begins: str) -> Iterator[str]:
    there = bare.machine.inside(file)
    said = there.read_text(encoding="utf-8").splitlines() if there.exists() else []
    if not any(line.startswith(begins) for line in said):
        yield f"{file} does not have it"
