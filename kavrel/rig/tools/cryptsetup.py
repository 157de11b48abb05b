"""cryptsetup: a new disk locked, and what is locked opened. Source: cryptsetup(8) 2.6; its words from memory.

Whoever types has the passphrase by heart or on paper: nobody is asked for it here.
"""

from uuid import NAMESPACE_OID, uuid5

from kavrel.rig.box import Box
from kavrel.rig.layers import Layers
from kavrel.rig.said import FINE, Said, failed, lines
from kavrel.rig.tools.mending import device_of, is_free

WRONG, BUSY = 4, 5  # exit codes


def cryptsetup(box: Box, words: list[str], stdin: bytes) -> Said:
    """Cryptsetup luksFormat, open, close, status, luksUUID, luksAddKey DEVICE or NAME ..."""
    names = [
        w for n, w in enumerate(words) if not w.startswith("-") and words[n - 1 : n] != ["--type"]
    ]
    deed, *about = names or [""]
    if deed not in ABOUT or len(about) < ABOUT[deed]:
        return failed("Command requires device and name as arguments.", 1)
    if deed == "status":
        on = about[0] in _open_names(box)
        return Said(
            0 if on else WRONG,
            f"/dev/mapper/{about[0]} is {'active' if on else 'inactive'}.\n".encode(),
        )
    if deed == "close":
        return _close(box, about[0])
    if deed == "open":
        return _open(box, about[0], about[1])
    found = device_of(box, about[0])
    if found is None:
        return failed(f"Device {about[0]} does not exist or access denied.", WRONG)
    drive = found[0]
    if deed == "luksFormat":
        if not is_free(box, drive):
            return failed(f"Cannot use device {about[0]} which is in use.", BUSY)
        drive.sealed = True
        return FINE
    if not drive.sealed:
        return failed(f"Device {about[0]} is not a valid LUKS device.", 1)
    return lines(str(uuid5(NAMESPACE_OID, drive.disk.id))) if deed == "luksUUID" else FINE


ABOUT = {"luksFormat": 1, "open": 2, "close": 1, "status": 1, "luksUUID": 1, "luksAddKey": 1}


def _open_names(box: Box) -> set[str]:
    there = {d.mapped for d in box.lab.drives.values() if d.host == box.host.id and d.mapped}
    return there | {lock.name for lock in Layers(box).locks if lock.is_open}


def _open(box: Box, device: str, name: str) -> Said:
    locks = Layers(box).locks
    lock = next((lock for lock in locks if device in lock.paths), None)
    if name in _open_names(box):
        return failed(f"Device {name} already exists.", BUSY)
    if lock is None:
        found = device_of(box, device)
        if found is None:
            return failed(f"Device {device} does not exist or access denied.", WRONG)
        if not found[0].sealed:
            return failed(f"Device {device} is not a valid LUKS device.", 1)
        found[0].mapped = name
        return FINE
    if lock.is_open:
        return failed(f"Cannot use device {device} which is in use.", BUSY)
    store = lock.store
    store.opened.add(lock.name)
    # One that is not there is not waited for: what is left of the pool is opened without it.
    if all(o.name in store.opened for o in locks if o.store is store):
        store.opened.clear()
        store.locked = False
    return FINE


def _close(box: Box, name: str) -> Said:
    drive = next((d for d in box.lab.drives.values() if d.mapped == name), None)
    if drive is not None and is_free(box, drive):
        drive.mapped = ""
        return FINE
    if name in _open_names(box):
        return failed(f"Device {name} is still in use.", BUSY)
    return failed(f"Device {name} is not active.", WRONG)
