"""A bare machine that starts again: its own system, or one that was installed anew on another system disk.

What is on its disks stays; what the kernel had put together is gone, and a new system knows no names: files
belong to numbers there. Sources: md(4), lvm(8), vgchange(8), zpool-import(8), passwd(5).
"""

import shutil
from collections.abc import Callable

from kavrel.rig.bare.machine import Device, Machine, Mount, Rights
from kavrel.rig.bare.said import Refused

FIRST_ARRAY = 127  # by which the kernel counts down for arrays that its system has no name for
BY_NUMBER = "#"  # before the number of whoever a file belongs to and nobody has a name for


def installed_anew(machine: Machine) -> None:
    """The system disk died: another one, freshly installed."""
    _stopped(machine)
    _by_number(machine)
    for name in ("etc", "root", "var/lib", "srv", "tmp"):
        shutil.rmtree(machine.root / name)
        (machine.root / name).mkdir(parents=True)
    (machine.root / "tmp").chmod(0o1777)
    machine.people.clear()
    machine.groups.clear()
    machine.as_installed()
    machine.importable = set(machine.zpools)


def _stopped(machine: Machine) -> None:
    """Nothing is mounted, open or put together any more."""
    for folder in sorted(machine.mounts, key=lambda f: -f.count("/")):
        _taken_off(machine, folder, machine.mounts[folder])
    machine.mounts.clear()
    for path, device in list(machine.devices.items()):
        device.user = ""
        if device.kind not in ("disk", "part"):
            machine.away[path] = device
            machine.pull_out(path)


def _taken_off(machine: Machine, folder: str, mount: Mount) -> None:
    kept = machine.kept(mount.what)
    kept.mkdir(parents=True, exist_ok=True)
    for one in list(machine.inside(folder).iterdir()):
        shutil.move(str(one), kept / one.name)


def brought_back(machine: Machine, folder: str, mount: Mount) -> None:
    """What is on it shows at its folder again."""
    kept = machine.kept(mount.what)
    if kept.is_dir():
        for one in list(kept.iterdir()):
            there = machine.inside(folder) / one.name
            if not there.exists():
                shutil.move(str(one), there)


def _by_number(machine: Machine) -> None:
    users = {n: f"{BY_NUMBER}{p.number}" for n, p in machine.people.items()}
    groups = {n: f"{BY_NUMBER}{number}" for n, number in machine.groups.items()}
    of = {"user": users, "group": groups}
    for rights in machine.rights.values():
        rights.owner, rights.group = users[rights.owner], groups[rights.group]
        rights.entries = _renamed(rights, lambda kind, who: of[kind].get(who, who))


def named(machine: Machine, rights: Rights) -> Rights:
    """With the names of those who have the numbers now."""
    users = {f"{BY_NUMBER}{p.number}": n for n, p in machine.people.items()}
    groups = {f"{BY_NUMBER}{number}": n for n, number in machine.groups.items()}
    of = {"user": users, "group": groups}
    return Rights(
        users.get(rights.owner, rights.owner),
        groups.get(rights.group, rights.group),
        _renamed(rights, lambda kind, who: of[kind].get(who, who)),
    )


def _renamed(rights: Rights, name: Callable[[str, str], str]) -> dict[str, str]:
    renamed = {}
    for key, bits in rights.entries.items():
        default = "default:" if key.startswith("default:") else ""
        kind, _, who = key.removeprefix(default).rstrip(":").partition(":")
        renamed[f"{default}{kind}:{name(kind, who) if who else ''}:"] = bits
    return renamed


def assembled(machine: Machine) -> None:
    """Every array whose members are there runs: under its name where the system knows it, else by a number."""
    more = True
    while more:
        more = False
        for path, array in list(machine.arrays.items()):
            device = machine.away.get(path)
            members = (*array.members, *array.spares)
            if device is None or not all(m in machine.devices for m in members):
                continue
            file = machine.root / "etc/mdadm/mdadm.conf"
            known = file.exists() and f"ARRAY {path} " in file.read_text(encoding="utf-8")
            number = next(
                n for n in range(FIRST_ARRAY, 0, -1) if f"/dev/md{n}" not in machine.devices
            )
            _up(machine, device, path if known else f"/dev/md{number}")
            more = True


def assembled_as(machine: Machine, path: str, uuid: str) -> bool:
    """One array, by its identifier, under this name."""
    was = next((p for p, a in machine.arrays.items() if a.uuid == uuid), "")
    if was in machine.away and all(m in machine.devices for m in machine.arrays[was].members):
        _up(machine, machine.away[was], path)
    return path in machine.arrays and machine.arrays[path].uuid == uuid


def _up(machine: Machine, device: Device, path: str) -> None:
    was = device.path
    del machine.away[was]
    array = machine.arrays.pop(was)
    machine.arrays[path] = array
    device.path = path
    machine.plug_in(device)
    for member in (*array.members, *array.spares):
        machine.devices[member].user = f"md {path}"
    if path != was:
        machine.renamed(was, path)


def activated(machine: Machine, group: str = "") -> None:
    """The volumes of a group, or of all, whose devices are there."""
    for name, below in machine.groups_of_volumes.items():
        if group in ("", name) and all(p in machine.devices for p in below):
            for path in [p for p in machine.away if p.startswith(f"/dev/{name}/")]:
                machine.plug_in(machine.away.pop(path))
            for one in below:
                machine.devices[one].user = f"lvm {name}"


def imported(machine: Machine, name: str, force: bool) -> None:
    """A ZFS pool that another system had. Raises Refused."""
    if name not in machine.importable:
        raise Refused(f"cannot import '{name}': no such pool available")
    if not force:
        raise Refused(
            f"cannot import '{name}': pool was previously in use from another system.\n"
            "The pool can be imported, use 'zpool import -f' to import the pool."
        )
    machine.importable.discard(name)
    pool = machine.zpools[name]
    for device in machine.devices.values():
        if device.signs.get("zfs_member") == name:
            device.user = f"zfs {name}"
    pool.opened = not pool.key
    if pool.opened:
        mounted(machine, name)


def mounted(machine: Machine, name: str) -> None:
    """All datasets of a ZFS pool, each where it was."""
    root = machine.zpools[name].properties.get("mountpoint", f"/{name}")
    machine.zpools[name].opened = True
    for one in sorted(machine.datasets):
        if (one == name or one.startswith(f"{name}/")) and "volsize" not in machine.datasets[one]:
            folder = f"{root}{one.removeprefix(name)}"
            machine.inside(folder).mkdir(parents=True, exist_ok=True)
            machine.mounts[folder] = Mount(one, "zfs")
            brought_back(machine, folder, machine.mounts[folder])
