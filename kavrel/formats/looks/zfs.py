"""`zfs list -Hp` of file systems, volumes and snapshots. Source: zfs-list(8), zfsprops(7)."""

import re
from typing import Any

from kavrel.formats.looks.amounts import moment_of, size_of
from kavrel.formats.looks.listing import Listing, ListingReader, Notes

COLUMNS = (
    "name",
    "type",
    "used",
    "usedbydataset",
    "available",
    "quota",
    "reservation",
    "recordsize",
    "compression",
    "encryption",
    "keystatus",
    "mountpoint",
    "mounted",
)
HEADS = {"USED": "used", "AVAIL": "available", "REFER": "usedbydataset", "MOUNTPOINT": "mountpoint"}
SIZES = ("used", "usedbydataset", "available", "quota", "reservation", "recordsize")


def read_list(listing: Listing, notes: Notes) -> None:
    """Datasets: by our columns without a head, or as `zfs list` prints it for people."""
    lines = [line for line in listing.text.splitlines() if line.strip()]
    columns: tuple[str, ...] = COLUMNS
    parted = "\t"
    if lines and lines[0].split()[0] == "NAME":
        columns = tuple(HEADS.get(h, h.lower()) for h in lines.pop(0).split())
        parted = ""
    for line in lines:
        cells = line.split(parted) if parted else line.split(None, len(columns) - 1)
        if len(cells) != len(columns) or not cells[0]:
            listing.puzzled(line)
            continue
        row: dict[str, Any] = {
            c: v for c, v in zip(columns, cells, strict=True) if v not in ("-", "none", "")
        }
        if "@" in row["name"]:
            _point(row["name"], row.get("creation", ""), listing, notes, line)
            continue
        row |= {c: size_of(row[c]) for c in SIZES if c in row}
        notes.datasets.append({"maker": "zfs", **row})
        listing.took()


def read_snapshots(listing: Listing, notes: Notes) -> None:
    """Points: name, used, creation."""
    for line in listing.text.splitlines():
        cells = line.split("\t")
        _point(cells[0], cells[2] if len(cells) > 2 else "", listing, notes, line)


def _point(name: str, creation: str, listing: Listing, notes: Notes, line: str) -> None:
    dataset, at, point = name.partition("@")
    moment = moment_of(creation) if at else None
    if moment is None:
        listing.puzzled(line)
        return
    notes.points.append((dataset, point, moment))
    listing.took()


def _is_list(text: str) -> bool:
    head = text.lstrip().split("\n", 1)[0].split()
    return head[:3] == ["NAME", "USED", "AVAIL"] or bool(
        re.match(r"^[\w.:/ -]+\t(filesystem|volume)\t", text)
    )


ZFS_LIST = ListingReader("zfs-list", "zfs list -Hp", read_list, _is_list, ("zfs datasets",))
ZFS_SNAPSHOTS = ListingReader(
    "zfs-snapshots",
    "zfs list -Hp -t snapshot",
    read_snapshots,
    lambda t: bool(re.match(r"^[\w.:/ -]+@\S+\t[0-9]+\t[0-9]{9,10}$", t.split("\n", 1)[0])),
    ("zfs points",),
)
