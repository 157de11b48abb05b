"""What zpool shows of pools: their state, their members, what may be imported. Source: OpenZFS 2.1.11."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from uuid import NAMESPACE_OID, uuid5

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.pools.families import FAMILIES
from kavrel.rig.box import Box, Store
from kavrel.rig.columns import human
from kavrel.rig.disks import Drive, number_of
from kavrel.rig.layers import drives

SEE = "   see: https://openzfs.github.io/openzfs-docs/msg/ZFS-8000-"
# Of state and remedy, as a pool says it.
SUSPENDED = (
    "status: One or more devices are faulted in response to IO failures.",
    "action: Make sure the affected devices are connected, then run 'zpool clear'.",
    f"{SEE}HC",
)
FAULTED = (
    "status: One or more devices are faulted in response to persistent errors.",
    "\tSufficient replicas exist for the pool to continue functioning in a",
    "\tdegraded state.",
    "action: Replace the faulted device, or use 'zpool clear' to mark the device",
    "\trepaired.",
)
GONE = (
    "status: One or more devices could not be used because the label is missing or",
    "\tinvalid.  Sufficient replicas exist for the pool to continue",
    "\tfunctioning in a degraded state.",
    "action: Replace the device using 'zpool replace'.",
    f"{SEE}4J",
)
ERRORS = (
    "status: One or more devices has experienced an unrecoverable error.  An",
    "\tattempt was made to correct the error.  Applications are unaffected.",
    "action: Determine if the device needs to be replaced, and clear the errors",
    "\tusing 'zpool clear' or replace the device with 'zpool replace'.",
    f"{SEE}9P",
)
OFFLINE = (
    "status: One or more devices has been taken offline by the administrator.",
    "\tSufficient replicas exist for the pool to continue functioning in a",
    "\tdegraded state.",
    "action: Online the device using 'zpool online' or replace the device with",
    "\t'zpool replace'.",
)
# What a kernel counts of a disk that answers nothing until it gives it up: some tries to read, all that waited;
# and of one with which the last copy went.
TRIES, WAITED, STOPPED = 3, 187, 64


@dataclass(frozen=True, slots=True)
class Member:
    """A disk as its pool sees it: its state, errors of reading, writing and sums, and what is said more."""

    state: str
    read: int = 0
    write: int = 0
    wrong: int = 0
    more: str = ""


def is_zfs(store: Store) -> bool:
    """Whether zpool knows of it."""
    return FILESYSTEMS[store.pool.filesystem].by_name


def answers(drive: Drive, store: Store) -> bool:
    """Whether a disk of a pool is in its box, and alive."""
    return drive.alive and drive.host == store.pool.host


def member(box: Box, store: Store, disk: str) -> Member:
    """How a disk of it is.

    One that stops answering while the pool is at work is faulted, unless all stood still before the kernel
    could say so; one that was not there when the box started cannot be opened, and is known by a number.
    """
    drive = box.lab.drives[disk]
    here = answers(drive, store)
    errors = (drive.bad_sectors, 0, drive.garbled) if here else (0, 0, 0)
    if not here and not drive.missed:
        errors = TRIES, WAITED, 0
    was = "" if here or not drive.missed else f"was /dev/disk/by-id/{_named(drive)}-part1"
    if drive.kicked:
        return Member("OFFLINE", *errors, was)
    if here:
        return Member("ONLINE", *errors)
    if was:
        return Member("UNAVAIL", *errors, was)
    if _stood_still(box, store, disk):
        return Member("ONLINE", TRIES, STOPPED)
    return Member("FAULTED", *errors, "too many errors")


def _stood_still(box: Box, store: Store, disk: str) -> bool:
    """Whether it is one more than its group outlives; which died first is not known: the first of the group."""
    group = next((g for g in store.pool.groups if disk in g), (disk,))
    dead = [d for d in group if not answers(box.lab.drives[d], store)]
    return dead.index(disk) >= FAMILIES[store.pool.family].outlives(len(group))


def is_suspended(box: Box, store: Store) -> bool:
    """Whether a pool lost more than it outlives while it was at work: it waits, and keeps its name."""
    dead = [d for d in map(box.lab.drives.__getitem__, store.pool.disks) if not answers(d, store)]
    return box.lab.health(store.pool) == "LOST" and not all(d.missed for d in dead)


def health(box: Box, store: Store) -> str:
    """The pool's word for itself."""
    return "SUSPENDED" if is_suspended(box, store) else box.lab.health(store.pool)


def columns(box: Box, store: Store, exact: bool) -> dict[str, str]:
    """What zpool list shows of a pool, by its column; sizes to the byte, or in words."""

    def size(number: int) -> str:
        return str(number) if exact else human(number)

    room, free = store.room, store.room.capacity - store.room.used
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
        "health": health(box, store),
        "altroot": "-",
        "guid": _guid(store),
    }


