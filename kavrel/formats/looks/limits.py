"""What accounts and folders may fill: `repquota` on ext4 and XFS, `zfs userspace` on ZFS.

Sources: repquota(8) of the quota tools 4.06, whose lines with -O csv were seen on Linux 6.1, in units of
1 KiB; zfs-userspace(8), value from memory.
"""

import csv
import re

from kavrel.formats.looks.listing import Listing, ListingReader, Notes, number

HEAD = re.compile(r"^(?:User|Project|Group),BlockStatus,FileStatus,BlockUsed,")
CSV_LIMIT = 5  # the column of the hard limit
ZFS_USER = ("POSIX User", "SMB User", "user")


def _read_csv(kind: str, listing: Listing, notes: Notes) -> None:
    table = _table(kind, "/" + listing.asked.partition(" /")[2], notes)
    for cells in csv.reader(listing.text.splitlines()):
        if len(cells) < 8 or cells[1] == "BlockStatus":
            if cells and len(cells) < 8:
                listing.puzzled(",".join(cells))
            continue
        limit = number(cells[CSV_LIMIT])
        if limit is None:
            listing.puzzled(",".join(cells))
            continue
        table[cells[0].removeprefix("#")] = limit * 1024
        listing.took()


def read_projects(listing: Listing, notes: Notes) -> None:
    """What each folder that is counted by itself may fill, by its number."""
    _read_csv("project", listing, notes)


def read_users(listing: Listing, notes: Notes) -> None:
    """What each account may fill of a file system, by its login."""
    _read_csv("user", listing, notes)


def read_userspace(listing: Listing, notes: Notes) -> None:
    """The same of one dataset of ZFS: type, name, used and quota, with tabs between."""
    table = _table("user", listing.asked.partition("used,quota ")[2], notes)
    for line in listing.text.splitlines():
        cells = line.split("\t")
        limit = number(cells[3]) if len(cells) == 4 else None
        if limit is None and (len(cells) != 4 or cells[3] not in ("none", "-")):
            listing.puzzled(line)
            continue
        if cells[0] in ZFS_USER:
            table[cells[1]] = limit or 0
        listing.took()


def _table(kind: str, place: str, notes: Notes) -> dict[str, int]:
    """Limits in bytes of the place that was asked about; that it is there says that it was looked at."""
    return notes.limits.setdefault(f"{kind} {place}", {})


PROJECT_QUOTAS = ListingReader(
    "project-quotas",
    "repquota -P -n -v -p -O csv",
    read_projects,
    lambda t: t.startswith("Project,"),
)
USER_QUOTAS = ListingReader(
    "user-quotas", "repquota -u -v -p -O csv", read_users, lambda t: t.startswith("User,Block")
)
USERSPACE = ListingReader("userspace", "zfs userspace -Hp -o type,name,used,quota", read_userspace)
