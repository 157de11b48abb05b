"""Hazards done to the rig: what physically happens, and not what the proof says of it.

A deed strikes a pool, a box, a site, or the whole lab. What it leaves is found out by looking.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Literal

from kavrel.core.copies.carrier import reached_from, root_ways
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Job, Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.proof.hazards.malware import reached_by_people
from kavrel.core.proof.hazards.malware_credentials import may_delete
from kavrel.core.shares.access import access_matrix
from kavrel.core.shares.names import job_names
from kavrel.core.shares.writing import one_for_all, who_writes
from kavrel.rig import apart
from kavrel.rig.box import Box
from kavrel.rig.data import Data
from kavrel.rig.files import ARCHIVE, CLOCK, File
from kavrel.rig.lab import Lab

At = Literal["pool", "box", "site", "lab"]


@dataclass(frozen=True)
class Deed:
    """What is done, to what, and the assumption that says after how many days it is noticed.

    `ends`: what is mended by then without a copy, as a new boot device. `only`: which pools it can strike;
    every one where it is not told.
    """

    hazard: str
    at: At
    do: Callable[[Lab, str], None]
    late: str = ""
    ends: Callable[[Lab, str], None] | None = None
    only: Callable[[Pool], bool] | None = None


def _kill(lab: Lab, disk: str) -> None:
    lab.drives[disk].alive = False
    lab.changed()
    apart.struck(lab)


def _tier_disk(lab: Lab, pool: str) -> None:
    """The worst to lose of a pool that outlives one: what is new is on it alone."""
    for disk in lab.index.pools[pool].tier[:1]:
        _kill(lab, disk)


def _tier_disks(lab: Lab, pool: str) -> None:
    for disk in lab.index.pools[pool].tier[:2]:
        _kill(lab, disk)


def _one_disk(lab: Lab, pool: str) -> None:
    _kill(lab, lab.index.pools[pool].groups[0][0])


def _cable_off(lab: Lab, pool: str) -> None:
    """The same as far as anybody sees: a disk of it does not answer."""
    disk = lab.index.pools[pool].groups[0][0]
    _kill(lab, disk)
    lab.drives[disk].loose = True


def _slow_disk(lab: Lab, pool: str) -> None:
    """It still answers: it reads a place again and again before it does, and tells so if it is asked."""
    drive = lab.drives[lab.index.pools[pool].groups[0][-1]]
    drive.slow = True
    drive.readings = {**drive.readings, "reallocated": 1912}


def _frayed(lab: Lab, pool: str) -> None:
    """A plug sits badly: blocks arrive wrong, and are read once more or mended from the others."""
    drive = lab.drives[lab.index.pools[pool].groups[0][-1]]
    drive.frayed = True
    if FILESYSTEMS[lab.index.pools[pool].filesystem].checksums:
        drive.garbled, drive.doubted = GARBLED, True
    drive.readings = {**drive.readings, "crc": drive.readings.get("crc", 0) + 4 * GARBLED}


def _only_seen(lab: Lab, what: str) -> None:
    """Nothing more happens: somebody sees what has been wrong for a while."""


def together(lab: Lab, pool: str) -> tuple[str, ...]:
    """Two disks that outlive failures together, if there are two such."""
    told = lab.index.pools[pool]
    family, group = FAMILIES[told.family], told.groups[0]
    if family.one_set:
        group = told.disks
    elif family.sets:
        group = tuple(group[n] for n in next(iter(family.sets(len(group)))))
    return (group if len(group) > 1 else told.disks)[:2]


def _second_disk(lab: Lab, pool: str) -> None:
    for disk in together(lab, pool):
        _kill(lab, disk)


def _ailing_disk(lab: Lab, pool: str) -> None:
    """One is dead, and another gives what it has as long as nobody reads all of it to fill a third."""
    first, second = together(lab, pool)
    _kill(lab, first)
    drive = lab.drives[second]
    drive.frail, drive.bad_sectors = True, drive.bad_sectors + 96


def _gone(lab: Lab, box: Box, stolen: bool = False) -> None:
    box.lost, box.up = True, False
    for drive in lab.drives.values():
        if drive.host == box.host.id:
            drive.alive, drive.stolen, drive.host = False, stolen, None
    lab.changed()


def _box_lost(lab: Lab, host: str) -> None:
    _gone(lab, lab.boxes[host])


def _boot_lost(lab: Lab, host: str) -> None:
    box = lab.boxes[host]
    box.up = False
    if box.host.boot_disk:
        _kill(lab, box.host.boot_disk)


def _installed(lab: Lab, host: str) -> None:
    box = lab.boxes[host]
    box.up = True
    lab.restarted(box)
    for store in box.stores.values():
        store.locked = False  # somebody has typed the passphrase


def _power_cut(lab: Lab, site: str) -> None:
    for box in lab.boxes.values():
        if box.host.site == site:
            box.up = False


def _power_back(lab: Lab, site: str) -> None:
    for box in lab.boxes.values():
        if box.host.site == site:
            _installed(lab, box.host.id)


def _theft(lab: Lab, host: str) -> None:
    box = lab.boxes[host]
    _gone(lab, box, stolen=True)
    for drive in lab.drives.values():
        if drive.site == box.host.site:
            drive.alive, drive.stolen = False, True


def _fire(lab: Lab, site: str) -> None:
    for box in lab.boxes.values():
        if box.host.site == site:
            _gone(lab, box)
    for drive in lab.drives.values():
        if drive.site == site:
            drive.alive = False
    lab.keys_gone.add(site)
    lab.closed |= {b.id for b in lab.plan.buckets if b.site == site}


def _deleted(lab: Lab, what: str) -> None:
    """Some files of every dataset; what makes up most of it stays, so that its copies go on as before."""
    for data in live(lab):
        names = sorted(n for n in data.files if n not in (CLOCK, ARCHIVE))
        for name in names[: max(1, int(len(names) * lab.index.assumptions["deleted_share"]))]:
            data.remove(name)


def spoil(data: Data, moment: float) -> None:
    """Writes rubbish over every file of a live state."""
    for name, file in list(data.files.items()):
        data.write(name, file.spoiled(moment))


def _malware(lab: Lab, what: str) -> None:
    matrix = access_matrix(lab.index, lab.book.as_of)
    for dataset in lab.plan.datasets:
        personal = lab.index.hosts[lab.index.pools[dataset.pool].host].personal
        if personal or who_writes(lab.index, dataset.id, matrix, lab.book.as_of):
            data = lab.data_of(dataset.id)
            spoil(data, lab.now)
            lab.work_of(dataset.id).stopped = True
    for job in lab.plan.jobs:
        if reached_by_people(lab.index, job, matrix, lab.book.as_of):
            wipe(lab, job)


def _malware_credentials(lab: Lab, host: str) -> None:
    """Whoever has the box has all that root gets into from there, and what its jobs may delete."""
    plan = lab.plan
    taken = reached_from(root_ways(lab.plan), host)
    matrix = access_matrix(lab.index, lab.book.as_of)
    if one_for_all(lab.index, matrix, lab.book.as_of):
        taken |= set(lab.boxes)  # the same word opens every box, and it is typed where people work
    for key in taken:
        box = lab.boxes[key]
        for data in list(box.datas.values()):
            for name in list(data.points):
                data.forget(name)
            spoil(data, lab.now)
        for work in lab.works_on(key):
            work.stopped = True
        box.disabled |= {"*"} if key == host else set()
    for job in plan.jobs:
        place = lab.book.place(job)
        there = place.host(lab.index) in taken
        at_home = any(
            lab.index.pools[lab.index.datasets[d].pool].host == host for d in job.datasets
        )
        may = at_home and job.credentials in ("source", "everyday")
        may = may or may_delete(lab.index, job, taken | {host})
        if KINDS[job.kind].copies and (there or may):
            wipe(lab, job)


def held_by_lock(days: int, renewed: bool, age: float) -> bool:
    """Whether a bucket's lock still keeps a point of this age, in days, from everybody."""
    return days > 0 and (renewed or age < days)


