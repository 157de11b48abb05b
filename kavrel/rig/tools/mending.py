"""A new disk in the place of an old one, by what each pool is made of: md arrays, partitions, Btrfs.

Sources: mdadm(8), md(4), sfdisk(8), btrfs-replace(8), btrfs-device(8). What md answers to the last whole
member of a mirror was tried in user-mode-linux; the words of Btrfs are from memory.
"""

import re

from kavrel.rig.box import Box, Store
from kavrel.rig.disks import Drive
from kavrel.rig.layers import Array, Layers, System, drives
from kavrel.rig.said import FINE, Said, failed, lines

MIRRORS = ("1", "10")
SIZE = re.compile(r"size= *(\d+)(MiB)?")
SCALE = {"": 512, "MiB": 2**20}


def device_of(box: Box, word: str) -> tuple[Drive, int] | None:
    """The disk that answers in a box by a device, an id or a serial, and its part: 0 is all of it."""
    part = 0
    match = re.fullmatch(r"(/dev/disk/by-id/.+)-part(\d+)|(/dev/sd[a-z]+)(\d+)", word)
    if match:
        word, part = match[1] or match[3], int(match[2] or match[4])
    named = dict(drives(box)).get(word) or box.lab.drive_of(box, word)
    if word.startswith("/dev/mapper/"):
        name = word.removeprefix("/dev/mapper/")
        named = next((d for d in box.lab.drives.values() if d.mapped == name), None)
    if named is None or not named.alive or named.host != box.host.id:
        return None
    return named, part


def is_free(box: Box, drive: Drive) -> bool:
    """Whether no pool has the disk."""
    stores = (s for b in box.lab.boxes.values() for s in b.stores.values())
    return not any(drive.disk.id in (*s.pool.disks, *s.pool.spares, *s.pool.tier) for s in stores)


def manage(box: Box, path: str, array: Array, words: list[str]) -> Said:
    """Mdadm ARRAY --add, --fail, --remove, --replace DEVICE [--with DEVICE], one after another."""
    done: list[str] = []
    deed = ""
    leaving: Drive | None = None
    for word in words:
        if word.startswith("-"):
            deed = SHORT.get(word, word.lstrip("-"))
            continue
        if deed == "remove" and word in ("failed", "detached", "faulty"):
            continue  # what md threw out is in no array of the rig
        found = device_of(box, word)
        if found is None:
            return failed(f"mdadm: Cannot find {word}: No such file or directory")
        drive, part = found
        if deed == "replace":
            leaving = drive
            said = FINE if drive.disk.id in array.disks else _no_member(word, path)
        elif deed == "with" and leaving is not None:
            said = _add(box, path, array, drive, part, word, leaving)
        elif deed in DEEDS:
            said = DEEDS[deed](box, path, array, drive, part, word)
        else:
            return failed(f"mdadm: unrecognized option '--{deed}'", 2)
        if said.code:
            return said
        done += said.out.decode().splitlines()
        array = next(a for a in Layers(box).arrays if a.name == array.name)
    return lines(*done)


def _no_member(word: str, path: str) -> Said:
    return failed(f"mdadm: {word} is no member of {path}: No such device or address")


def _add(
    box: Box,
    path: str,
    array: Array,
    drive: Drive,
    part: int,
    word: str,
    leaving: Drive | None = None,
) -> Said:
    store = box.stores[array.store]
    if leaving is None and drive.kicked and drive.disk.id in array.disks:
        drive.kicked = False
        box.lab.changed()
        return lines(f"mdadm: re-added {word}")
    if not is_free(box, drive):
        return failed(f"mdadm: Cannot open {word}: Device or resource busy")
    block = Layers(box).part(drive.disk.id, part)
    if block is None:
        return failed(f"mdadm: Cannot find {word}: No such file or directory")
    if block.size < array.member_bytes:
        return failed(f"mdadm: {word} not large enough to join array")
    gone = [d for d, m in zip(array.disks, array.members, strict=True) if m is None]
    old = leaving.disk.id if leaving else gone[0] if gone else ""
    if not old:
        store.waiting[array.name] = drive.disk.id
        return lines(f"mdadm: added {word}")
    _join(box, store, array, old, drive)
    return lines(f"mdadm: {'Marked for replacement' if leaving else 'added'} {word}")


def _join(box: Box, store: Store, array: Array, old: str, new: Drive) -> None:
    """A disk is a member now; once it is one of all arrays that the old one was in, it has its place."""
    store.joined[array.name] = (old, new.disk.id)
    store.waiting.pop(array.name, None)
    mine = {a.name for a in Layers(box).arrays if a.store == store.name and old in a.disks}
    if mine <= {n for n, (was, _) in store.joined.items() if was == old}:
        store.joined = {n: pair for n, pair in store.joined.items() if pair[0] != old}
        box.lab.replaced(box, store, old, new.disk.id)
    box.lab.changed()


