"""`zpool status -P`, `zpool list -Hp` and `zpool get -Hp`. Source: zpool-status(8), OpenZFS 2.1 to 2.3."""

import re
from typing import Any

from kavrel.formats.looks.amounts import moment_by_name
from kavrel.formats.looks.listing import Listing, ListingReader, Notes, Store, Vdev, number

APART = ("logs", "cache", "spares", "special", "dedup")
GROUP = re.compile(r"^(mirror|raidz[123]?|draid\S*|replacing|spare|indirect)(-[0-9]+)?$")
COUNTED = ("read", "write", "checksum")
# How far it is set in, name, state, the device that it was, errors that it counted.
Row = tuple[int, str, str, str, dict[str, str]]
GONE = ("UNAVAIL", "REMOVED", "FAULTED", "OFFLINE")
FIELD = re.compile(
    r"^\s*(pool|state|status|action|see|scan|config|errors|remove|checkpoint):\s?(.*)$"
)


def read_status(listing: Listing, notes: Notes) -> None:
    """Pools with their groups, members and states."""
    store: Store | None = None
    drawn: list[Row] = []
    field = ""
    for line in listing.text.splitlines():
        match = FIELD.match(line)
        if match and not line.startswith("\t"):
            field, value = match.group(1), match.group(2).strip()
            if field == "pool":
                _draw(store, drawn, listing)
                store, drawn = notes.store("zfs", value), []
                listing.took()
            elif store is not None and field != "config":
                store.facts[field] = value
        elif store is None:
            if line.strip() and line.strip() != "no pools available":
                listing.puzzled(line)
        elif field == "config":
            _row(line, drawn, listing)
        elif line.strip():
            store.facts[field] = f"{store.facts.get(field, '')} {line.strip()}".strip()
    _draw(store, drawn, listing)


def _row(line: str, drawn: list[Row], listing: Listing) -> None:
    bare = line.strip()
    if not bare or bare.startswith("NAME "):
        return
    indent = len(line.expandtabs(8)) - len(line.expandtabs(8).lstrip())
    cells = bare.split()
    was = bare.partition(" was ")[2].strip().split(" ")[0]
    # `12`, or `1.50K`; a row of what could not be imported has words there.
    there = cells[2:5] if all(c[0].isdigit() for c in cells[2:5]) else []
    counts = dict(zip(COUNTED, there, strict=False))
    drawn.append((indent, cells[0], cells[1] if len(cells) > 1 else "", was, counts))


def _draw(store: Store | None, drawn: list[Row], listing: Listing) -> None:
    if store is None:
        return
    store.vdevs, store.spares = [], []
    store.state = store.facts.get("state", "").lower()
    scan = store.facts.get("scan", "")
    done = re.search(r"scrub repaired .* on (\w{3} \w{3}\s+\d+ [\d:]+ \d{4})", scan)
    store.facts["scrubbed_at"] = moment_by_name(done.group(1)) if done else None
    store.facts["busy"] = scan.split(",")[0] if "in progress" in scan else ""
    if not drawn:
        listing.puzzled(f"pool {store.name}: no disks are shown")
        return
    base, section, group = drawn[0][0], "", None
    for indent, name, state, was, counts in drawn[1:]:
        listing.took()
        if indent <= base:
            section, group = name, None
            continue
        if section == "spares":
            store.spares.append(name)
            continue
        kind = GROUP.match(name)
        if kind and kind.group(1) in ("replacing", "spare"):
            continue  # its two disks are one place of the group
        if not kind:
            store.counts(was or name, counts)
        if kind:
            group = Vdev(kind.group(1) if kind.group(1) != "raidz" else "raidz1")
            _place(store, section, group)
            continue
        if group is None or indent <= base + 2:
            group = None
            one = Vdev("disk")
            _member(one, name, state, was)
            _place(store, section, one)
        else:
            _member(group, name, state, was)


def _place(store: Store, section: str, group: Vdev) -> None:
    if section in APART:
        store.facts.setdefault("apart", []).append((section, group))
    else:
        store.vdevs.append(group)


def _member(group: Vdev, name: str, state: str, was: str) -> None:
    if state in GONE or name.isdecimal():
        group.gone.append(was or name)
    else:
        group.members.append(name)


def read_list(listing: Listing, notes: Notes) -> None:
    """Sizes to the byte: name, size, allocated, free, health, guid."""
    for line in listing.text.splitlines():
        cells = line.split("\t")
        if len(cells) < 5 or number(cells[1]) is None:
            listing.puzzled(line)
            continue
        store = notes.store("zfs", cells[0])
        store.facts |= {"size": number(cells[1]), "used": number(cells[2])}
        store.state = store.state or cells[4].lower()
        listing.took()


def read_get(listing: Listing, notes: Notes) -> None:
    """Properties of pools: name, property, value, source."""
    for line in listing.text.splitlines():
        cells = line.split("\t")
        if len(cells) < 3:
            listing.puzzled(line)
            continue
        value: Any = number(cells[2])
        notes.store("zfs", cells[0]).facts[cells[1]] = cells[2] if value is None else value
        listing.took()


ZPOOL_STATUS = ListingReader(
    "zpool-status",
    "zpool status -P",
    read_status,
    lambda t: bool(re.search(r"^\s*pool: \S+\s*$", t, re.MULTILINE)) and "state:" in t,
    ("zfs pools",),
)
ZPOOL_LIST = ListingReader("zpool-list", "zpool list -Hp", read_list)
ZPOOL_GET = ListingReader("zpool-get", "zpool get -Hp", read_get)
