"""zpool: state of a pool, scrubs, replacing a disk. Source: zpool(8)."""

from uuid import NAMESPACE_OID, uuid5

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.pools.families import FAMILIES
from kavrel.rig.box import Box, Store
from kavrel.rig.layers import drives
from kavrel.rig.said import FINE, Said, failed, lines
from kavrel.rig.tools.folders import split

COLUMNS = "name,size,alloc,free,ckpoint,expandsz,frag,cap,dedup,health,altroot"


def zpool(box: Box, words: list[str], stdin: bytes) -> Said:
    """Zpool list, status, scrub, import, get, replace, offline, online."""
    if not words:
        return failed("missing command", 2)
    command, (flags, values, names) = words[0], split(words[1:], "odg")
    there = {
        s.name: s
        for s in box.stores.values()
        if FILESYSTEMS[s.pool.filesystem].by_name and box.lab.health(s.pool) != "LOST"
    }
    if command == "import":
        return failed("no pools available to import") if not names else _imported(box, names[0])
    if command == "get":
        rows = [f"{n}\tashift\t{there[n].pool.ashift}\tlocal" for n in names[1:] or there]
        return lines(*rows)
    unknown = next((n for n in names[:1] if n not in there), None)
    if unknown is not None:
        return failed(f"cannot open '{unknown}': no such pool")
    asked = [there[n] for n in names[:1]] or list(there.values())
    if command == "list":
        wanted = values.get("o", COLUMNS).split(",")
        rows = ["\t".join(_columns(box, s)[w] for w in wanted) for s in asked]
        return lines(*rows)
    if command == "status":
        if "x" in flags:
            ill = [s for s in asked if _ill(box, s)]
            if not ill:
                return lines(f"pool '{names[0]}' is healthy" if names else "all pools are healthy")
            asked = ill
        if not asked:
            return lines("no pools available")
        return lines(*(row for s in asked for row in status(box, s, "P" in flags)))
    if command == "scrub":
        for store in asked:
            box.lab.scrubbed(box, store)
        return FINE
    if command == "clear":
        for disk in (d for s in asked for d in s.pool.disks):
            box.lab.drives[disk].garbled = 0
        return FINE
    if command in ("offline", "online"):
        return _switched(box, there[names[0]], names[1:], command)
    if command == "replace":
        return _replaced(box, there[names[0]], names[1:])
    return failed(f"unrecognized command '{command}'", 2)


def _columns(box: Box, store: Store) -> dict[str, str]:
    room, free = store.room, store.room.capacity - store.room.used
    state = box.lab.health(store.pool)
    return {
        "name": store.name,
        "size": str(room.capacity),
        "alloc": str(room.used),
        "allocated": str(room.used),
        "free": str(free),
        "ckpoint": "-",
        "expandsz": "-",
        "frag": "0",
        "cap": str(100 * room.used // max(room.capacity, 1)),
        "dedup": "1.00",
        "health": state,
        "altroot": "-",
        "guid": str(uuid5(NAMESPACE_OID, store.pool.id).int % 2**64),
    }


def _ill(box: Box, store: Store) -> bool:
    return box.lab.health(store.pool) != "ONLINE" or any(
        box.lab.drives[d].bad_sectors or box.lab.drives[d].garbled for d in store.pool.disks
    )


def _imported(box: Box, name: str) -> Said:
    store = box.stores.get(name)
    if (
        store is None
        or not FILESYSTEMS[store.pool.filesystem].by_name
        or box.lab.health(store.pool) == "LOST"
    ):
        return failed(f"cannot import '{name}': no such pool available")
    return failed(f"cannot import '{name}': a pool with that name already exists")


def status(box: Box, store: Store, by_path: bool = False) -> list[str]:
    """What `zpool status` prints of a pool; its members by their devices with -P."""
    devices = {d.disk.id: path for path, d in drives(box)} if by_path else {}
    lab, pool = box.lab, store.pool
    state, word = lab.health(pool), FAMILIES[pool.family].vdev_word

    def shown(disk: str) -> str:
        if disk in devices:
            return f"{devices[disk]}1"
        serial = lab.drives[disk].disk.serial
        return f"ata-{serial}" if serial else disk

    def member(disk: str, inset: str) -> str:
        drive = lab.drives[disk]
        here = drive.alive and drive.host == pool.host
        name = shown(disk)
        errors = f"{drive.bad_sectors:6}" if here else "     0"
        word = "UNAVAIL" if not here else "OFFLINE" if drive.kicked else "ONLINE"
        wrong = drive.garbled if here else 0
        return f"\t{inset}{name:30}  {word:8}  {errors}     0 {wrong:5}"

    rows = [f"  pool: {store.name}", f" state: {state}"]
    if state == "DEGRADED":
        rows += [
            "status: One or more devices could not be used because the label is missing or",
            "\tinvalid.  Sufficient replicas exist for the pool to continue",
            "\tfunctioning in a degraded state.",
            "action: Replace the device using 'zpool replace'.",
        ]
    elif any(lab.drives[d].garbled for d in pool.disks):
        rows += [
            "status: One or more devices has experienced an unrecoverable error.  An",
            "\tattempt was made to correct the error.  Applications are unaffected.",
            "action: Determine if the device needs to be replaced, and clear the errors",
            "\tusing 'zpool clear' or replace the device with 'zpool replace'.",
        ]
    rows += ["config:", "", "\tNAME  STATE  READ WRITE CKSUM", f"\t{store.name}  {state}  0 0 0"]
    for n, group in enumerate(pool.groups):
        dead = any(not lab.drives[d].alive or lab.drives[d].kicked for d in group)
        if word:
            rows.append(f"\t  {word}-{n}  {'DEGRADED' if dead else 'ONLINE'}  0 0 0")
        rows += [member(d, "    " if word else "  ") for d in group]
    if pool.spares:
        rows += ["\tspares", *(f"\t  {shown(d)}  AVAIL" for d in pool.spares)]
    return [*rows, "", "errors: No known data errors", ""]


def _switched(box: Box, store: Store, names: list[str], command: str) -> Said:
    """A disk is taken out of service, as long as the pool outlives that, or back into it."""
    drive = box.lab.drive_of(box, names[0]) if names else None
    if drive is None or drive.disk.id not in store.pool.disks:
        return failed(f"cannot {command} {names[0] if names else ''}: no such device in pool")
    was, drive.kicked = drive.kicked, command == "offline"
    box.lab.changed()
    if box.lab.health(store.pool) == "LOST":
        drive.kicked = was
        box.lab.changed()
        return failed(f"cannot offline {names[0]}: no valid replicas")
    return FINE


def _replaced(box: Box, store: Store, names: list[str]) -> Said:
    lab = box.lab
    if len(names) < 2:
        return failed("missing new device", 2)
    old, new = (lab.drive_of(box, n) for n in names[:2])
    if old is None or old.disk.id not in store.pool.disks:
        return failed(f"cannot replace {names[0]} with {names[1]}: no such device in pool")
    if new is None or not new.alive or new.host != box.host.id:
        return failed(f"cannot open '{names[1]}': no such device in /dev")
    if new.disk.capacity_bytes < old.disk.capacity_bytes:
        return failed(f"cannot replace {names[0]} with {names[1]}: device is too small")
    if any(new.disk.id in s.pool.disks for b in lab.boxes.values() for s in b.stores.values()):
        return failed(
            f"cannot replace {names[0]} with {names[1]}: {names[1]} is busy, or contains a pool"
        )
    lab.replaced(box, store, old.disk.id, new.disk.id)
    return FINE
