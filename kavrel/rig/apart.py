"""Pools whose disks have a file system each, and fast tiers: which disk a file lies on, and what outlives it.

Parity over files knows what every data disk had at its last sync, place by place: a file of a dead disk is
reckoned back from what the others had beside it. What is not so any more on another disk is one unknown
more. Source: snapraid(1); the same is tried on snapraid itself in the tests.
"""

from collections.abc import Callable, Collection, Iterator
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, NamedTuple
from zlib import crc32

from kavrel.core.plan import Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.parts import has_tier
from kavrel.rig.data import Data
from kavrel.rig.files import CLOCK, File

if TYPE_CHECKING:
    from kavrel.rig.box import Box, Store
    from kavrel.rig.lab import Lab

TIER = -1
Key = tuple[str, str]  # whose, and which file


class Known(NamedTuple):
    """A file as parity knows it: on which data disk, and from which place of it on."""

    file: File
    disk: int
    start: int


@dataclass(slots=True)
class Spread:
    """`known`: what parity was made of, at `synced`. `settled`: what was not on the tier any more at `moved`.

    `away`: what lies on disks that are gone, until it is reckoned back.
    """

    known: dict[Key, Known] = field(default_factory=dict)
    synced: float = 0.0
    settled: dict[Key, File] = field(default_factory=dict)
    moved: float = 0.0
    away: dict[Key, File] = field(default_factory=dict)

    def clone(self) -> "Spread":
        """The same, to be changed without this one."""
        return Spread(
            dict(self.known), self.synced, dict(self.settled), self.moved, dict(self.away)
        )


def is_spread(pool: Pool) -> bool:
    """Whether one disk of a pool takes some of its files, and leaves the others."""
    return FAMILIES[pool.family].apart or has_tier(pool)


def has_parity(pool: Pool) -> bool:
    """Whether files of a dead disk are reckoned back."""
    return bool(FAMILIES[pool.family].parity_at)


def disk_of(store: "Store", key: Key, file: File) -> int:
    """The data disk that a file lies on, by its place in the pool; TIER until the mover took it on.

    Always the same for one name: what is written anew stays where it is. Where most is free new files land,
    so that each disk has its share.
    """
    pool = store.pool
    if has_tier(pool) and store.spread.settled.get(key) is not file:
        return TIER
    if not FAMILIES[pool.family].apart:
        return 0
    sizes = store.sizes[: len(pool.groups[0])]
    point = crc32("/".join(key).encode()) % 100_000 / 100_000 * sum(sizes)
    for place, size in enumerate(sizes):
        point -= size
        if point < 0:
            return place
    return len(sizes) - 1


def _here(lab: "Lab", box: "Box", store: "Store") -> Iterator[tuple[str, Data, bool]]:
    """What lies on a pool: datasets, and what tools of a person's own keep there."""
    for data in list(box.datas.values()):
        if data.room is store.room:
            yield data.name, box.current(data), False
    for job, some in lab.kept.items():
        for dataset, data in some.items():
            if data.room is store.room:
                yield f"{job} of {dataset}", data, True


def _files(data: Data, whose: str, by_tool: bool) -> Iterator[tuple[Key, File]]:
    if by_tool:  # of which nobody sees a name: each version is a file of its own
        yield from (((whose, f"{f.mark} {f.mtime:.3f}"), f) for f in data.versions())
    else:
        # The clock is nobody's file: it tells up to when somebody worked, wherever it lies.
        yield from (((whose, name), f) for name, f in data.files.items() if name != CLOCK)


def present(lab: "Lab", box: "Box", store: "Store") -> dict[Key, File]:
    """All files that can be read there now."""
    return {
        key: file
        for whose, data, by_tool in _here(lab, box, store)
        for key, file in _files(data, whose, by_tool)
        if file.sound
    }


def dead_disks(lab: "Lab", store: "Store") -> set[int]:
    """Places of data disks that do not answer, and TIER where the fast one is gone."""
    pool = store.pool

    def gone(disk: str) -> bool:
        drive = lab.drives[disk]
        return not drive.alive or drive.host != pool.host

    dead = set()
    if FAMILIES[pool.family].apart:
        dead = {n for n, disk in enumerate(pool.groups[0]) if gone(disk)}
    if has_tier(pool) and (all if pool.tier_mirrored else any)(map(gone, pool.tier)):
        dead.add(TIER)
    return dead


def parity_left(lab: "Lab", store: "Store") -> int:
    """How many parity disks answer."""
    if not has_parity(store.pool):
        return 0
    return sum(lab.drives[d].alive for d in store.pool.groups[1])


def struck(lab: "Lab") -> None:
    """What lay on disks that are gone by now is away."""
    for box in lab.boxes.values():
        for store in box.stores.values():
            dead = dead_disks(lab, store) if is_spread(store.pool) else set()
            if dead:
                files = present(lab, box, store)
                taken = {k: f for k, f in files.items() if disk_of(store, k, f) in dead}
                store.spread.away |= taken
                _change(lab, box, store, taken, gone=True)


def returned(lab: "Lab", disk: str) -> None:
    """A disk is there again, as it was: its files are."""
    for box in lab.boxes.values():
        for store in box.stores.values():
            if is_spread(store.pool) and disk in (*store.pool.groups[0], *store.pool.tier):
                dead = dead_disks(lab, store)
                away = store.spread.away
                back = {k: f for k, f in away.items() if disk_of(store, k, f) not in dead}
                _change(lab, box, store, back, gone=False)
                store.spread.away = {k: f for k, f in away.items() if k not in back}


