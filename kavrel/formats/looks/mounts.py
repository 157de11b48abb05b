"""`findmnt -J`, `df` and what `du` measured. Source: findmnt(8), df(1), du(1)."""

import json
from typing import Any

from kavrel.formats.looks.listing import Listing, ListingReader, Notes, number


def read_findmnt(listing: Listing, notes: Notes) -> None:
    """What is mounted where, from what, with its room."""
    for one in json.loads(listing.text)["filesystems"]:
        _mount(one, listing, notes)


def _mount(facts: Any, listing: Listing, notes: Notes) -> None:
    if not isinstance(facts, dict) or not isinstance(facts.get("target"), str):
        listing.puzzled(facts)
        return
    listing.took()
    row = notes.mounts.setdefault(facts["target"], {})
    row |= {k: facts.get(k) for k in ("source", "fstype", "options", "uuid") if facts.get(k)}
    for ours, theirs in (("size", "size"), ("used", "used"), ("available", "avail")):
        if (value := number(facts.get(theirs))) is not None:
            row[ours] = value
    for below in facts.get("children") or ():
        _mount(below, listing, notes)


def read_df(listing: Listing, notes: Notes) -> None:
    """The same, where findmnt said nothing: by `df -B1 -T -P`."""
    for line in listing.text.splitlines()[1:]:
        cells = line.split(None, 6)
        if len(cells) != 7 or number(cells[2]) is None:
            listing.puzzled(line)
            continue
        listing.took()
        if cells[1] in ("tmpfs", "devtmpfs", "overlay", "proc", "sysfs", "efivarfs"):
            continue
        row = notes.mounts.setdefault(cells[6], {})
        row.setdefault("source", cells[0])
        row.setdefault("fstype", cells[1])
        row.setdefault("size", int(cells[2]))
        row.setdefault("used", number(cells[3]))


def read_du(listing: Listing, notes: Notes) -> None:
    """Bytes below a folder."""
    for line in listing.text.splitlines():
        size, tab, folder = line.partition("\t")
        if not tab or number(size) is None:
            listing.puzzled(line)
            continue
        notes.sizes[folder] = int(size)
        listing.took()


FINDMNT = ListingReader(
    "findmnt", "findmnt -J -b", read_findmnt, lambda t: '"filesystems"' in t[:200], ("mounts",)
)
DF = ListingReader(
    "df", "df -B1 -T -P", read_df, lambda t: t.startswith("Filesystem") and "1-blocks" in t[:120]
)
DU = ListingReader("du", "du -xsB1", read_du)