def wipe(lab: Lab, job: Job) -> None:
    """Deletes what a job keeps, but for what a lock of its bucket still holds."""
    bucket = lab.index.buckets.get(job.target_bucket or "")
    for data in lab.kept.get(job.id, {}).values():
        for name, point in list(data.points.items()):
            age = (lab.now - point.created) / 86_400
            if not (bucket and held_by_lock(bucket.locked_days, bucket.locks_renewed, age)):
                data.forget(name)
    place = lab.book.place(job)
    if not place.pool or job.id in lab.kept or KINDS[job.kind].in_place:
        return
    for data in lab.copies_of(job):
        for name in list(data.points):
            data.forget(name)
        spoil(data, lab.now)


def _corruption(lab: Lab, what: str) -> None:
    """One disk of each pool gives wrong bytes: mended where file system and layout can, else it stays.

    In what people work on: a copy that rots by itself, at the same time, is another misfortune.
    """
    for pool in (p for p in lab.plan.pools if p.standing):
        lab.drives[pool.disks[0]].bad_sectors += 8
        if _mends(pool) and lab.health(pool) == "ONLINE":
            continue
        for dataset in (d for d in lab.plan.datasets if d.pool == pool.id):
            data = lab.data_of(dataset.id)
            if data.files:
                name = min(n for n in data.files if n != CLOCK)
                data.write(name, data.files[name].spoiled(lab.now))


def _mends(pool: Pool) -> bool:
    system, family = FILESYSTEMS[pool.filesystem], FAMILIES[pool.family]
    second = family.outlives(len(pool.groups[0])) > 0
    return system.checksums and second and (system.repairs or family.copies > 0)


