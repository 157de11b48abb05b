"""What other people's crontabs and timers start, as jobs: scrubs, and copies that a line says whole.

What copies something and cannot be planned as it stands is named, with the reason: never left out silently.
"""

import re
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Export, Host, Schedule
from kavrel.core.schedule import OFTEN
from kavrel.core.seen.calendars import as_schedule, starts_of
from kavrel.core.seen.copying import Copying, Place, copyings
from kavrel.core.seen.machine import SeenTask
from kavrel.core.seen.stores import StoreOffer
from kavrel.core.shares.names import folders, pool_names, pool_roots, zfs_namers

# What copies something away, in the words of the tools: common practice, no source.
COPIES = re.compile(
    r"\b(rsync|zfs send|btrfs send|scp|sftp|cp -\S*[arR]\S*|tar|dump\w*|\w*backup\w*|\w*sync)\b",
    re.IGNORECASE,
)
# A timer that Debian's dpkg brings along: it keeps its own lists, nobody's data.
OF_THE_SYSTEM = frozenset({"dpkg-db-backup"})
SCRUB = re.compile(r"\bzpool scrub (?:-\w+ )*([\w.-]+)|\bbtrfs scrub start (?:-\w+ )*(/\S+)")
SHOWN = 100
STARTS = {"cron": "a crontab", "timer": "a timer"}
# A tool that deletes nothing, or sets aside for a time that no line says: a trash can comes nearest.
KEEPS_FOR_EVER, SETS_ASIDE = 365, 30
FEW = 2  # datasets that a job is called by


def scrubbed_by(task: SeenTask) -> str:
    """The pool, or the folder, that a task scrubs; empty where it scrubs none."""
    match = SCRUB.search(task.command)
    return (match.group(1) or match.group(2)) if match else ""


def copies(task: SeenTask) -> bool:
    """Whether it looks like a copy of something."""
    if task.name in OF_THE_SYSTEM:
        return False
    return bool(COPIES.search(task.command or task.name))


class CannotBePlanned(Exception):
    """A copy that a plan cannot have as it stands; the text says why."""