def _fail(box: Box, path: str, array: Array, drive: Drive, part: int, word: str) -> Said:
    if drive.disk.id not in array.disks:
        return _no_member(word, path)
    store = box.stores[array.store]
    drive.kicked = True
    box.lab.changed()
    if box.lab.health(store.pool) == "LOST" and array.level in MIRRORS:
        drive.kicked = False
        box.lab.changed()
        return failed(f"mdadm: set device faulty failed for {word}:  Device or resource busy")
    waiting = store.waiting.get(array.name)
    if waiting and box.lab.health(store.pool) != "LOST":
        _join(box, store, array, drive.disk.id, box.lab.drives[waiting])
    return lines(f"mdadm: set {word} faulty in {path}")


def _remove(box: Box, path: str, array: Array, drive: Drive, part: int, word: str) -> Said:
    if drive.disk.id in array.disks and not drive.kicked:
        return failed(f"mdadm: hot remove failed for {word}: Device or resource busy")
    return lines(f"mdadm: hot removed {word} from {path}")


DEEDS = {"add": _add, "fail": _fail, "remove": _remove, "set-faulty": _fail, "re-add": _add}
SHORT = {"-a": "add", "-f": "fail", "-r": "remove"}


def sfdisk(box: Box, words: list[str], stdin: bytes) -> Said:
    """Sfdisk -d DISK says its table; sfdisk DISK makes the one that it reads on a disk that nothing has."""
    names = [w for w in words if w.startswith("/dev/")]
    found = device_of(box, names[0]) if names else None
    if found is None or found[1]:
        return failed(f"sfdisk: cannot open {names[0] if names else ''}: No such file or directory")
    drive = found[0]
    if "-d" in words or "--dump" in words:
        parts = Layers(box).disks[drive.disk.id].children
        if not any(p.kind == "part" for p in parts):
            return failed(f"sfdisk: {names[0]}: does not contain a recognized partition table")
        rows = [f"{p.path} : size={p.size // 512}" for p in parts if p.kind == "part"]
        return lines("label: gpt", f"device: {names[0]}", "unit: sectors", "", *rows)
    if not is_free(box, drive):
        return failed(
            "This disk is currently in use - repartitioning is probably a bad idea.\nUse the --no-reread flag "
            "to suppress this check."
        )
    text = stdin.decode("ascii", "replace")
    sizes = [int(n) * SCALE[unit] for n, unit in SIZE.findall(text)]
    if "--append" in words:
        sizes = [*drive.cut, *sizes]
    elif "label: gpt" not in text:
        return failed(f"sfdisk: {names[0]}: does not contain a recognized partition table")
    if sum(sizes) > drive.disk.capacity_bytes:
        return failed("sfdisk: failed to add partition: Numerical result out of range")
    drive.cut = tuple(sizes)
    return lines("The partition table has been altered.", "Syncing disks.")


def wipefs(box: Box, words: list[str], stdin: bytes) -> Said:
    """Wipefs -a DISK takes away what an old use left on a disk that nothing has; without -a nothing is said."""
    for word in (w for w in words if w.startswith("/dev/")):
        found = device_of(box, word)
        if found is None:
            return failed(
                f"wipefs: error: {word}: probing initialization failed: No such file or directory"
            )
        if "-a" not in words:
            continue
        if not is_free(box, found[0]):
            return failed(
                f"wipefs: error: {word}: probing initialization failed: Device or resource busy"
            )
        found[0].cut, found[0].sealed = (), False
    return FINE


def echo(box: Box, words: list[str], stdin: bytes) -> Said:
    """Echo: its words."""
    return lines(" ".join(words))


def btrfs_device(box: Box, one: System, words: list[str]) -> Said:
    """Replace start OLD NEW; device add NEW, device remove OLD; OLD is a number, a device, or missing."""
    store = one.store
    if words[:2] == ["device", "add"]:
        found = device_of(box, words[2])
        if found is None or not is_free(box, found[0]):
            return failed(f"ERROR: cannot use device {words[2]}: it is not there, or in use")
        store.waiting[one.uuid] = found[0].disk.id
        return FINE
    removes = words[0] == "device"
    old = _member(box, one, words[2])
    if old is None:
        return failed(f"ERROR: no device {words[2]} in this file system")
    if removes:
        added = store.waiting.pop(one.uuid, "")
        if not added:
            return failed(
                "ERROR: error removing device: unable to go below as many devices as its profile needs"
            )
        new = box.lab.drives[added]
    else:
        found = device_of(box, words[3])
        if found is None or not is_free(box, found[0]):
            return failed(f"ERROR: cannot use target device {words[3]}: it is not there, or in use")
        new = found[0]
        if new.disk.capacity_bytes < box.lab.drives[old].disk.capacity_bytes:
            return failed("ERROR: target device smaller than source device")
    box.lab.replaced(box, store, old, new.disk.id)
    return FINE


def _member(box: Box, one: System, word: str) -> str | None:
    """The disk of a file system that a number, a device or the word missing means."""
    disks = list(one.store.pool.disks)
    if word == "missing":
        gone = [d for d, block in zip(disks, one.devices, strict=False) if block is None]
        return gone[0] if gone else None
    if word.isdigit():
        return disks[int(word) - 1] if 0 < int(word) <= len(disks) else None
    found = device_of(box, word)
    return found[0].disk.id if found and found[0].disk.id in disks else None
