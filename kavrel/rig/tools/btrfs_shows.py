"""What btrfs lists: file systems, how data are kept, subvolumes, points and quotas. Source: btrfs(8)."""

import uuid
from collections.abc import Iterator
from datetime import UTC, datetime

from kavrel.rig.box import Box
from kavrel.rig.data import Data, Point
from kavrel.rig.layers import Layers, System
from kavrel.rig.said import Said, failed, lines
from kavrel.rig.tools.mending import btrfs_device

NONE = "-"
FIRST = 256  # number of the first subvolume; the top level is 5
# Profiles by the word of mkfs that makes them.
PROFILES = {
    "single": "single",
    "dup": "DUP",
    "raid1": "RAID1",
    "raid1c3": "RAID1C3",
    "raid10": "RAID10",
}


def show(box: Box) -> Said:
    """Btrfs filesystem show --raw."""
    rows: list[str] = []
    for one in Layers(box).systems:
        if one.kind != "btrfs" or not one.source:
            continue
        used = one.store.room.used
        rows.append(f"Label: '{one.store.name}'  uuid: {one.uuid}")
        rows.append(f"\tTotal devices {len(one.devices)} FS bytes used {used}")
        for number, block in enumerate(one.devices, 1):
            if block:
                share = used // len(one.devices)
                rows.append(f"\tdevid {number:4} size {block.size} used {share} path {block.path}")
            else:
                rows.append(f"\tdevid {number:4} size 0 used 0 path <missing disk> MISSING")
        rows.append("")
    return lines(*rows)


def usage(box: Box, place: str) -> Said:
    """Btrfs filesystem usage -b FOLDER."""
    one = _at(box, place)
    if one is None:
        return _no_btrfs(place)
    room = one.store.room
    words = one.profile.split()
    word = words[words.index("-d") + 1] if "-d" in words else "single"
    return lines(
        "Overall:",
        f"    Device size:\t\t{sum(b.size for b in one.devices if b):>20}",
        "",
        f"Data,{PROFILES.get(word, word.upper())}: Size:{room.capacity}, Used:{room.used}",
        *(f"   {b.path}\t{room.capacity // len(one.devices)}" for b in one.devices if b),
    )


def subvolumes(box: Box, place: str, only_points: bool) -> Said:
    """Btrfs subvolume list -u -q -R FOLDER; with -s only points, with the moment of each."""
    one = _at(box, place)
    if one is None:
        return _no_btrfs(place)
    rows = []
    for number, (path, data, point) in enumerate(_all(box, one), FIRST):
        made_of = _key(one, data.name) if point and not point.came else NONE
        received = _key(one, f"received {path}") if point and point.came else NONE
        if point and point.came and next(iter(data.points.values())) is not point:
            made_of = _key(one, f"before {path}")  # the point before, with the difference put on it
        if only_points and (point is None or made_of == NONE):
            continue
        began = (
            f"gen 10 cgen 10 top level 5 otime {_when(point)} "
            if only_points
            else "gen 10 top level 5 "
        )
        own = _key(one, path if point else data.name)
        rows.append(
            f"ID {number} {began}parent_uuid {made_of:36} received_uuid {received:36} uuid {own} path {path}"
        )
    return lines(*rows)


def quotas(box: Box, place: str) -> Said:
    """Btrfs qgroup show --raw -r FOLDER."""
    one = _at(box, place)
    if one is None or not one.counting:
        return failed("ERROR: can't list qgroups: quotas not enabled")
    limits = {w.dataset.id: w.dataset.quota_bytes for w in box.lab.works_on(box.host.id)}
    rows = ["Qgroupid    Referenced    Exclusive  Max referenced   Path"]
    for number, (path, data, point) in enumerate(_all(box, one), FIRST):
        work = box.lab.works.get((box.host.id, data.name))
        limit = limits[work.dataset.id] if work and not point else None
        size = sum(f.size for f in (point.files if point else box.current(data).files).values())
        rows.append(f"0/{number}  {size}  0  {limit or 'none'}  {path}")
    return lines(*rows)


def mended(box: Box, words: list[str]) -> Said:
    """Btrfs replace start, device add, device remove ... FOLDER."""
    one = _at(box, words[-1])
    many = 5 if words[0] == "replace" else 4
    if one is None or len(words) != many:
        return _no_btrfs(words[-1])
    return btrfs_device(box, one, words)


def _at(box: Box, place: str) -> System | None:
    wanted = place.rstrip("/")
    return next(
        (s for s in Layers(box).mounted() if s.kind == "btrfs" and s.store.at == wanted), None
    )


def _no_btrfs(place: str) -> Said:
    return failed(f"ERROR: not a btrfs filesystem: {place}")


def _all(box: Box, one: System) -> Iterator[tuple[str, Data, Point | None]]:
    """Subvolumes and points of a file system, each by its path in it."""
    for data in box.datas.values():
        if data.name.partition("/")[0] != one.store.name or data.name == one.store.name:
            continue
        path = data.at.removeprefix(f"{one.store.at}/")
        received = bool(data.points) and all(p.came for p in data.points.values())
        if not (
            received or data.read_only
        ):  # else only a folder has its name, for points to lie in
            yield path, data, None
        above, _, leaf = path.rpartition("/")
        beside = f"{above}/.points/{leaf}" if above else f".points/{leaf}"
        for name, point in data.points.items():
            yield f"{beside}/{name}", data, point


def _key(one: System, what: str) -> str:
    return str(uuid.uuid5(uuid.UUID(one.uuid), what))


def _when(point: Point | None) -> str:
    return f"{datetime.fromtimestamp(point.created if point else 0, UTC):%Y-%m-%d %H:%M:%S}"
