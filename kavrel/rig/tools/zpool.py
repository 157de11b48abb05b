"""zpool: state of a pool, scrubs, replacing a disk. Source: zpool(8)."""

from collections.abc import Iterator
from datetime import datetime
from uuid import NAMESPACE_OID, uuid5

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.pools.families import FAMILIES
from kavrel.rig.box import Box, Store
from kavrel.rig.columns import human, table
from kavrel.rig.layers import drives
from kavrel.rig.said import FINE, Said, failed, lines
from kavrel.rig.tools.folders import split

COLUMNS = "name,size,alloc,free,ckpoint,expandsz,frag,cap,dedup,health,altroot"
SEE = "   see: https://openzfs.github.io/openzfs-docs/msg/ZFS-8000-"
# Of state and remedy, as a pool says it. Source: OpenZFS 2.1.11; the first from its manual pages.
GONE = (
    "status: One or more devices could not be used because the label is missing or",
    "\tinvalid.  Sufficient replicas exist for the pool to continue",
    "\tfunctioning in a degraded state.",
    "action: Replace the device using 'zpool replace'.",
    f"{SEE}4J",
)
OFFLINE = (
    "status: One or more devices has been taken offline by the administrator.",
    "\tSufficient replicas exist for the pool to continue functioning in a",
    "\tdegraded state.",
    "action: Online the device using 'zpool online' or replace the device with",
    "\t'zpool replace'.",
)
ERRORS = (
    "status: One or more devices has experienced an unrecoverable error.  An",
    "\tattempt was made to correct the error.  Applications are unaffected.",
    "action: Determine if the device needs to be replaced, and clear the errors",
    "\tusing 'zpool clear' or replace the device with 'zpool replace'.",
    f"{SEE}9P",
)


def zpool(box: Box, words: list[str], stdin: bytes) -> Said:
    """Zpool list, status, scrub, wait, import, get, replace, offline, online."""
    if not words:
        return failed("missing command", 2)
    command, (flags, values, names) = words[0], split(words[1:], "odgt")
    there = {
        s.name: s
        for s in box.stores.values()
        if FILESYSTEMS[s.pool.filesystem].by_name and box.lab.health(s.pool) != "LOST"
    }
    if command == "import":
        return _imported(box, names[0]) if names else failed("no pools available to import", 0)
    if command == "get":
        return _got(box, names, there, flags, values)
    unknown = next((n for n in names[:1] if n not in there), None)
    if unknown is not None:
        return failed(f"cannot open '{unknown}': no such pool")
    asked = [there[n] for n in names[:1]] or list(there.values())
    if command == "list":
        wanted = values.get("o", COLUMNS).split(",")
        if not asked:
            return lines() if "H" in flags else lines("no pools available")
        unknown = next((w for w in wanted if w not in _columns(box, asked[0], True)), None)
        if unknown is not None:
            return failed(f"bad property list: invalid property '{unknown}'", 2)
        rows = [[_columns(box, s, "p" in flags)[w] for w in wanted] for s in asked]
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
        return lines(*(row for n, rows in enumerate(every) for row in [*[""] * bool(n), *rows]))
    if command == "scrub":
        for store in asked:
            box.lab.scrubbed(box, store)
        return FINE
    if command == "wait":  # what is asked of a pool here is over at once
        return FINE if names else failed("missing 'pool' argument", 2)
    if command == "clear":
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
        known = {key: (value, "-") for key, value in _columns(box, store, "p" in flags).items()}
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


def _columns(box: Box, store: Store, exact: bool) -> dict[str, str]:
    def size(number: int) -> str:
        return str(number) if exact else human(number)

    room, free = store.room, store.room.capacity - store.room.used
    state = box.lab.health(store.pool)
    return {
        "name": store.name,
        "size": size(room.capacity),
        "alloc": size(room.used),
        "allocated": size(room.used),
        "free": size(free),
        "ckpoint": "-",
        "expandsz": "-",
        "frag": "0" if exact else "0%",
        "cap": f"{100 * room.used // max(room.capacity, 1)}{'' if exact else '%'}",
        "dedup": "1.00" if exact else "1.00x",
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
    return failed(
        f"cannot import '{name}': a pool with that name already exists\n"
        "use the form 'zpool import <pool | id> <newpool>' to give it a new name"
    )


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

    rows: list[tuple[str, str, int | None, int]] = []  # name as it is set in, state, read, checksum

    def member(disk: str, inset: str) -> None:
        drive = lab.drives[disk]
        here = drive.alive and drive.host == pool.host
        state = "UNAVAIL" if not here else "OFFLINE" if drive.kicked else "ONLINE"
        rows.append((inset + shown(disk), state, drive.bad_sectors * here, drive.garbled * here))

    rows.append((store.name, state, 0, 0))
    for n, group in enumerate(pool.groups):
        dead = any(not lab.drives[d].alive or lab.drives[d].kicked for d in group)
        if word:
            rows.append((f"  {word}-{n}", "DEGRADED" if dead else "ONLINE", 0, 0))
        for disk in group:
            member(disk, "    " if word else "  ")
    if pool.spares:
        rows.append(("spares", "", None, 0))
        rows += [(f"  {shown(d)}", "AVAIL", None, 0) for d in pool.spares]
    wide = max(10, *(len(name) for name, *_ in rows))
    drawn = [
        f"\t{name:{wide}}  {state:8}".rstrip()
        if read is None
        else f"\t{name:{wide}}  {state:8} {read:5} {0:5} {wrong:5}"
        for name, state, read, wrong in rows
    ]
    return [
        f"  pool: {store.name}",
        f" state: {state}",
        *_of_state(box, store),
        *_scanned(box, store),
        "config:",
        "",
        f"\t{'NAME':{wide}}  {'STATE':8} {'READ':>5} WRITE CKSUM",
        *drawn,
        "",
        "errors: No known data errors",
    ]


def _scanned(box: Box, store: Store) -> Iterator[str]:
    """When all of it was read last, dated as C's asctime does."""
    if store.scan:
        what, when = store.scan
        day = datetime.fromtimestamp(when, box.lab.zone).strftime("%a %b %e %H:%M:%S %Y")
        yield f"  scan: {what} in 00:00:00 with 0 errors on {day}"


def _of_state(box: Box, store: Store) -> tuple[str, ...]:
    """What a pool that is not well says of itself, and what it asks for."""
    of = [box.lab.drives[d] for d in store.pool.disks]
    if box.lab.health(store.pool) == "DEGRADED":
        return OFFLINE if all(d.alive and d.host == store.pool.host for d in of) else GONE
    return ERRORS if any(d.garbled for d in of) else ()


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
    """The new one is looked at first, then the old one. Source: OpenZFS 2.1.11, by its order and its codes."""
    lab = box.lab
    if not names:
        return failed("missing device argument", 2)
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
