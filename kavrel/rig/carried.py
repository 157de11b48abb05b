"""What a phone takes along of a drill, to play it alone where no server answers: what the boxes would print.

The answers are those of the beginning. What is done then is judged once the server has the steps.
"""

from collections.abc import Iterator, Sequence

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.pools.families import FAMILIES
from kavrel.rig.box import Box, Store
from kavrel.rig.drilling import STEPS_MOST, Done, Drilling, DrillStep
from kavrel.rig.drills import Drill
from kavrel.rig.layers import drives

NOT_THERE = 127
ALWAYS = ("lsblk", "lab-job list", "lab-job overdue")
STATUS = ("zpool status", "zpool status -v", "zpool status -x")
BY_NAME = (*STATUS, "zpool list", "zpool import", "zfs list", "zfs list -t snapshot")


def looked_at(
    drilling: Drilling, drill: Drill, seed: int, boxes: Sequence[str]
) -> tuple[Done, ...]:
    """All that only looks, on boxes that answer, with what it prints at the beginning."""
    steps = [DrillStep(box, line) for box in boxes for line in dict.fromkeys(_lines(drilling, box))]
    done: list[Done] = []
    for n in range(0, len(steps), STEPS_MOST):
        done += drilling.play(drill, seed, steps[n : n + STEPS_MOST], (), False).done
    return tuple(d for d in done if d.code != NOT_THERE)


def _lines(drilling: Drilling, host: str) -> Iterator[str]:
    box = drilling.lab.boxes[host]
    yield from ALWAYS
    for store in box.stores.values():
        yield from _of_store(store)
    for path, drive in drives(box):
        yield f"smartctl -a {path}"
        if drive.disk.serial:
            yield f"smartctl -a /dev/disk/by-id/ata-{drive.disk.serial}"
    yield from (f"ls {folder}" for folder in _folders(box))


def _of_store(store: Store) -> Iterator[str]:
    system, family = FILESYSTEMS[store.pool.filesystem], FAMILIES[store.pool.family]
    if system.by_name:
        yield from BY_NAME
        yield from (f"{line} {store.name}" for line in STATUS)
    elif system.checksums:
        yield "btrfs filesystem show"
        yield from (f"btrfs {line} {store.at}" for line in ("device stats", "subvolume list"))
    if family.md_level or family.cuts:
        yield from ("cat /proc/mdstat", "cat /sys/block/md*/md/mismatch_cnt")
    if family.cuts:
        yield from ("pvs", "vgs", "lvs")
    yield f"findmnt {store.at}"


def _folders(box: Box) -> Iterator[str]:
    for store in box.stores.values():
        yield store.at
    for data in box.datas.values():
        if data.at and not data.read_only:
            yield data.at
