"""The whole stand-in lab: boxes, disks, links, a mailbox, buckets and a clock, made from a plan."""

import os
import shutil
import stat
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo

from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.path import MB, Place, path
from kavrel.core.copies.path import Path as Way
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.plan import Job, Plan, Pool
from kavrel.core.pools.pool import pool_states
from kavrel.core.shares.names import copy_folders, folders, pool_names, pool_roots, slug, zfs_namer
from kavrel.core.week.nights import scheduled_book
from kavrel.formats.hostside import lab_job
from kavrel.rig.apart import Spread
from kavrel.rig.box import Box, Store
from kavrel.rig.columns import human
from kavrel.rig.data import Data, Room
from kavrel.rig.disks import Drive, Health, health, number_of
from kavrel.rig.files import File, worked_until
from kavrel.rig.made import Made
from kavrel.rig.people import Work
from kavrel.rig.real.parts import Real
from kavrel.rig.runs import Leg, Run
from kavrel.rig.streams import Streams
from kavrel.rig.traffic import Traffic
from kavrel.rig.unlike import unlike


class CannotBuild(Exception):
    """The plan has what no stand-in behaves as; the text says which part of it."""


@dataclass(frozen=True)
class Mail:
    """A mail that arrived, with its moment and the box that sent it."""

    at: float
    box: str
    text: str


