"""What `btrfs` shows of file systems, subvolumes, points and quotas. Source: btrfs-filesystem(8)."""

import re

from kavrel.formats.looks.amounts import moment_of
from kavrel.formats.looks.listing import Listing, ListingReader, Notes, Vdev

HEAD = re.compile(r"^Label: (none|'.*')\s+uuid: ([0-9a-f-]{36})\s*$")
DEVICE = re.compile(r"^\s*devid\s+(\d+) size (\S+) used (\S+) path (.+?)(\s+MISSING)?$")
LACKS = re.compile(r"^warning, device \d+ is missing$")
PROFILE = re.compile(r"^Data,\s*(\w+): ")
SUBVOLUME = re.compile(
    r"^ID (\d+) gen \d+ (?:cgen \d+ )?top level \d+ (?:otime (\d{4}-\d\d-\d\d \d\d:\d\d:\d\d) )?"
    r"(?:parent_uuid (\S+)\s+)?(?:received_uuid (\S+)\s+)?(?:uuid (\S+) )?path (.+)$"
)
QUOTA = re.compile(r"^0/(\d+)\s+(\d+)\s+(\d+)\s+(none|\d+)")
COUNTED = {
    "write_io_errs": "write",
    "read_io_errs": "read",
    "flush_io_errs": "flush",
    "corruption_errs": "checksum",
    "generation_errs": "generation",
}
COUNT = re.compile(rf"^\[(.+)\]\.({'|'.join(COUNTED)})\s+(\d+)$")
POINT = re.compile(r"(?:^|/)lab-[a-z0-9-]+-\d{8}T\d{6}Z$")


def read_show(listing: Listing, notes: Notes) -> None:
    """File systems and the devices of each."""
    store, lacks = None, False
    for line in listing.text.splitlines():
        head, device = HEAD.match(line), DEVICE.match(line)
        if LACKS.match(line):  # it comes before the head of the one that it is about
            lacks = True
        elif head:
            label = "" if head.group(1) == "none" else head.group(1)[1:-1]
            store = notes.store("btrfs", head.group(2))
            store.facts |= {"label": label, "uuid": head.group(2)}
            store.vdevs, store.state = [Vdev("btrfs")], "degraded" if lacks else "online"
            lacks = False
            listing.took()
        elif store is not None and device:
            listing.took()
            if device.group(5) or "missing" in device.group(4):
                store.vdevs[0].gone.append(device.group(4))
                store.state = "degraded"
            else:
                store.vdevs[0].members.append(device.group(4))
        elif store is not None and "Some devices missing" in line:
            store.state = "degraded"
        elif store is not None and line.strip().startswith("Total devices"):
            used = re.search(r"FS bytes used (\d+)", line)
            store.facts["used"] = int(used.group(1)) if used else None
        elif line.strip():
            listing.puzzled(line)


def read_usage(listing: Listing, notes: Notes) -> None:
    """How the data are kept: single, or so many times over."""
    place = listing.asked.partition(" -b ")[2]
    for line in listing.text.splitlines():
        profile = PROFILE.match(line)
        if profile:
            notes.mounts.setdefault(place, {})["profile"] = profile.group(1).lower()
            listing.took()
    if not listing.understood:
        listing.puzzled("no profile of the data is shown")


def read_subvolumes(listing: Listing, notes: Notes) -> None:
    """Subvolumes; those that have the name of a point are points if they arrived whole."""
    place = listing.asked.rpartition(" ")[2]
    for line in listing.text.splitlines():
        match = SUBVOLUME.match(line)
        if match is None:
            listing.puzzled(line)
            continue
        number, _, parent, received, _, path = match.groups()
        listing.took()
        if POINT.search(path):
            if (parent or "-") == "-" and (received or "-") == "-":
                listing.puzzled(f"{path}: it has the name of a point, and did not arrive whole")
            elif (received or "-") != "-":
                _point(place, path, None, notes)
            continue
        if (parent or "-") == "-":
            notes.datasets.append(
                {
                    "maker": "btrfs",
                    "name": path,
                    "at": place,
                    "id": number,
                    "folder": f"{place}/{path}",
                }
            )


def read_snapshots(listing: Listing, notes: Notes) -> None:
    """Points that were taken here, with the moment of each."""
    place = listing.asked.rpartition(" ")[2]
    for line in listing.text.splitlines():
        match = SUBVOLUME.match(line)
        moment = moment_of(match.group(2) or "") if match else None
        if match is None or moment is None:
            listing.puzzled(line)
            continue
        listing.took()
        if (match.group(4) or "-") == "-":  # what was received is in the other list
            _point(place, match.group(6), moment, notes)


def _point(place: str, path: str, moment: float | None, notes: Notes) -> None:
    above, _, name = path.rpartition("/")
    # lab-job keeps the points of FOLDER in .points/FOLDER beside it.
    of = above.replace(".points/", "", 1) if ".points/" in f"{above}/" else above
    stamp = re.search(r"-(\d{4})(\d\d)(\d\d)T(\d\d)(\d\d)(\d\d)Z$", name)
    if stamp:
        y, mo, d, h, mi, s = stamp.groups()
        moment = moment_of(f"{y}-{mo}-{d}T{h}:{mi}:{s}+00:00")
    if moment is not None:
        notes.points.append((f"{place}/{of}".rstrip("/"), name, moment))


def read_quotas(listing: Listing, notes: Notes) -> None:
    """Referenced bytes and limit of each subvolume, by its number."""
    place = listing.asked.rpartition(" ")[2]
    table = notes.mounts.setdefault(place, {}).setdefault("quotas", {})
    for line in listing.text.splitlines():
        match = QUOTA.match(line.strip())
        if match:
            limit = None if match.group(4) == "none" else int(match.group(4))
            table[match.group(1)] = (int(match.group(2)), limit)
            listing.took()
        elif line.strip() and not re.match(r"^(q|Q|-|WARNING)", line.strip()):
            listing.puzzled(line)


def read_stats(listing: Listing, notes: Notes) -> None:
    """Errors that a file system counted at each of its devices. Source: btrfs-device(8), DEVICE STATS."""
    place = listing.asked.rpartition(" ")[2]
    counted = notes.store("btrfs stats", place)
    for line in listing.text.splitlines():
        match = COUNT.match(line)
        if match:
            device, kind, many = match.groups()
            counted.counts(device, {COUNTED[kind]: many})
            listing.took()
        elif line.strip():
            listing.puzzled(line)


BTRFS_SHOW = ListingReader(
    "btrfs-show",
    "btrfs filesystem show --raw",
    read_show,
    lambda t: t.lstrip().startswith("Label: ") and "devid" in t,
    ("btrfs",),
)
BTRFS_USAGE = ListingReader("btrfs-usage", "btrfs filesystem usage -b", read_usage)
BTRFS_SUBVOLUMES = ListingReader(
    "btrfs-subvolumes",
    "btrfs subvolume list -u -q -R",
    read_subvolumes,
    None,
    ("btrfs subvolumes",),
)
BTRFS_SNAPSHOTS = ListingReader(
    "btrfs-snapshots", "btrfs subvolume list -s", read_snapshots, None, ("btrfs points",)
)
BTRFS_QUOTAS = ListingReader("btrfs-quotas", "btrfs qgroup show --raw -r", read_quotas)
BTRFS_STATS = ListingReader(
    "btrfs-stats",
    "btrfs device stats",
    read_stats,
    lambda t: bool(re.match(r"\s*\[.+\]\.write_io_errs", t)),
)
