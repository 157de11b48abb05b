"""`lsblk -J -b -O`, and the table that lsblk prints by itself. Source: lsblk(8) of util-linux."""

import json
import re
from typing import Any

from kavrel.core.bench.capacity import labelled_bytes
from kavrel.formats.looks.amounts import size_of
from kavrel.formats.looks.listing import Block, Listing, ListingReader, Notes, number

# Sizes that are sold, in GB: value from memory, common practice.
SOLD = (
    *(60, 64, 80, 120, 128, 160, 200, 240, 250, 256, 320, 400, 480, 500, 512, 640, 750, 800, 960),
    *(1000, 1024, 1500, 1600, 1920, 2000, 2048, 2500, 3000, 3200, 3840, 4000, 4096, 5000, 6000),
    *(6400, 7680, 8000, 10000, 12000, 12800, 14000, 15360, 16000, 18000, 20000, 22000, 24000),
    *(26000, 28000, 30000, 30720, 32000, 36000),
)
DEEPEST = 12


def read_json(listing: Listing, notes: Notes) -> None:
    """The tree of block devices."""
    tree = json.loads(listing.text)
    for device in tree["blockdevices"]:
        _device(device, None, listing, notes, 0)


def _device(facts: Any, parent: Block | None, listing: Listing, notes: Notes, depth: int) -> None:
    name = facts.get("name") if isinstance(facts, dict) else None
    if not isinstance(name, str) or depth > DEEPEST:
        listing.puzzled(facts)
        return
    kind = str(facts.get("type") or "disk")
    if kind in ("loop", "rom") or name.startswith(("zram", "ram")):
        listing.took()
        return
    size = number(facts.get("size"))
    if size is None:
        size = size_of(str(facts.get("size") or ""))
    if size is None:
        listing.puzzled(f"{name}: no size")
        return
    path = str(facts.get("path") or f"/dev/{name}")
    # An array is shown below each of its members: it is one.
    block = notes.blocks.setdefault(path, Block(path, kind, size))
    block.facts |= {k: v for k, v in facts.items() if v is not None and k != "children"}
    if parent is not None:
        block.parents.add(parent.path)
    for key in ("kname", "partuuid", "uuid"):
        if isinstance(facts.get(key), str):
            notes.aliases.setdefault(facts[key], path)
    listing.took()
    for child in facts.get("children") or ():
        _device(child, block, listing, notes, depth + 1)


def read_table(listing: Listing, notes: Notes) -> None:
    """The table: its sizes are rounded, so a disk's becomes the nearest that is sold."""
    lines = [line for line in listing.text.splitlines() if line.strip()]
    heads = lines[0].split()
    wanted = {head: n for n, head in enumerate(heads)}
    for line in lines[1:]:
        bare = re.sub(r"^[\s|`├└─│-]+", "", line)
        cells = bare.split()
        row = {head: cells[n] for head, n in wanted.items() if n < len(cells)}
        if row.get("TYPE") in ("part", "loop", "rom", "lvm", "crypt") or not row.get("NAME"):
            listing.took()
            continue
        size = size_of(row.get("SIZE", ""))
        if size is None or row.get("TYPE") not in (None, "disk"):
            listing.puzzled(line)
            continue
        exact, sure = _sold(size, row.get("SIZE", ""))
        path = row["NAME"] if row["NAME"].startswith("/") else f"/dev/{row['NAME']}"
        facts: dict[str, Any] = {"name": path.rpartition("/")[2], "rounded": not sure}
        facts |= {k.lower(): row[k] for k in ("SERIAL", "MODEL", "ROTA", "TRAN") if k in row}
        notes.blocks[path] = Block(path, "disk", exact, facts=facts)
        listing.took()
    listing.why = "sizes are rounded in this listing: each was taken as the nearest that is sold"


def _sold(size: int, shown: str) -> tuple[int, bool]:
    """The exact size of the disk that is most likely meant, and whether the listing was exact."""
    if shown.isdecimal():
        return size, True
    best = min((labelled_bytes(g) for g in SOLD), key=lambda b: abs(b - size))
    return (best, False) if abs(best - size) <= size * 0.03 else (size, False)


def _is_table(text: str) -> bool:
    heads = text.lstrip().split("\n", 1)[0].split()
    return "NAME" in heads and "SIZE" in heads and bool({"TYPE", "SERIAL", "MODEL"} & set(heads))


LSBLK = ListingReader(
    "lsblk", "lsblk -J -b -O", read_json, lambda t: '"blockdevices"' in t[:400], ("disks",)
)
LSBLK_TABLE = ListingReader("lsblk-table", "lsblk, as a table", read_table, _is_table)
