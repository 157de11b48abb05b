"""zpool: state of a pool, scrubs, replacing a disk. Source: zpool(8)."""

from kavrel.rig.box import Box, Store
from kavrel.rig.columns import table
from kavrel.rig.said import FINE, Said, failed, lines
from kavrel.rig.tools.folders import split
from kavrel.rig.tools.zpool_shows import (
    answers,
    columns,
    health,
    importable,
    is_suspended,
    is_zfs,
    member,
    status,
)

COLUMNS = "name,size,alloc,free,ckpoint,expandsz,frag,cap,dedup,health,altroot"
# What each has to be told, and what it says where that is left out.
LACKS = {
    "scrub": ("pool name argument",),
    "clear": ("pool name",),
    "offline": ("pool name", "device name"),
    "online": ("pool name", "device name"),
    "replace": ("pool name argument", "<device> specification"),
}
UNLISTED = "errors: List of errors unavailable: pool I/O is currently suspended\n"


def zpool(box: Box, words: list[str], stdin: bytes) -> Said:
    """Zpool list, status, scrub, wait, import, get, replace, offline, online."""
    if not words:
        return failed("missing command", 2)
    command, (flags, values, names) = words[0], split(words[1:], "odgt")
    there = {
        s.name: s
        for s in box.stores.values()
        if is_zfs(s) and (box.lab.health(s.pool) != "LOST" or is_suspended(box, s))
    }
    if command == "import":
        return _imported(box, names)
    if command == "get":
        return _got(box, names, there, flags, values)
    unknown = next((n for n in names[:1] if n not in there), None)
    if unknown is not None:
        return failed(f"cannot open '{unknown}': no such pool")
    asked = [there[n] for n in names[:1]] or list(there.values())
    if command in LACKS and len(names) < len(LACKS[command]):
        return failed(f"missing {LACKS[command][len(names)]}", 2)
    if command in ("scrub", "offline", "online", "replace") and is_suspended(box, asked[0]):
        return _stopped(command, names, asked[0])
    if command == "list":
        wanted = values.get("o", COLUMNS).split(",")
        if not asked:
            return lines() if "H" in flags else lines("no pools available")
        unknown = next((w for w in wanted if w not in columns(box, asked[0], True)), None)
        if unknown is not None:
            return failed(f"bad property list: invalid property '{unknown}'", 2)
        rows = [[columns(box, s, "p" in flags)[w] for w in wanted] for s in asked]
        return lines(*table(wanted, rows, flags))
    if command == "status":
        if "x" in flags:
            ill = [s for s in asked if _ill(box, s)]
            if not ill:
                return lines(f"pool '{names[0]}' is healthy" if names else "all pools are healthy")
            asked = ill
        if not asked:
            return lines("no pools available")
        every = [status(box, s, "P" in flags) for s in asked]
        # An empty line between two.
        said = lines(*(row for n, rows in enumerate(every) for row in [*[""] * bool(n), *rows]))
        stops = any(is_suspended(box, s) for s in asked)
        return Said(0, said.out, UNLISTED if stops else "")
    if command == "scrub":
        for store in asked:
            box.lab.scrubbed(box, store)
        return FINE
    if command == "wait":  # what is asked of a pool here is over at once
        return FINE if names else failed("missing 'pool' argument", 2)
    if command == "clear":
        if any(is_suspended(box, s) for s in asked):
            return failed(f"cannot clear errors for {asked[0].name}: I/O error")
        for disk in (d for s in asked for d in s.pool.disks):
            box.lab.drives[disk].garbled = 0
        return FINE
    if command in ("offline", "online"):
        return _switched(box, there[names[0]], names[1:], command)
    if command == "replace":
        return _replaced(box, there[names[0]], names[1:])
    return failed(f"unrecognized command '{command}'", 2)


