"""Arrays, LVM and LUKS over the disks of a bare machine.

Sources: mdadm(8), md(4), pvcreate(8), vgcreate(8), lvcreate(8), cryptsetup(8); exit codes of LVM and
cryptsetup by their manual pages.
"""

import re
from itertools import pairwise

from kavrel.rig.bare.machine import Array, Device, Lock, Machine
from kavrel.rig.bare.restart import activated, assembled, assembled_as
from kavrel.rig.bare.said import Reader, Refused, Words
from kavrel.rig.layers import ROOM
from kavrel.rig.said import FINE, Said, failed, lines

# The fewest members of a level; of one alone mdadm wants to be forced. Source: mdadm(8), --raid-devices.
FEWEST = {"linear": 2, "0": 2, "1": 2, "4": 2, "5": 2, "6": 4, "10": 2}
SPARED = ("1", "4", "5", "6", "10")  # levels that take spares
EXTENT = 4 * 2**20
HEAD = 129 * 2**20  # bytes that md and LUKS keep at the front of a large device, about; measured
PV_UUID = re.compile(r"\w{6}(-\w{4}){5}-\w{6}")


def mdadm(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Creates, assembles and tells of arrays."""
    told = Words(
        words,
        valued="--metadata --uuid --bitmap --level --raid-devices --spare-devices",
        plain="-q --assemble --scan --detail --export --create --run",
    )
    if "--create" in told:
        return _create(machine, told)
    if "--assemble" in told:
        if "--scan" in told:
            assembled(machine)
            return FINE
        done = assembled_as(machine, told.rest[0], told.one("--uuid"))
        return FINE if done else failed("mdadm: No arrays found")
    path = machine.resolved(told.rest[0])
    array = machine.arrays.get(path)
    if "--detail" not in told or array is None or path not in machine.devices:
        raise Refused(f"mdadm: cannot open {told.rest[0]}: No such file or directory")
    return lines(
        f"MD_LEVEL={array.level}", f"MD_DEVICES={len(array.members)}", f"MD_UUID={array.uuid}"
    )


def _create(machine: Machine, told: Words) -> Said:
    path, *members = told.rest
    level, count = told.one("--level"), int(told.one("--raid-devices") or 0)
    spares = int(told.one("--spare-devices") or 0)
    if path in machine.devices:
        raise Refused(f"mdadm: {path} exists, cannot create it")
    if level not in FEWEST:
        raise Refused(f"mdadm: invalid raid level: {level}", 2)
    if count < FEWEST[level]:
        raise Refused(f"mdadm: at least {FEWEST[level]} raid-devices needed for level {level}", 2)
    if spares and level not in SPARED:
        raise Refused("mdadm: This level does not support spare devices", 2)
    if "--bitmap" in told and level not in SPARED:
        raise Refused("mdadm: bitmaps not meaningful with level " + level, 2)
    if len(members) != count + spares:
        raise Refused(
            f"mdadm: You have listed {len(members)} devices for an array of {count + spares}", 2
        )
    devices = machine.free(members, "mdadm: cannot open")
    least = min(d.size for d in devices[:count]) - HEAD
    room = sum(d.size - HEAD for d in devices)
    if level in SPARED:
        room = int(ROOM[level](count) * least)
    uuid = told.one("--uuid")
    machine.hold(devices, f"md {path}", "linux_raid_member", _as_blkid_says(uuid))
    machine.arrays[path] = Array(uuid, level, tuple(members[:count]), tuple(members[count:]))
    machine.plug_in(Device(path, room, f"raid{level}", tuple(members)))
    return FINE


def _as_blkid_says(uuid: str) -> str:
    """An array's identifier, which mdadm groups by colons and blkid by dashes."""
    digits = uuid.replace(":", "")
    return "-".join(digits[a:b] for a, b in pairwise((0, 8, 12, 16, 20, 32)))


def pvs(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Pvs --noheadings -o pv_uuid or vg_name DEVICE; 5 where it is none."""
    told = Words(words, valued="-o", plain="--noheadings")
    device = machine.device(told.rest[0])
    if "LVM2_member" not in device.signs:
        raise Refused(f'  Failed to find physical volume "{device.path}".', 5)
    if told.one("-o") == "pv_uuid":
        return lines(f"  {device.signs['LVM2_member']}")
    group = next((g for g, of in machine.groups_of_volumes.items() if device.path in of), "")
    return lines(f"  {group}")


def pvcreate(machine: Machine, words: list[str], reader: Reader) -> Said:
    """A physical volume with an identifier of its own."""
    told = Words(words, valued="--uuid", plain="-q -y --norestorefile")
    if not PV_UUID.fullmatch(told.one("--uuid")) or "--norestorefile" not in told:
        raise Refused("  Invalid UUID, or no --restorefile with it", 3)
    for one in machine.free(told.rest, "  Can't open exclusively"):
        one.signs = {"LVM2_member": told.one("--uuid")}
    return FINE


def vgcreate(machine: Machine, words: list[str], reader: Reader) -> Said:
    """A group over physical volumes."""
    name, *paths = Words(words, plain="-q -y").rest
    if name in machine.groups_of_volumes:
        raise Refused(f"  A volume group called {name} already exists.", 5)
    devices = machine.free(paths, "  Can't open exclusively")
    bare = next((d.path for d in devices if "LVM2_member" not in d.signs), "")
    if bare:
        raise Refused(f"  Device {bare} is no physical volume.", 5)
    for one in devices:
        one.user = f"lvm {name}"
    machine.groups_of_volumes[name] = tuple(paths)
    return FINE


def lvs(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Whether a volume is there."""
    for name in Words(words).rest:
        if f"/dev/{name}" not in machine.devices | machine.away:
            raise Refused(f'  Failed to find logical volume "{name}"', 5)
    return FINE


def lvcreate(machine: Machine, words: list[str], reader: Reader) -> Said:
    """A volume over all that is free in a group."""
    told = Words(words, valued="-n -l -W", plain="-q -y")
    group, path = told.rest[0], f"/dev/{told.rest[0]}/{told.one('-n')}"
    if group not in machine.groups_of_volumes or told.one("-l") != "100%FREE":
        raise Refused(f'  Volume group "{group}" not found', 5)
    if path in machine.devices:
        raise Refused(
            f'  Logical Volume "{told.one("-n")}" already exists in volume group "{group}"', 5
        )
    below = machine.groups_of_volumes[group]
    room = sum((machine.devices[p].size - 2**20) // EXTENT * EXTENT for p in below)
    machine.plug_in(Device(path, room, "lvm", below))
    return FINE


def changed(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Lvchange and vgchange -ay, of one group or of all."""
    of = Words(words, plain="-q -ay").rest
    activated(machine, of[0].partition("/")[0] if of else "")
    return FINE


def cryptsetup(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Locks a device, opens it, and adds a key to it."""
    verb, *rest = words
    told = Words(rest, valued="--type --uuid --key-file", plain="-q --test-passphrase")
    path = told.rest[0]
    device = machine.device(path)
    file = told.one("--key-file")
    key = reader.all() if file == "-" else machine.inside(file).read_bytes()
    if verb == "luksFormat":
        if machine.in_use(device):
            raise Refused(f"Device {path} is in use. Cannot proceed with format operation.", 5)
        device.signs = {"crypto_LUKS": told.one("--uuid")}
        machine.locks[told.one("--uuid")] = Lock(path, [key])
        return FINE
    lock = machine.locks.get(device.signs.get("crypto_LUKS", ""))
    if lock is None:
        raise Refused(f"Device {path} is not a valid LUKS device.")
    if key not in lock.keys:
        raise Refused("No key available with this passphrase.", 2)
    if verb == "luksAddKey":
        lock.keys.append(machine.inside(told.rest[1]).read_bytes())
    elif verb == "open" and "--test-passphrase" not in told:
        name = f"/dev/mapper/{told.rest[1]}"
        if name in machine.away:
            device.user = f"crypt {name}"
            machine.plug_in(machine.away.pop(name))
            return FINE
        if name in machine.devices:
            raise Refused(f"Device {told.rest[1]} already exists.", 5)
        if device.user:
            raise Refused(f"Cannot use device {path} which is in use.", 5)
        device.user = f"crypt {name}"
        machine.plug_in(Device(name, device.size - 16 * 2**20, "crypt", (path,)))
    elif verb != "open":
        raise Refused(f"Unknown action: {verb}")
    return FINE