def _guid(store: Store) -> str:
    return str(uuid5(NAMESPACE_OID, store.pool.id).int % 2**64)


def _named(drive: Drive) -> str:
    return f"ata-{drive.disk.serial}" if drive.disk.serial else drive.disk.id


def status(box: Box, store: Store, by_path: bool = False) -> list[str]:
    """What `zpool status` prints of a pool; its members by their devices with -P."""
    devices = {d.disk.id: path for path, d in drives(box)} if by_path else {}
    lab, pool = box.lab, store.pool
    state, word = health(box, store), FAMILIES[pool.family].vdev_word
    stops = state == "SUSPENDED"
    above = "DEGRADED" if stops else state

    def shown(disk: str, one: Member | None = None) -> str:
        if one and one.more.startswith("was "):
            return number_of(disk)
        return f"{devices[disk]}1" if disk in devices else _named(lab.drives[disk])

    # Name as it is set in, state, errors of reading, of writing, of sums, and what is said more.
    rows: list[tuple[str, Member]] = [(store.name, Member(above))]
    for n, group in enumerate(pool.groups):
        there = [member(box, store, d) for d in group]
        ill = any(m.state != "ONLINE" for m in there)
        if word:
            stopped = STOPPED * any(m.write == STOPPED for m in there)
            rows.append((f"  {word}-{n}", Member("DEGRADED" if ill else "ONLINE", 0, stopped)))
        inset = "    " if word else "  "
        rows += [(inset + shown(d, m), m) for d, m in zip(group, there, strict=True)]
    spares = ["spares", *(f"  {shown(d)}" for d in pool.spares)] if pool.spares else []
    wide = max(10, *(len(name) for name in (*spares, *(name for name, _ in rows))))
    drawn = [
        f"\t{name:{wide}}  {m.state:8} {m.read:5} {m.write:5} {m.wrong:5}  {m.more}".rstrip()
        for name, m in rows
    ]
    drawn += [f"\t{name:{wide}}  {'AVAIL' * bool(n)}".rstrip() for n, name in enumerate(spares)]
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
        f"errors: {WAITED} data errors, use '-v' for a list"
        if stops
        else "errors: No known data errors",
    ]


def _scanned(box: Box, store: Store) -> Iterator[str]:
    """When all of it was read last, dated as C's asctime does."""
    if store.scan:
        what, when = store.scan
        day = datetime.fromtimestamp(when, box.lab.zone).strftime("%a %b %e %H:%M:%S %Y")
        yield f"  scan: {what} in 00:00:00 with 0 errors on {day}"


def _of_state(box: Box, store: Store) -> tuple[str, ...]:
    """What a pool that is not well says of itself, and what it asks for: the worst of what is so."""
    of = [member(box, store, d) for d in store.pool.disks]
    states = {m.state for m in of}
    if is_suspended(box, store):
        return SUSPENDED
    if "FAULTED" in states:
        return FAULTED
    if "UNAVAIL" in states:
        return GONE
    if any(m.read or m.write or m.wrong for m in of):
        return ERRORS
    return OFFLINE if "OFFLINE" in states else ()


def importable(box: Box) -> list[list[str]]:
    """Pools that no start could bring in, each as `zpool import` draws it, if any disk of them is there."""
    told = []
    for store in box.stores.values():
        if not is_zfs(store) or box.lab.health(store.pool) != "LOST" or is_suspended(box, store):
            continue
        if not any(answers(box.lab.drives[d], store) for d in store.pool.disks):
            continue
        rows = [(store.name, "UNAVAIL  insufficient replicas")]
        word = FAMILIES[store.pool.family].vdev_word
        for n, group in enumerate(store.pool.groups):
            there = [answers(box.lab.drives[d], store) for d in group]
            if word:
                outlives = FAMILIES[store.pool.family].outlives(len(group))
                state = "ONLINE" if all(there) else "DEGRADED"
                if there.count(False) > outlives:
                    state = "UNAVAIL  insufficient replicas"
                rows.append((f"  {word}-{n}", state))
            rows += [
                (
                    f"{'    ' if word else '  '}{_named(box.lab.drives[d])}",
                    "ONLINE" if h else "UNAVAIL",
                )
                for d, h in zip(group, there, strict=True)
            ]
        wide = max(10, *(len(name) for name, _ in rows))
        told.append(
            [
                f"   pool: {store.name}",
                f"     id: {_guid(store)}",
                "  state: UNAVAIL",
                "status: One or more devices contains corrupted data.",
                " action: The pool cannot be imported due to damaged devices or data.",
                f"{SEE}5E",
                " config:",
                "",
                *(f"\t{name:{wide}}  {state}" for name, state in rows),
            ]
        )
    return told
