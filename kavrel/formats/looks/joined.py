"""Several file systems that people see as one folder: a tree over them, and the parity beside it.

A tree's branches are what mergerfs itself says, else they stand in fstab (with `fsname` the mount does not
say them) or in its source;
what has parity, and where that lies, in the settings of the parity. The fast tier is the branch that is
listed first where new files land on the first with room. Sources: mergerfs(1), snapraid(1), fstab(5).
"""

import glob
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from fnmatch import fnmatch

from kavrel.core.seen.machine import SeenPool
from kavrel.formats.looks.listing import Listing, ListingReader, Notes, worst

TREE = "fuse.mergerfs"
ORDERED = ("ff", "epff")  # create policies that go by the order of the branches
PARITY = re.compile(r"^(?:([2-6])-|z-)?parity\s+(.+)$")
DATA = re.compile(r"^(?:data|disk)\s+(\S+)\s+(.+)$")
OTHER = ("content", "exclude", "include", "block", "blocksize", "hashsize", "autosave", "pool", "share",
         "smartctl", "nohidden", "smartignore", "temp_limit", "temp_sleep")  # fmt: skip


@dataclass
class Parity:
    """What has parity: the folders with data, in order, and those where the parity lies."""

    data: list[str] = field(default_factory=list)
    parity: list[str] = field(default_factory=list)


def read_parity(listing: Listing, notes: Notes) -> None:
    """Settings of parity over separately formatted disks."""
    parity = Parity()
    for raw in listing.text.splitlines():
        line = raw.strip()
        if not line or line.startswith("#"):
            continue
        if match := PARITY.match(line):
            # A parity may be cut into several files, each on a disk: they count as one.
            parity.parity.append(match[2].split(",")[0].strip().rpartition("/")[0])
        elif match := DATA.match(line):
            parity.data.append(match[2].strip().rstrip("/"))
        elif line.split()[0] not in OTHER:
            listing.puzzled(line)
            continue
        listing.took()
    if parity.data:
        notes.parities.append(parity)


SNAPRAID = ListingReader(
    "snapraid.conf",
    "/etc/snapraid*.conf",
    read_parity,
    lambda t: bool(re.search(r"^(?:\d-)?parity\s+/", t, re.MULTILINE)),
)


TOLD = re.compile(r'^user\.mergerfs\.([\w.]+)="(.*)"$')


def read_tree(listing: Listing, notes: Notes) -> None:
    """What a tree is over and where new files land, as getfattr(1) prints it."""
    place = ""
    for line in listing.text.splitlines():
        if line.startswith("# file: "):
            place = "/" + line.removeprefix("# file: ").strip("/").removesuffix("/.mergerfs")
        elif match := TOLD.match(line):
            plain = re.sub(r"\\(.)", r"\1", match[2])
            notes.trees.setdefault(place, {})[match[1]] = plain
            listing.took()
        elif line.strip():
            listing.puzzled(line)


MERGERFS = ListingReader(
    "mergerfs",
    "getfattr --absolute-names -d -m user.mergerfs FOLDER/.mergerfs",
    read_tree,
    lambda t: bool(re.search(r"^user\.mergerfs\.", t, re.MULTILINE)),
)


def joined(notes: Notes, pools: list[SeenPool]) -> list[SeenPool]:
    """The same pools, with those that are parts of a tree or have parity put together to one each."""
    left = {p.path: p for p in pools if p.path}
    whole: list[SeenPool] = []
    parities = list(notes.parities)
    for target, row in sorted(notes.mounts.items()):
        if row.get("fstype") != TREE:
            continue
        branches = list(_branches(notes, target, str(row.get("source", "")), left))
        if not branches:
            continue
        ordered = _created(notes, target, str(row.get("options", ""))) in ORDERED
        fast = branches[:1] if ordered and len(branches) > 1 else []
        slow = branches[len(fast) :]
        parity = next((p for p in parities if set(p.data) == set(slow)), None)
        if parity:
            parities.remove(parity)
        whole.append(_one(target, row, slow, fast, parity, left))
    for parity in parities:
        if all(folder in left for folder in parity.data):
            # Several without a tree over them have no folder in common that anybody said.
            name = parity.data[0] if len(parity.data) == 1 else ""
            row = (
                {k: getattr(left[name], f"{k}_bytes") for k in ("size", "used")}
                if name in left
                else {}
            )
            whole.append(_one(name, row, parity.data, [], parity, left))
    apart = [p for p in pools if not p.path or p.path in left]
    return [*apart, *whole]