def crossing(lab: Lab) -> dict[str, Job]:
    """Jobs whose copies go to another site by themselves, by their names on the boxes."""
    names = job_names(lab.plan)
    return {
        names[job.id]: job
        for job in lab.plan.jobs
        if KINDS[job.kind].copies
        and not KINDS[job.kind].by_hand
        and lab.book.place(job).site(lab.index) != lab.book.source(job).site(lab.index)
    }


def _uplink(lab: Lab, what: str) -> None:
    lab.cut |= {link.id for link in lab.plan.links}
    lab.break_off(lab.now, set(crossing(lab)))


def _key_lost(lab: Lab, site: str) -> None:
    lab.keys_gone.add(site)


def _cloud(lab: Lab, what: str) -> None:
    lab.closed |= {b.id for b in lab.plan.buckets}


def _has_tier(pool: Pool) -> bool:
    return bool(pool.tier)


def _by_card(pool: Pool) -> bool:
    return FAMILIES[pool.family].card


def _card_dies(lab: Lab, pool: str) -> None:
    """Its disks are whole, and nothing shows them."""
    for disk in lab.index.pools[pool].disks:
        lab.drives[disk].alive, lab.drives[disk].loose = False, True
    lab.changed()


def _read_again(lab: Lab, pool: str) -> None:
    """By the spare card, or by an ordinary port where its disks can be read so; else they stay as they are."""
    told = lab.index.pools[pool]
    if told.spare_card or told.card_readable:
        for disk in told.disks:
            lab.drives[disk].alive, lab.drives[disk].loose = True, False
        lab.changed()


DEEDS = (
    Deed("one_disk", "pool", _one_disk, ends=apart.mended),
    Deed("one_disk", "pool", _tier_disk, ends=apart.mended, only=_has_tier),
    Deed("second_disk", "pool", _second_disk, ends=apart.mended),
    Deed("second_disk", "pool", _tier_disks, ends=apart.mended, only=_has_tier),
    Deed("controller_dies", "pool", _card_dies, ends=_read_again, only=_by_card),
    Deed("box_lost", "box", _box_lost),
    Deed("boot_lost", "box", _boot_lost, ends=_installed),
    Deed("power_cut", "site", _power_cut, ends=_power_back),
    Deed("deleted", "lab", _deleted, late="deleted_notice_days"),
    Deed("corruption", "lab", _corruption, late="corruption_notice_days"),
    Deed("malware", "lab", _malware, late="malware_notice_days"),
    Deed("malware_credentials", "box", _malware_credentials, late="malware_notice_days"),
    Deed("theft", "box", _theft),
    Deed("fire", "site", _fire),
    Deed("uplink_down", "lab", _uplink, late="uplink_days"),
    Deed("key_lost", "site", _key_lost),
    Deed("cloud_closed", "lab", _cloud),
)


# Not the hazard itself, but what looks like it.
GARBLED = 412  # blocks
CABLE_OFF = Deed("one_disk", "pool", _cable_off)
SLOW_DISK = Deed("one_disk", "pool", _slow_disk)
FRAYED = Deed("one_disk", "pool", _frayed)
AILING = Deed("one_disk", "pool", _ailing_disk)
POWER_WAS_AWAY = Deed("power_cut", "box", _only_seen)
BY_HAZARD = {d.hazard: d for d in DEEDS if d.only is not _has_tier}


def live(lab: Lab) -> Iterator[Data]:
    """The datasets of the plan, with all work done in them."""
    for dataset in lab.plan.datasets:
        if lab.index.pools[dataset.pool].standing:
            yield lab.data_of(dataset.id)


def targets(lab: Lab, deed: Deed) -> list[str]:
    """What a deed can strike."""
    pools = [p for p in lab.plan.pools if p.standing]
    if deed.only:
        pools = [p for p in pools if deed.only(p)]
    boxes = list(dict.fromkeys(p.host for p in pools))
    return {
        "pool": [p.id for p in pools],
        "box": boxes,
        "site": list(dict.fromkeys(lab.index.hosts[h].site for h in boxes)),
        "lab": [""],
    }[deed.at]


def struck(lab: Lab, deed: Deed, target: str) -> list[str]:
    """Ids of the datasets whose cell a deed at a target is."""
    hit = []
    for dataset in lab.plan.datasets:
        pool = lab.index.pools[dataset.pool]
        if not pool.standing:
            continue
        of = {"pool": pool.id, "box": pool.host, "site": lab.index.hosts[pool.host].site, "lab": ""}
        if of[deed.at] == target:
            hit.append(dataset.id)
    return hit


def states(lab: Lab, datasets: list[str]) -> dict[str, dict[str, File]]:
    """The live files of datasets at this moment."""
    return {d: dict(lab.data_of(d).files) for d in datasets}