class StartedOffer(StoreOffer):
    """Goes through what a crontab and timers start."""

    def _tasks(self) -> None:
        assert self.host is not None
        for task in self.machine.tasks:
            if task.name.startswith("lab-"):
                continue  # our own
            what = scrubbed_by(task)
            if what:
                self._scrub(task, what)
            elif task.enabled:
                self._copies_of(task)

    def _named(self, task: SeenTask, why: str) -> None:
        said = (task.command or task.name)[:SHOWN]
        self.not_taken.append(f"{task.by} {task.on}: {said}: {why}; enter it on Copies")

    # -- scrubs ------------------------------------------------------------------------------------

    def _scrub(self, task: SeenTask, what: str) -> None:
        pools = self.known.pools
        pool = pools.get(what) or next(
            (pools[s.name] for s in self.machine.pools if s.path == what and s.name in pools), None
        )
        schedule = as_schedule(starts_of(task, self.plan.zone))
        if pool is None or schedule is None or schedule.kind in OFTEN:
            self._named(task, "it scrubs")
            return
        if any(j.kind == "scrub" and j.pool == pool.id for j in self.plan.jobs):
            return
        name = self._free_name("jobs", f"scrub of {pool.name}")
        item = {
            "name": name,
            "kind": "scrub",
            "pool": pool.id,
            "schedule": schedule.model_dump(mode="json"),
        }
        why = f"{STARTS[task.by]} starts it: {task.on}"
        self.take("jobs", name, item, why=why, needs=(f"pools/{pool.id}",))

    # -- copies ------------------------------------------------------------------------------------

    def _copies_of(self, task: SeenTask) -> None:
        """Each copy that its line makes, as a job."""
        made = copyings(task.command)
        if not made and copies(task):
            self._named(task, "it looks like a copy")
        for copying in made:
            try:
                self._copy(task, copying)
            except CannotBePlanned as e:
                self._named(task, str(e))

    def _copy(self, task: SeenTask, copying: Copying) -> None:
        assert self.host is not None
        if copying.why_not:
            raise CannotBePlanned(copying.why_not)
        schedule = as_schedule(starts_of(task, self.plan.zone))
        if schedule is None:
            raise CannotBePlanned("when it starts is not understood")
        if schedule.kind == "minutes":
            raise CannotBePlanned("it starts every few minutes, as no job of its kind does")
        ends = (*copying.sources, copying.target)
        far = {p.host for p in ends if p.host}
        if not far:
            start = end = self.host
        elif copying.target.host:
            start, end = self.host, self._box(copying.target.host)
        else:
            start, end = self._box(next(iter(far))), self.host
        if len(far) > 1 or (far and start.id == end.id):
            raise CannotBePlanned("its ends are not two boxes, of which this is one")
        datasets = self._datasets_of(copying, start)
        pool, export, sure = self._lands(copying, end)
        self._jobs_of(task, copying, schedule, (start, end), datasets, (pool, export, sure))

    def _jobs_of(
        self,
        task: SeenTask,
        copying: Copying,
        schedule: Schedule,
        boxes: tuple[Host, Host],
        datasets: list[str],
        landing: tuple[str, Export | None, bool],
    ) -> None:
        """A job for each pool that is read."""
        index = Index(self.plan)
        (start, end), (pool, export, sure) = boxes, landing
        homes = dict.fromkeys(index.datasets[d].pool for d in datasets)
        if pool in homes:
            raise CannotBePlanned("it lands on the pool that it comes from")
        for home in homes:
            mine = [d for d in datasets if index.datasets[d].pool == home]
            if self._has_it(copying, pool, mine):
                continue
            few = " and ".join(index.datasets[d].name for d in mine)
            what = few if len(mine) <= FEW else index.pools[home].name
            name = self._free_name("jobs", f"{what} to {index.pools[pool].name}")
            kind, kept, guess = _kind_of(copying)
            item: dict[str, Any] = {
                "name": name,
                "kind": kind,
                "datasets": mine,
                "target_pool": pool,
                "schedule": schedule.model_dump(mode="json"),
                "retention": kept,
                # Whether all of it is there nobody has seen: the script begins anew, in a folder of its own.
                "first_copy": "side_by_side" if start.site == end.site else "over_link",
                "first_on": datetime.fromtimestamp(self.machine.at, UTC).date().isoformat(),
                "credentials": "target" if end is self.host and start is not end else "source",
                **self._way(copying, kind, start, end, mine),
            }
            if export:
                item["lands_in"] = export.id
            guess += "" if sure else f"; that it lands on {index.pools[pool].name}"
            guess += self._looks_like_data(copying, end)
            pools = (f"pools/{home}", f"pools/{pool}")
            self.take(
                "jobs",
                name,
                item,
                why=f"{STARTS[task.by]} starts it, {task.on}: {task.command[:SHOWN]}; once lab-job copies, "
                "take that line out there",
                guess=guess,
                needs=(*pools, *(f"datasets/{d}" for d in mine)),
            )

    def _has_it(self, copying: Copying, pool: str, datasets: list[str]) -> bool:
        """Whether the plan has a job that carries all of this to that pool."""
        return any(
            j.target_pool == pool
            and set(j.datasets) >= set(datasets)
            and KINDS[j.kind].snapshots == copying.blocks
            for j in self.plan.jobs
        )

    def _way(
        self, copying: Copying, kind: str, start: Host, end: Host, datasets: list[str]
    ) -> dict[str, Any]:
        """What its command says of how it travels: what it leaves out, in what it is wrapped, how fast."""
        index, way = Index(self.plan), dict[str, Any]()
        if KINDS[kind].by_file:
            way["left_out"] = list(copying.left_out)
        if copying.blocks and copying.raw and all(index.datasets[d].encrypted for d in datasets):
            way["encrypted"] = True
        if start is not end and not any(p.module for p in (*copying.sources, copying.target)):
            way["wire_encrypted"] = True  # by ssh; a daemon's module comes and goes in the clear
        if copying.kib_per_s:
            way["limit_mbit"] = max(0.1, round(copying.kib_per_s * 1024 * 8 / 1e6, 3))
        return way

    def _box(self, name: str) -> Host:
        """The box of the plan that is called so, or has this address."""
        asked = name.casefold()
        for h in self.plan.hosts:
            own = h.name.casefold()
            if asked in (own, (h.address or "").casefold(), (h.vpn_address or "").casefold()):
                return h
            if asked.partition(".")[0] == own.partition(".")[0] and not asked[:1].isdigit():
                return h
        raise CannotBePlanned(f"{name} is no box of the plan yet: look at it, or enter it on Bench")

    def _looks_like_data(self, copying: Copying, end: Host) -> str:
        """A warning where what it lands in is planned as data of its own."""
        target = copying.target.path.rstrip("/")
        # rsync copies what is in a folder that ends so, else the folder itself; cp asks whether that is there.
        leaves = {
            "" if s.path[-1:] == "/" else f"/{s.path.rpartition('/')[2]}" for s in copying.sources
        }
        copied = {f"{target}{leaf}" for leaf in leaves} | (
            {target} if copying.tool != "rsync" else set()
        )
        if copying.tool == "zfs":
            namer = zfs_namers(self.plan)[end.id]
            places = [f for f in self._homes(end) if namer(f) in copied]
        else:
            places = [f for f in self._homes(end) if f in copied]
        if not places:
            return ""
        many = "are" if len(places) > 1 else "is"
        said = f"{' and '.join(sorted(places))} on {end.name} {many} planned as data"
        return f"; {said}: if that is this copy, take it out of the plan (what lies there stays)"

    # -- what is read ------------------------------------------------------------------------------

    def _datasets_of(self, copying: Copying, box: Host) -> list[str]:
        """Ids of all datasets that it takes whole; refuses where it takes a part of one."""
        taken: dict[str, None] = {}
        for source in copying.sources:
            if source.module:
                export = self._export(source, box)
                if export is None or source.path.strip("/"):
                    raise CannotBePlanned("what it reads from a module is not in the plan")
                taken[export.dataset] = None
            elif copying.tool == "zfs":
                taken[self._by_zfs(source, box)] = None
            else:
                taken |= dict.fromkeys(self._below(source, box, copying))
        return list(taken)

    def _homes(self, box: Host) -> dict[str, str]:
        """Folders of the box's datasets, as planned and, of this one, as seen."""
        index = Index(self.plan)
        planned = folders(self.plan)
        mine = {
            planned[d.id]: d.id for d in self.plan.datasets if index.pools[d.pool].host == box.id
        }
        if box is self.host or (self.host and box.id == self.host.id):
            mine |= {folder: d.id for folder, d in self.known.datasets.items()}
        return mine

    def _by_zfs(self, source: Place, box: Host) -> str:
        places, namer = self._homes(box), zfs_namers(self.plan)[box.id]
        seen = {f"{d.pool}/{d.name}": d.folder for d in self.machine.datasets}
        for folder, dataset in places.items():
            here = self.host and box.id == self.host.id and seen.get(source.path) == folder
            if here or namer(folder) == source.path:
                return dataset
        raise CannotBePlanned(f"{source.path} is no dataset of the plan")

    def _below(self, source: Place, box: Host, copying: Copying) -> list[str]:
        path = f"{source.path.rstrip('/')}/"
        places = self._homes(box)
        whole = [d for folder, d in places.items() if f"{folder}/".startswith(path)]
        around = [f for f in places if path.startswith(f"{f}/") and path != f"{f}/"]
        if copying.blocks:  # a subvolume, or a snapshot that lies in what it is of
            whole = [d for folder, d in places.items() if path == f"{folder}/"] or (
                [places[max(around, key=len)]] if around else []
            )
        elif around:
            raise CannotBePlanned(f"it takes a part of {max(around, key=len)} alone")
        elif len(whole) > 1 and copying.one_file_system:
            raise CannotBePlanned("it stays on one file system, and several lie below")
        if not whole:
            raise CannotBePlanned(f"{source.path} holds no dataset of the plan")
        return list(dict.fromkeys(whole))

    # -- where it lands ----------------------------------------------------------------------------

    def _export(self, place: Place, box: Host) -> Export | None:
        index = Index(self.plan)
        return next(
            (
                e
                for e in self.plan.exports
                if e.protocol == "rsync"
                and e.name.casefold() == place.module.casefold()
                and index.pools[index.datasets[e.dataset].pool].host == box.id
            ),
            None,
        )

    def _lands(self, copying: Copying, box: Host) -> tuple[str, Export | None, bool]:
        """The pool, the module's export, and whether the line names it or it is the box's only one."""
        index, target = Index(self.plan), copying.target
        mine = [p for p in self.plan.pools if p.host == box.id]
        if target.module:
            export = self._export(target, box)
            if export:
                return index.datasets[export.dataset].pool, export, True
        elif copying.tool == "zfs":
            names = pool_names(self.plan)
            named = next((p.id for p in mine if names[p.id] == target.path.partition("/")[0]), None)
            if named:
                return named, None, True
        else:
            roots = dict(pool_roots(self.plan))
            if box.id == (self.host.id if self.host else ""):
                seen = {p.name: p.path for p in self.machine.pools if p.path}
                roots |= {p.id: seen[n] for n, p in self.known.pools.items() if n in seen}
            able = [p for p in mine if f"{target.path}/".startswith(f"{roots[p.id]}/")]
            if able:
                return max(able, key=lambda p: len(roots[p.id])).id, None, True
        if len(mine) == 1 and box is not self.host:
            return mine[0].id, None, False
        where = replace(target, host="", user="").path or target.module
        raise CannotBePlanned(f"{where} on {box.name} is on no pool of the plan")


def _kind_of(copying: Copying) -> tuple[str, dict[str, int], str]:
    """The kind of job that comes nearest, what it keeps, and what of that nobody printed."""
    first = "that all of it is copied anew, into a folder of the script's own"
    if copying.blocks:
        return "replication", {"last": 2}, f"how long points are kept there; {first}"
    if copying.trash:
        said = f"that what it sets aside goes after {SETS_ASIDE} days"
        return "folder_mirror", {"trash_days": SETS_ASIDE}, f"{said}; {first}"
    if copying.deletes:
        return "mirror", {}, first
    said = "that what is deleted is set aside for a year: it deletes nothing there now"
    return "folder_mirror", {"trash_days": KEEPS_FOR_EVER}, f"{said}; {first}"