def _change(lab: "Lab", box: "Box", store: "Store", files: dict[Key, File], gone: bool) -> None:
    """Takes these files away, or puts them back; in what a tool keeps they are spoiled so long."""
    by_owner: dict[str, dict[str, File]] = {}
    for (whose, name), file in files.items():
        by_owner.setdefault(whose, {})[name] = file
    for whose, data, by_tool in list(_here(lab, box, store)):
        mine = by_owner.get(whose, {})
        if not mine:
            continue
        if by_tool:
            marks = {(f.mark, f.mtime) for f in mine.values()}
            _replaced(data, _spoiler(marks) if gone else _mender(list(mine.values())))
            continue
        for name, file in mine.items():
            if gone and name in data.files:
                data.remove(name)
            elif not gone and name not in data.files:
                data.write(name, file)


def _spoiler(marks: Collection[tuple[str, float]]) -> Callable[[File], File]:
    return lambda f: f.spoiled(f.mtime) if (f.mark, f.mtime) in marks else f


def _mender(files: list[File]) -> Callable[[File], File]:
    whole = {(f"rubbish {f.mark}", f.mtime): f for f in files}
    return lambda f: whole.get((f.mark, f.mtime), f)


def _replaced(data: Data, new: Callable[[File], File]) -> None:
    """Each version in a tool's store by another of the same size: the room that they take stays."""
    made: dict[int, File] = {}

    def of(files: dict[str, File]) -> dict[str, File]:
        return {n: made.setdefault(id(f), new(f)) for n, f in files.items()}

    data.share(of(data.files))
    for name, point in list(data.points.items()):
        data.points[name] = point._replace(files=of(point.files))


def synced(lab: "Lab", box: "Box", store: "Store") -> bool:
    """Parity brought up to date over all data disks; not while one is away, nor without a parity disk."""
    if dead_disks(lab, store) - {TIER} or parity_left(lab, store) < len(store.pool.groups[1]):
        return False
    spread, files = store.spread, present(lab, box, store)
    places = {k: disk_of(store, k, f) for k, f in files.items()}
    kept = {
        k: one
        for k, one in spread.known.items()
        if files.get(k) is one.file and places[k] == one.disk
    }
    taken: dict[int, list[tuple[int, int]]] = {}
    for one in kept.values():
        taken.setdefault(one.disk, []).append((one.start, one.start + one.file.size))
    for spans in taken.values():
        spans.sort()
    for key, file in files.items():
        if key not in kept and places[key] != TIER:
            start = _first_fit(taken.setdefault(places[key], []), file.size)
            kept[key] = Known(file, places[key], start)
    spread.known, spread.synced = kept, lab.moment
    return True


def _first_fit(spans: list[tuple[int, int]], size: int) -> int:
    """Where a file goes among what is there: into the first gap that takes it, else behind all."""
    at = 0
    for number, (start, end) in enumerate(spans):
        if start - at >= size:
            spans.insert(number, (at, at + size))
            return at
        at = max(at, end)
    spans.append((at, at + size))
    return at


def settled(lab: "Lab", box: "Box", store: "Store") -> None:
    """The mover has taken on all that was on the tier."""
    if TIER not in dead_disks(lab, store):
        store.spread.settled, store.spread.moved = present(lab, box, store), lab.moment


def reckoned_back(
    lab: "Lab", box: "Box", store: "Store", disk: int, parity: int
) -> tuple[int, int]:
    """A new data disk gets back what so many parity disks can give: files that came, and that could not."""
    spread, files = store.spread, present(lab, box, store)
    dead = dead_disks(lab, store)
    unknown = [
        (one.disk, one.start, one.start + one.file.size)
        for key, one in spread.known.items()
        if one.disk != disk and (one.disk in dead or files.get(key) is not one.file)
    ]
    came, failed = {}, 0
    for key, one in spread.known.items():
        if one.disk != disk or files.get(key) is one.file or key not in spread.away:
            continue
        if 1 + _deepest(unknown, one.start, one.start + one.file.size) <= parity:
            came[key] = one.file
        else:
            failed += 1
    _change(lab, box, store, came, gone=False)
    for key in came:
        del spread.away[key]
    return len(came), failed


def _deepest(spans: list[tuple[int, int, int]], start: int, end: int) -> int:
    """The most disks that are unknown at one place of a span."""
    edges: list[tuple[int, int, int]] = []
    for disk, first, last in spans:
        low, high = max(first, start), min(last, end)
        if low < high:
            edges += [(low, 1, disk), (high, -1, disk)]
    depth: dict[int, int] = {}
    deepest = 0
    for _, step, disk in sorted(edges):
        depth[disk] = depth.get(disk, 0) + step
        deepest = max(deepest, sum(n > 0 for n in depth.values()))
    return deepest


def mended(lab: "Lab", pool: str) -> None:
    """New disks where old ones died, made what those were, and reckoned back; the parity is as it was."""
    for box in lab.boxes.values():
        for store in box.stores.values():
            if store.pool.id != pool or not is_spread(store.pool):
                continue
            dead, parity = dead_disks(lab, store), parity_left(lab, store)
            for one in (*store.pool.disks, *store.pool.tier):
                drive = lab.drives[one]
                if not drive.alive:
                    drive.alive, drive.loose, drive.host = True, False, box.host.id
            lab.changed()
            for disk in sorted(dead - {TIER}):
                reckoned_back(lab, box, store, disk, parity)


def safe_since(store: "Store", key: Key, file: File) -> float | None:
    """When a file that is gone for good was last in danger by the plan's own words; None where never.

    Of what is newer than the last parity, or than the last run of the mover, that is its moment.
    """
    spread = store.spread
    if has_tier(store.pool) and spread.settled.get(key) is not file:
        return spread.moved
    known = spread.known.get(key)
    if has_parity(store.pool) and (known is None or known.file is not file):
        return spread.synced
    return None