def _branches(notes: Notes, target: str, source: str, left: Iterable[str]) -> Iterator[str]:
    """Folders that a tree is over, as fstab has them, else as its source says."""
    said = source if source.startswith("/") else ""
    for line in notes.files.get("fstab", "").splitlines():
        words = line.split()
        if len(words) >= 3 and words[1] == target and "mergerfs" in words[2]:
            said = words[0].replace("\\040", " ")
    said = notes.trees.get(target, {}).get("branches", said)
    for part in said.split(":"):
        folder = part.partition("=")[0].rstrip("/")  # /srv/disk1=NC
        if glob.has_magic(folder):
            yield from sorted(f for f in left if fnmatch(f, folder))
        elif folder:
            yield folder


def _created(notes: Notes, target: str, options: str) -> str:
    """Where new files land: a word of mergerfs(1)."""
    told = notes.trees.get(target, {})
    if word := told.get("func.create") or told.get("category.create"):
        return word
    for line in notes.files.get("fstab", "").splitlines():
        words = line.split()
        if len(words) >= 4 and words[1] == target and "mergerfs" in words[2]:
            options = f"{words[3]},{options}"
    match = re.search(r"(?:category\.create|func\.create|create)=(\w+)", options)
    return match[1] if match else ""


def _one(
    target: str,
    row: dict[str, object],
    slow: list[str],
    fast: list[str],
    parity: Parity | None,
    left: dict[str, SeenPool],
) -> SeenPool:
    """One pool of its parts, which are taken out of what is left."""
    kept = parity.parity if parity else []
    gone = tuple(f"{f} (not mounted)" for f in (*fast, *slow, *kept) if f not in left)
    parts = [left.pop(f) for f in slow if f in left]
    tier = [left.pop(f) for f in fast if f in left]
    parities = [left.pop(f) for f in kept if f in left]
    disks = tuple(d for p in parts for g in p.groups for d in g)
    groups: tuple[tuple[str, ...], ...] = (disks,)
    simple = all(p.family == "single" for p in (*parts, *parities))
    family = "union" if simple and len(slow) > 1 else ""
    if len(slow) == 1 and parts:  # with a tier alone it is what it is
        family, groups = parts[0].family, parts[0].groups
    if parity:
        family = f"parity{len(kept)}" if simple and len(kept) in (1, 2) else ""
        groups = (disks, tuple(d for p in parities for g in p.groups for d in g))
    every = [*parts, *tier, *parities]
    apart = [*tier, *parts, *parities] if len(every) > 1 else []
    systems = {p.filesystem for p in every}
    state = worst(p.state for p in every)
    size, used = row.get("size"), row.get("used")
    return SeenPool(
        name=(target or slow[0]).rpartition("/")[2],
        filesystem=systems.pop() if len(systems) == 1 else "",
        family=family,
        groups=groups,
        spares=tuple(d for p in every for d in p.spares),
        tier=tuple(d for p in tier for g in p.groups for d in g),
        gone=(*gone, *(g for p in every for g in p.gone)),
        state="degraded" if gone and state == "online" else state,
        errors="; ".join(p.errors for p in every if p.errors),
        scrubbed_at=_oldest(p.scrubbed_at for p in every),
        busy=next((p.busy for p in every if p.busy), ""),
        size_bytes=size if isinstance(size, int) else None,
        used_bytes=used if isinstance(used, int) else None,
        path=target,
        uuid=parts[0].uuid if len(slow) == 1 and parts and not fast else "",
        branch_paths=tuple(p.path for p in apart),
        branch_uuids=tuple(p.uuid for p in apart),
        encrypted=bool(every) and all(p.encrypted for p in every),
    )


def _oldest(moments: Iterable[float | None]) -> float | None:
    """The oldest; None where one of them never was."""
    told = [m or 0.0 for m in moments]
    return min(told, default=0.0) or None