def _got(
    box: Box, names: list[str], there: dict[str, Store], flags: set[str], values: dict[str, str]
) -> Said:
    """Zpool get PROPERTY,... POOL."""
    if not names:
        return failed("missing property argument", 2)
    rows = []
    for name in names[1:] or there:
        if name not in there:
            return failed(f"cannot open '{name}': no such pool")
        store = there[name]
        locks = store.pool.encrypted
        known = {key: (value, "-") for key, value in columns(box, store, "p" in flags).items()}
        known |= {
            "ashift": (str(store.pool.ashift), "local"),
            "autotrim": ("off", "default"),
            "comment": ("-", "default"),
            "feature@encryption": ("active" if locks else "enabled", "local"),
        }
        for key in names[0].split(","):
            if key not in known:
                return failed(f"bad property list: invalid property '{key}'", 2)
            rows.append(
                {"name": name, "property": key, "value": known[key][0], "source": known[key][1]}
            )
    wanted = values.get("o", "name,property,value,source").split(",")
    return lines(*table(wanted, [[r[w] for w in wanted] for r in rows], flags))


def _ill(box: Box, store: Store) -> bool:
    return health(box, store) != "ONLINE" or any(
        box.lab.drives[d].bad_sectors or box.lab.drives[d].garbled for d in store.pool.disks
    )


def _stopped(command: str, names: list[str], store: Store) -> Said:
    """Nothing is done to a pool that waits for its disks."""
    what = f"{command} {store.name if command == 'scrub' else ' with '.join(names[1:])}"
    code = 255 if command == "replace" else 1
    return failed(f"cannot {what}: pool I/O is currently suspended", code)


def _imported(box: Box, names: list[str]) -> Said:
    """Zpool import, of what is not in; of a pool by its name."""
    waiting = importable(box)
    if not names:
        if not waiting:
            return failed("no pools available to import", 0)
        # An empty line between two.
        return lines(*(row for n, rows in enumerate(waiting) for row in [*[""] * bool(n), *rows]))
    name = names[0]
    if any(rows[0] == f"   pool: {name}" for rows in waiting):
        said = lines("\tDestroy and re-create the pool from", "\ta backup source.")
        return Said(1, said.out, f"cannot import '{name}': no such pool or dataset\n")
    store = box.stores.get(name)
    if store is None or not is_zfs(store) or box.lab.health(store.pool) == "LOST":
        return failed(f"cannot import '{name}': no such pool available")
    return failed(
        f"cannot import '{name}': a pool with that name already exists\n"
        "use the form 'zpool import <pool | id> <newpool>' to give it a new name"
    )


def _switched(box: Box, store: Store, names: list[str], command: str) -> Said:
    """A disk is taken out of service, as long as the pool outlives that, or back into it."""
    drive = box.lab.drive_of(box, names[0]) if names else None
    if drive is None or drive.disk.id not in store.pool.disks:
        return failed(f"cannot {command} {names[0] if names else ''}: no such device in pool")
    was, drive.kicked = drive.kicked, command == "offline"
    box.lab.changed()
    if command == "online" and not answers(drive, store):
        lost = member(box, store, drive.disk.id).state == "UNAVAIL"
        return lines(
            f"warning: device '{names[0]}' onlined, but remains in faulted state",
            "use 'zpool replace' to replace devices that are no longer present"
            if lost
            else "use 'zpool clear' to restore a faulted device",
        )
    if box.lab.health(store.pool) == "LOST":
        drive.kicked = was
        box.lab.changed()
        return failed(f"cannot offline {names[0]}: no valid replicas")
    return FINE


def _replaced(box: Box, store: Store, names: list[str]) -> Said:
    """The new one is looked at first, then the old one. Source: OpenZFS 2.1.11, by its order and its codes."""
    lab = box.lab
    there = names[1] if len(names) > 1 else names[0]
    old, new = lab.drive_of(box, names[0]), lab.drive_of(box, there)
    if new is None or not new.alive or new.host != box.host.id:
        return failed(f"cannot resolve path '{there}'")
    held = next(
        (s for b in lab.boxes.values() for s in b.stores.values() if new.disk.id in s.pool.disks),
        None,
    )
    if held is not None:
        return failed(
            "invalid vdev specification\nuse '-f' to override the following errors:\n"
            f"{there} is part of active pool '{held.name}'"
        )
    cannot = f"cannot replace {names[0]} with {there}"
    if old is None or old.disk.id not in store.pool.disks:
        return failed(f"{cannot}: no such device in pool", 255)
    if new.disk.capacity_bytes < old.disk.capacity_bytes:
        return failed(f"{cannot}: device is too small", 255)
    lab.replaced(box, store, old.disk.id, new.disk.id)
    return FINE
