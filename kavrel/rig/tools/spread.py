"""What pools of separate file systems are kept with: snapraid, mkfs, mount, and what the mover sees.

Sources: snapraid(1); mkfs.ext4(8), mkfs.xfs(8), mount(8); their words from memory.
"""

from dataclasses import replace

from kavrel.core.pools.parts import has_tier
from kavrel.core.works.pools import parity_file
from kavrel.core.works.volumes import Volume, volumes_of
from kavrel.rig import apart
from kavrel.rig.box import Box, Store
from kavrel.rig.layers import unmade
from kavrel.rig.said import FINE, Said, failed, lines
from kavrel.rig.tools import machine
from kavrel.rig.tools.mending import device_of, is_free

VALUED = ("-c", "-d", "-l", "-p", "-o")


def parts(box: Box, store: Store) -> tuple[tuple[Volume, str], ...]:
    """Its file systems where they are mounted, of the disks that it has now, and what each was made with."""
    planned = volumes_of(box.lab.index, box.lab.index.pools[store.pool.id])
    made = volumes_of(*unmade(box, store.pool))
    return tuple(
        (replace(p, disks=m.disks, uuid=p.uuid or m.uuid), m.uuid or "")
        for p, m in zip(planned, made, strict=True)
    )


def _volumes(box: Box, store: Store) -> tuple[Volume, ...]:
    return tuple(v for v, _ in parts(box, store))


def settings(box: Box, store: Store) -> str:
    """What stands in the file of a pool's parity. Source: snapraid(1), Configuration."""
    rows, data, parity = [], 0, 0
    for volume in (v for v in _volumes(box, store) if not v.fast):
        if volume.parity:
            parity += 1
            word = "parity" if parity == 1 else f"{parity}-parity"
            rows.append(f"{word} {volume.folder}/snapraid.{word}")
        else:
            data += 1
            rows += [f"content {volume.folder}/snapraid.content", f"data d{data} {volume.folder}"]
    return "\n".join([*rows, ""])


def fast_at(box: Box, path: str) -> Store | None:
    """The store whose fast tier is mounted at a folder."""
    for store in box.stores.values():
        tiered = _volumes(box, store) if has_tier(store.pool) else ()
        if any(v.fast and v.folder == path.rstrip("/") for v in tiered):
            return store
    return None


def waiting(box: Box, store: Store) -> list[str]:
    """Files that lie on the tier, by their names in the pool."""
    here = apart.present(box.lab, box, store)
    return sorted("/".join(k) for k, f in here.items() if apart.disk_of(store, k, f) == apart.TIER)


def snapraid(box: Box, words: list[str], stdin: bytes) -> Said:
    """Snapraid -c FILE [-q] [-d NAME] [-l LOG] sync, scrub, fix, check, status."""
    told: dict[str, str] = {}
    rest: list[str] = []
    left = list(words)
    while left:
        word = left.pop(0)
        if word in VALUED:
            told[word] = left.pop(0) if left else ""
        elif not word.startswith("-"):
            rest.append(word)
    store = next((s for s in box.stores.values() if parity_file(s.name) == told.get("-c")), None)
    if store is None or not apart.has_parity(store.pool):
        return failed(f"No configuration file found at '{told.get('-c', '')}'")
    deed = rest[0] if rest else ""
    if deed not in ("sync", "scrub", "fix", "check", "status"):
        return failed(f"Unknown command '{deed}'")
    if deed == "sync":
        if apart.synced(box.lab, box, store):
            return lines("Everything OK")
        return failed("Error accessing a disk: it is missing, or empty. Nothing was written.")
    if deed in ("scrub", "status"):
        return lines("Everything OK")
    return _fix(box, store, told.get("-d", ""), deed == "fix")


def _fix(box: Box, store: Store, name: str, writes: bool) -> Said:
    data = len(store.pool.groups[0])
    if not (name.startswith("d") and name[1:].isdigit() and 0 < int(name[1:]) <= data):
        if "parity" in name and writes:
            apart.synced(box.lab, box, store)
            return lines("Everything OK")
        return failed(f"Option --filter-disk, -d {name}: no such disk")
    disk = int(name[1:]) - 1
    if disk in apart.dead_disks(box.lab, store):
        return failed(f"Error accessing disk '{name}': nothing is mounted there")
    if not writes:
        missing = [
            k
            for k, one in store.spread.known.items()
            if one.disk == disk and k in store.spread.away
        ]
        return (
            lines("Everything OK")
            if not missing
            else failed(f"{len(missing)} unrecoverable errors")
        )
    parity = apart.parity_left(box.lab, store)
    came, lost = apart.reckoned_back(box.lab, box, store, disk, parity)
    if lost:
        return failed(
            f"{came} recovered files\n{lost} UNRECOVERABLE errors\nDANGER! There are unrecoverable errors!"
        )
    return lines(f"{came} recovered files", "Everything OK")


def mkfs(box: Box, words: list[str], stdin: bytes) -> Said:
    """Mkfs.ext4, mkfs.xfs ... DEVICE with the UUID of the one that died: -U UUID, -m uuid=UUID."""
    found = device_of(box, words[-1]) if words else None
    if found is None:
        return failed(f"mkfs: {words[-1] if words else ''}: No such file or directory")
    if not is_free(box, found[0]):
        return failed(
            f"{words[-1]} is apparently in use by the system; will not make a filesystem here!"
        )
    said = " ".join(words)
    for store in box.stores.values():
        for volume in _volumes(box, store) if apart.is_spread(store.pool) else ():
            if volume.uuid and volume.uuid in said:
                store.waiting[volume.uuid] = found[0].disk.id
    return FINE


def mount(box: Box, words: list[str], stdin: bytes) -> Said:
    """Mount FOLDER of one of several file systems, as fstab has it by its UUID; of any else."""
    folder = words[-1].rstrip("/") if words else ""
    for store in box.stores.values():
        if not apart.is_spread(store.pool):
            continue
        for volume in _volumes(box, store):
            if volume.folder == folder:
                return _mount(box, store, volume)
    return machine.mount(box, words, stdin)


def _mount(box: Box, store: Store, volume: Volume) -> Said:
    lab, now = box.lab, volume.disks[0]
    if lab.drives[now].alive and lab.drives[now].host == box.host.id:
        return FINE
    new = store.waiting.pop(volume.uuid or "", "")
    if not new:
        return failed(f"mount: {volume.folder}: can't find UUID={volume.uuid}.", 32)
    lab.replaced(box, store, now, new)
    return FINE