class Lab:
    """See above. `now` is its clock (epoch s); nothing happens in it by itself, see `days`."""

    def __init__(self, plan: Plan, folder: Path, began: float, seed: int = 1) -> None:
        self.plan, self.folder, self.began, self.now, self.seed = plan, folder, began, began, seed
        self.index = Index(plan)
        self.states = pool_states(self.index)
        self.zone = ZoneInfo(plan.zone)
        day = datetime.fromtimestamp(began, self.zone).date()
        self.book: CopyBook = scheduled_book(self.index, self.states, day)
        self.boxes: dict[str, Box] = {}
        self.drives: dict[str, Drive] = {}
        self.works: dict[tuple[str, str], Work] = {}
        # What tools of a person's own, and hands, keep: by job and dataset; points named by their moment.
        self.kept: dict[str, dict[str, Data]] = {}
        self.taken_as_made: tuple[str, ...] = ()  # jobs whose first copy is yet to be made
        self.made = Made(plan)  # how it was set up, and which wanted pools are here
        self.real: Real | None = None  # what runs here as itself, in the place of its stand-in
        self.cut: set[str] = set()  # links that are down
        self.mail: list[Mail] = []
        self.keys_gone: set[str] = set()  # sites whose keys are no more
        self.going: list[Run] = []
        self.seconds = 0.0  # that the run now going on has taken
        self.touched: Run | None = None
        self.streams = Streams()
        self.closed: set[str] = set()  # buckets whose provider let nobody in any more
        self.thinned: dict[str, list[float]] = {}
        self.carried = False  # boxes that no line reaches have been brought side by side
        self._health: dict[str, Health] = {}
        # What carries on each way: all clones are of one plan, and share it.
        self._ways: dict[tuple[Place, Place, float | None, bool], Way] = {}
        self.traffic = Traffic(self.index)
        self._travelled = began  # up to when what is on its way has been taken

    # -- made ------------------------------------------------------------------------------------

    @classmethod
    def built(cls, plan: Plan, folder: Path, began: datetime, seed: int = 1) -> "Lab":
        """The lab as the plan has it once everything stands. Raises CannotBuild."""
        lab = cls(plan, folder, began.timestamp(), seed)
        why = next(unlike(plan), "")
        if why:
            raise CannotBuild(why)
        for disk in plan.disks:
            lab.drives[disk.id] = Drive(disk, disk.host, disk.shelf)
        names, roots, homes = pool_names(plan), pool_roots(plan), folders(plan)
        for host in plan.hosts:
            box = lab.boxes[host.id] = Box(host, folder / host.id, lab)
            for part in ("state", "own", "secrets"):
                (box.folder / part).mkdir(parents=True, exist_ok=True)
            namer = zfs_namer(plan, host.id)
            for pool in plan.pools:
                if pool.host != host.id or not pool.standing:
                    continue
                room = Room(lab.states[pool.id].layout.usable_bytes)
                sizes = tuple(lab.index.data_bytes(d) for d in pool.disks)
                store = box.stores[names[pool.id]] = Store(
                    pool, names[pool.id], roots[pool.id], room, sizes=sizes
                )
                box.datas[store.name] = Data(store.name, store.at, room)
                for number, dataset in enumerate(plan.datasets):
                    if dataset.pool == pool.id:
                        data = Data(namer(homes[dataset.id]), homes[dataset.id], room)
                        box.datas[data.name] = data
                        work = Work(dataset, seed * 1000 + number, lab.now)
                        data.become(work.first())
                        lab.works[host.id, data.name] = work
        return lab

    def clone(self, folder: Path) -> "Lab":
        """The same lab, to be changed without this one; what its boxes keep on disk is copied."""
        new = Lab.__new__(Lab)
        new.__dict__ |= self.__dict__
        new.folder = folder
        new.drives = {k: d.clone() for k, d in self.drives.items()}
        new.carried = self.carried
        new.cut, new.keys_gone = set(self.cut), set(self.keys_gone)
        new.closed, new.thinned = set(self.closed), dict(self.thinned)
        new.mail, new.touched = list(self.mail), None
        same: dict[int, Data] = {}  # each dataset's own in the new lab
        new._health = {}
        new.boxes = {}
        rooms: dict[int, Room] = {}
        for key, box in self.boxes.items():
            made = new.boxes[key] = Box(
                box.host, folder / key, new, box.up, box.lost, {}, {}, {}, set(box.disabled),
                box.clock, set(box.hollow), box.mute,
            )  # fmt: skip
            for script, tool in box.own.items():
                made.own[script.replace(str(box.folder), str(made.folder), 1)] = tool
            for name, store in box.stores.items():
                room = rooms[id(store.room)] = Room(store.room.capacity, store.room.used)
                made.stores[name] = Store(
                    store.pool, name, store.at, room, store.locked,
                    dict(store.waiting), dict(store.joined), set(store.opened),
                    store.sizes, store.spread.clone(),
                )  # fmt: skip
            for name, data in box.datas.items():
                old = data.room
                room = rooms.setdefault(id(old), Room(old.capacity, old.used))
                made.datas[name] = same[id(data)] = data.clone(room)
            if box.folder.exists() and folder != self.folder:
                # What lab-job told of its runs stays behind: nothing of a run hangs on it.
                shutil.copytree(
                    box.folder,
                    made.folder,
                    dirs_exist_ok=True,
                    ignore=shutil.ignore_patterns("runs"),
                )
        new.kept = {}
        for job, some in self.kept.items():
            new.kept[job] = {}
            for dataset, data in some.items():
                old = data.room
                room = rooms.setdefault(id(old), Room(old.capacity, old.used))
                new.kept[job][dataset] = same[id(data)] = data.clone(room)
        new.going = [run.clone(same) for run in self.going]
        new.works = {}
        for key2, work in self.works.items():
            new.works[key2] = Work(work.dataset, work.seed, work.began, work.until, work.stopped)
        return new

    # -- what is there ---------------------------------------------------------------------------

    def health(self, pool: Pool) -> Health:
        """What a pool is, by the disks that answer in its own box."""
        said = self._health.get(pool.id)
        if said is None:
            dead = {
                d
                for d in pool.disks
                if not self.drives[d].alive
                or self.drives[d].kicked
                or self.drives[d].host != pool.host
            }
            said = self._health[pool.id] = health(pool, dead)
        return said

    def changed(self) -> None:
        """Something happened to disks: what pools are has to be looked at again."""
        self._health.clear()

    def box_at(self, address: str) -> Box | None:
        """The box of an address or a name."""
        address = address.rpartition("@")[2].strip("[]")
        return next((b for b in self.boxes.values() if b.answers_to(address)), None)

    def reaches(self, a: Box, b: Box, by: str = "") -> bool:
        """Whether one box can speak to another now, `by` this address of it: the VPN's from within it."""
        if not (a.up and b.up):
            return False
        if by and by == b.host.vpn_address and a is not b and not a.host.vpn_address:
            return False
        if a.host.site == b.host.site:
            return True
        return self.carried or self.linked(a.host.site, b.host.site)

    def linked(self, a: str, b: str) -> bool:
        """Whether a line between two sites is up."""
        return a == b or any(
            {link.a, link.b} == {a, b} and link.id not in self.cut for link in self.plan.links
        )

    # -- what happens ----------------------------------------------------------------------------

    @property
    def moment(self) -> float:
        """Now, within a run that has been going on for a while."""
        return self.now + (self.seconds if self.touched is not None else 0.0)

    def tell(self, box: Box, text: str) -> None:
        """A mail to whoever reads them."""
        if not box.mute:
            self.mail.append(Mail(self.now, box.host.id, text))

    def arriving(self, data: Data) -> None:
        """A run begins to write here: what is there now is what is left should it break off."""
        if self.touched is not None:
            self.touched.arriving(data)

    def moved(
        self, size: float, source: Place, target: Place, limit_mbit: float | None = None
    ) -> None:
        """Bytes travel: the run takes the longer for it, and longer yet where others travel too."""
        key = (source, target, limit_mbit, self.carried)
        way = self._ways.get(key)
        if way is None:
            way = self._ways[key] = path(
                self.index, self.states, source, target, limit_mbit, self.carried
            )
        if way.mb_per_s and size:
            self.seconds += size / (way.mb_per_s * MB)
            if self.touched is not None:
                self.touched.legs.append(Leg(size / MB, way.mb_per_s, way.loads))

    def goes(self, run: Run) -> None:
        """A run that began now goes on: who travels already has less from now on."""
        self._travel()
        self.going.append(run)
        if run.at < len(run.legs):
            self.traffic.foreseen(self.going, self.now)

    def _travel(self) -> None:
        self.traffic.onward(self.going, self._travelled, self.now)
        self._travelled = self.now

    def is_at(self, box: Box, job: str) -> bool:
        """Whether a run of a job has not ended there: then it holds the job's lock."""
        going = (r for r in self.going if r.box == box.host.id and r is not self.touched)
        return any(r.until.get(job, 0.0) > self.moment for r in going)

    def break_off(self, moment: float, jobs: Collection[str] | None = None) -> None:
        """Ends what is going on at a moment, of these jobs: what had not arrived whole is not there."""
        self._travel()
        going: list[Run] = []
        for run in reversed(self.going):
            unfinished = {j for j, until in run.until.items() if until > moment}
            if not unfinished or (jobs is not None and not unfinished & set(jobs)):
                going.insert(0, run)
                continue
            for one in reversed(run.written):
                if one.ends > moment:
                    one.data.undo(one.before, one.after)
        self.going = going  # nothing follows what failed
        self.traffic.foreseen(self.going, self.now)

    def offset(self, moment: float) -> int:
        """Seconds by which clocks there are ahead of UTC."""
        ahead = datetime.fromtimestamp(moment, self.zone).utcoffset()
        return int(ahead.total_seconds()) if ahead else 0

    def restarted(self, box: Box) -> None:
        """A box starts anew: what needs a passphrase stays locked until somebody types it."""
        for store in box.stores.values():
            store.locked = store.pool.waits
            store.opened.clear()
        for data in box.datas.values():
            if data.props.get("raw") == "open":  # its key was typed, and is forgotten
                data.props["raw"], data.mounted = "locked", False
        box.mount_all()
        for drive in self.drives.values():
            if drive.host == box.host.id:
                drive.mapped = ""
        for drive in (self.drives[d] for s in box.stores.values() for d in s.pool.disks):
            drive.missed = not drive.alive or drive.host != box.host.id

    def scrubbed(self, box: Box, store: Store) -> None:
        """Everything on a pool is read: what its disks spoiled is mended where a second copy is."""
        spoiled = sum(self.drives[d].bad_sectors for d in store.pool.disks)
        if self.health(store.pool) == "ONLINE":
            for drive in (self.drives[d] for d in store.pool.disks):
                drive.bad_sectors, drive.doubted = 0, False
                if drive.frayed:
                    drive.readings = {**drive.readings, "crc": drive.readings.get("crc", 0) + 60}
                    drive.garbled += 15 * FILESYSTEMS[store.pool.filesystem].checksums
        mended = spoiled - sum(self.drives[d].bad_sectors for d in store.pool.disks)
        store.scan = f"scrub repaired {human(4096 * mended)}", self.now

    def drive_of(self, box: Box, name: str) -> Drive | None:
        """The disk that somebody means by an id or a serial number, or a pool by its own number."""
        word = name.removeprefix("/dev/disk/by-id/").removeprefix("ata-").removesuffix("-part1")
        return next(
            (
                d
                for d in self.drives.values()
                if word and word in (d.disk.serial, d.disk.id, d.disk.label, number_of(d.disk.id))
            ),
            None,
        )

    def replaced(self, box: Box, store: Store, old: str, new: str) -> None:
        """A new disk takes the place of an old one, and is filled from the others: all of them is read."""
        frail = [self.drives[d] for d in store.pool.disks if d != old and self.drives[d].frail]
        for drive in frail:  # dies half-way through: the new disk has nothing whole then
            drive.alive = False
        self.changed()
        if frail and self.health(store.pool) == "LOST":
            return
        groups = tuple(tuple(new if d == old else d for d in g) for g in store.pool.groups)
        tier = tuple(new if d == old else d for d in store.pool.tier)
        store.pool = store.pool.model_copy(update={"groups": groups, "tier": tier})
        self.changed()
        store.scan = f"resilvered {human(store.room.used)}", self.now

    def bought(self, old: str, box: Box) -> Drive:
        """A new disk of the size of an old one, fitted into a box."""
        number = sum(d.disk.id.startswith("new-") for d in self.drives.values()) + 1
        told = self.drives[old].disk
        disk = told.model_copy(
            update={
                "id": f"new-{number}",
                "label": f"N{number}",
                "serial": f"NEW-{number:04}",
                "bay": None,
            }
        )
        drive = self.drives[disk.id] = Drive(disk, box.host.id, None)
        return drive

    def state_at(self, job: str, dataset: str, until: float) -> dict[str, File]:
        """The newest state of a copy with work up to a moment."""
        points = self.kept[job][dataset].points.values()
        states = [p.files for p in points if (worked_until(p.files) or 0.0) <= until + 1]
        return states[-1] if states else {}

    def module(self, box: Box, name: str) -> str:
        """The folder that a module of a box's rsync daemon serves."""
        export = next(
            (e for e in self.plan.exports if e.protocol == "rsync" and slug(e.name, e.id) == name),
            None,
        )
        return folders(self.plan)[export.dataset] if export else f"/srv/{name}"

    def stays(self, job: Job, times: Sequence[float]) -> Sequence[float]:
        """Which points of a job stay, by the same rules as on a real box."""
        rules = job.retention.model_dump(mode="json", exclude_defaults=True)
        standing: list[float] = []
        if job.retention.thin:
            before = self.thinned.get(job.id, [])
            standing = lab_job.still_standing(before, times, job.retention.thin)
            self.thinned[job.id] = standing
        return lab_job.stays(times, rules, self.plan.zone, self.moment, standing)

    def data_of(self, dataset: str) -> Data:
        """A dataset of the plan, with all work done in it by now."""
        box = self.boxes[self.index.pools[self.index.datasets[dataset].pool].host]
        at = folders(self.plan)[dataset]
        data = next(d for d in box.datas.values() if d.at == at)
        return box.current(data)

    def work_of(self, dataset: str) -> Work:
        """What people do to a dataset."""
        return next(w for w in self.works.values() if w.dataset.id == dataset)

    def works_on(self, host: str) -> Iterator[Work]:
        """What people do to the datasets of a box."""
        return (w for (box, _), w in self.works.items() if box == host)

    def copies_of(self, job: Job) -> Iterator[Data]:
        """Where a job's copies lie that lab-job itself makes."""
        box = self.boxes[self.index.pools[job.target_pool or ""].host]
        places = {copy_folders(self.plan)[job.id, dataset] for dataset in job.datasets}
        yield from (d for d in box.datas.values() if d.at in places)

    def place(self, pool: str) -> Place:
        """A pool as a store."""
        return Place(pool=pool)

    def rebuilt(self, host: str) -> None:
        """A new box with new, empty disks stands where the old one was, installed by the runbook."""
        box = self.boxes[host]
        box.lost, box.up = False, True
        box.clock, box.mute = 0.0, False
        box.hollow.clear()
        for store in box.stores.values():
            for disk in store.pool.disks:
                self.drives[disk].renew(host)
            store.room.used, store.locked, store.spread = 0, False, Spread()
        box.datas = {s.name: Data(s.name, s.at, s.room) for s in box.stores.values()}
        self.changed()
        for store in box.stores.values():
            self._emptied(store)

    def remade(self, box: Box, store: Store) -> None:
        """A lost pool is made anew of new disks, and is empty."""
        for disk in store.pool.disks:
            self.drives[disk].renew(box.host.id)
        store.room.used, store.spread = 0, Spread()
        box.datas = {n: d for n, d in box.datas.items() if d.room is not store.room} | {
            store.name: Data(store.name, store.at, store.room)
        }
        self.changed()
        self._emptied(store)

    def _emptied(self, store: Store) -> None:
        for job, some in self.kept.items():
            if self.book.place(self.index.jobs[job]).pool == store.pool.id:
                for dataset in some:
                    some[dataset] = Data("", "", store.room)

    def settle(self) -> list[Run]:
        """Forgets runs that have ended, and that nothing waits for any more; returns them."""
        self._travel()
        over = [r for r in self.going if r.ends <= self.now and not r.behind]
        if over:
            self.going = [r for r in self.going if r.ends > self.now or r.behind]
        return over

    def local(self, moment: float) -> str:
        """A moment as people there say it."""
        return datetime.fromtimestamp(moment, self.zone).strftime("%Y-%m-%d %H:%M")


def own_script(folder: Path, name: str) -> str:
    """An empty script of a person's own, so that it is found where it should be."""
    place = folder / "own" / name
    place.touch()
    os.chmod(place, stat.S_IRWXU)
    return str(place)
