"""What each host runs: which jobs are whose, and the file that the script lab-job reads.

The script itself is `hostside/lab_job.py`, the same for every host; what it does follows from the
plan alone. Copies lie at /srv/POOL/JOB/DATASET of the target, or in the export that they land in.
"""

import json
from collections.abc import Iterator, Sequence
from importlib.resources import files
from typing import Any

from kavrel.core.bench.meeting import meeting
from kavrel.core.copies.carrier import (
    chain,
    leaves_mark,
    marks_target,
    never_starts,
    runs_on,
    source_host,
    target_host,
    tells_source,
)
from kavrel.core.copies.keys import encrypted_at_source
from kavrel.core.copies.module import module_of
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Job, Plan
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.parts import has_tier
from kavrel.core.shares.names import (
    SYSTEM_NAMES,
    copy_folders,
    folders,
    job_names,
    pool_names,
    pool_roots,
    zfs_namer,
)
from kavrel.core.works.chores import ChoreRuns, binned, chore_works
from kavrel.core.works.jobs import NightRuns, job_works, watched_for
from kavrel.core.works.pc import came_mark
from kavrel.core.works.pools import parity_file
from kavrel.core.works.volumes import tree_of, volumes_of
from kavrel.formats.servers.site import Box


def hosts_with_jobs(plan: Plan) -> Sequence[str]:
    """Hosts that start a job or watch for one, in plan order."""
    index = Index(plan)
    return [
        h.id for h in plan.hosts if any(isinstance(w, NightRuns) for w in job_works(index, h.id))
    ]


def jobs_on(plan: Plan, host: str) -> list[Job]:
    """The jobs that a host starts; those that nothing can start are left out."""
    index = Index(plan)
    return [j for j in plan.jobs if runs_on(index, j) == host and not never_starts(index, j)]


def script() -> str:
    """The script lab-job, as it is put on every host."""
    return (files("kavrel.formats.hostside") / "lab_job.py").read_text(encoding="utf-8")


def lab_jobs(plan: Plan, host: str, origin: str) -> str:
    """/etc/lab-jobs.json of one host."""
    sheet = _Sheet(plan, host)
    told = {
        "host": sheet.index.hosts[host].name,
        "written_from": origin,
        "zone": plan.zone,
        "jobs": {sheet.names[j.id]: sheet.told(j) for j in jobs_on(plan, host)}
        | upkeep(plan, host),
        "watched": list(sheet.watched()),
    }
    return json.dumps(told, indent=1, ensure_ascii=False) + "\n"


def upkeep(plan: Plan, host: str) -> dict[str, dict[str, Any]]:
    """The chores of a host, by name, as the script is told of them."""
    sheet = _Sheet(plan, host)
    return {
        work.name: {
            "title": work.title,
            "schedule": work.schedule.model_dump(mode="json", exclude_defaults=True),
            "kind": work.kind,
            **sheet.chore(work),
        }
        for work in chore_works(sheet.index, host)
    }


def watches(plan: Plan, host: str) -> bool:
    """Whether a host has to look out for points that should come."""
    return next(_Sheet(plan, host).watched(), None) is not None


class _Sheet:
    """What one host is told about its jobs."""

    def __init__(self, plan: Plan, host: str) -> None:
        self.index, self.host, self.plan = Index(plan), host, plan
        self.homes, self.copies = folders(plan), copy_folders(plan)
        self.pools, self.names = pool_names(plan), job_names(plan)
        self.roots = pool_roots(plan)

    def told(self, job: Job) -> dict[str, Any]:
        """All that the script has to know of a job."""
        kind = KINDS[job.kind]
        told: dict[str, Any] = {"kind": job.kind, "title": kind.title}
        how = chain(self.index, job)
        behind = [
            self.names[j.id]
            for j in self.plan.jobs
            if j.after == job.id and (c := chain(self.index, j)) and c.how == "line"
        ]
        if behind:
            told["then"] = behind
        if how is None:
            told["schedule"] = job.schedule.model_dump(mode="json", exclude_defaults=True)
        elif how.how == "seen":
            told["waits_for"] = self._seen(self.index.jobs[job.after or ""], how.looked_at)
        if job.catch_up:
            told["catch_up"] = True
        if "retention" in kind.told:
            told["retention"] = job.retention.model_dump(mode="json", exclude_defaults=True)
        if job.pool:
            told |= self.pool(job.pool)
            if "serials" not in kind.told:  # disks are tested before they are anything
                told |= self._wanted(job.pool)
            if kind.moves_tier:
                told["mounted"] = self._mounts(job.pool, "source")
        if "sets" in kind.told:
            pool = self.index.datasets[job.datasets[0]].pool
            told |= self.pool(pool)
            system, at = told["filesystem"], self.index.pools[pool].host
            told["sets"] = [self._place(self.homes[d], system, at) for d in job.datasets]
            if not FILESYSTEMS[told["filesystem"]].by_name:
                told["mounted"] = self._mounts(pool, "source")
        elif "pairs" in kind.told:
            told |= self._carried(job)
        elif "settings" in kind.told and job.target_pool:
            told |= self._far(target_host(self.index, job))
            told["folder"] = f"{self.roots[job.target_pool]}/{self.names[job.id]}"
            told["paths"] = ["etc"]
            told["mounted"] = self._mounts(job.target_pool, "target")
        elif "serials" in kind.told and job.pool:
            members = self.index.pools[job.pool]
            ids = (*members.disks, *members.spares, *members.tier)
            told["serials"] = [s for d in ids if (s := self.index.disks[d].serial)]
        elif "bins" in kind.told:
            told |= self.bins(job.datasets)
        if kind.by_tool and kind.copies:
            told["mounted"] = list(self._at_hand(job))
        if leaves_mark(self.index, job):
            told["marks"] = self._mark(job)
            told |= self._far(target_host(self.index, job)) if kind.by_tool else {}
        if tells_source(self.index, job):
            # A tool of one's own finds its way by itself, and the script knows of no other end then.
            told["tells_source"] = self._far(source_host(self.index, job))["peer"]
        return told

    def chore(self, work: ChoreRuns) -> dict[str, Any]:
        """What the script has to know of a chore."""
        if work.job:
            places = [self.copies[work.job.id, d].rpartition("/") for d in work.job.datasets]
            days = work.job.retention.trash_days
            return {"cans": [[f"{a}/.trash-{leaf}", days] for a, _, leaf in places]}
        if work.pool:
            whole = work.kind == "parity"
            mounted = {"mounted": self._mounts(work.pool.id, "source", whole)}
            more = self._wanted(work.pool.id)
            return self.pool(work.pool.id) | more | ({} if work.kind == "scrub" else mounted)
        return self.bins(work.datasets) if work.kind == "bin" else self.running_out()

    # -- where -----------------------------------------------------------------------------------

    def pool(self, pool: str) -> dict[str, Any]:
        told: dict[str, Any] = {
            "pool": self.pools[pool],
            "filesystem": self.index.pools[pool].filesystem,
        }
        if self.index.pools[pool].path:
            told["folder"] = self.roots[pool]
        if FAMILIES[self.index.pools[pool].family].parity_at:
            told["parity"] = parity_file(self.pools[pool])
        if has_tier(self.index.pools[pool]):
            volumes = volumes_of(self.index, self.index.pools[pool])
            told["fast"] = [v.folder for v in volumes if v.fast]
            told["slow"] = [v.folder for v in volumes if not v.fast and not v.parity]
        return told

    def _wanted(self, pool: str) -> dict[str, Any]:
        """That nobody may have made it yet: then there is nothing to do in it, and nobody is to be mailed."""
        return {} if self.index.pools[pool].standing else {"wanted": True}

    def _place(self, folder: str, filesystem: str, host: str) -> str:
        """A folder of a box as the snapshot tools of its file system name it."""
        system = FILESYSTEMS.get(filesystem)
        return zfs_namer(self.plan, host)(folder) if system and system.by_name else folder

    def _mounts(self, pool_id: str, side: str, parity: bool = False) -> list[dict[str, str]]:
        """What has to be mounted for a pool to be there, so that nothing fills the root disk.

        Without one of its disks a tree shows what is left, and a copy of that would carry the loss over.
        What has died of the parity keeps no copy waiting; only `parity` itself needs all.
        """
        pool, name = self.index.pools[pool_id], self.pools[pool_id]
        if FILESYSTEMS[pool.filesystem].by_name:
            return [{"side": side, "at": self.roots[pool_id], "zfs": name}]
        every = [v for v in Box(self.plan, pool.host).volumes if v.pool.id == pool_id]
        volumes = [v for v in every if parity or not v.parity]
        if not volumes:
            return [{"side": side, "at": self.roots[pool_id]}]
        mounts = [
            {"side": side, "at": v.folder, **({"uuid": v.uuid} if v.uuid else {})} for v in volumes
        ]
        tree = tree_of(self.index, pool)
        return [*mounts, {"side": side, "at": tree.folder}] if tree else mounts

    def _home(self, dataset: str) -> list[dict[str, str]]:
        """A ZFS dataset that is locked or not mounted looks like an empty folder."""
        home = self.index.pools[self.index.datasets[dataset].pool]
        if not FILESYSTEMS[home.filesystem].by_name:
            return []
        folder = self.homes[dataset]
        name = self._place(folder, home.filesystem, home.host)
        return [{"side": "source", "at": folder, "zfs": name, "for": folder}]

    def _received(self, job: Job, dataset: str) -> list[dict[str, str]]:
        """So does a copy that ZFS received: a start mounts it, or whoever reads it before that."""
        copy = self.copies.get((job.reads_from or "", dataset))
        before = self.index.jobs.get(job.reads_from or "")
        pool = self.index.pools.get(before.target_pool or "") if before else None
        if not copy or not before or not pool or not KINDS[before.kind].snapshots:
            return []
        if not FILESYSTEMS[pool.filesystem].by_name:
            return []
        name = self._place(copy, pool.filesystem, pool.host)
        return [{"side": "source", "at": copy, "zfs": name, "for": copy, "received": "yes"}]

    def _at_hand(self, job: Job) -> Iterator[dict[str, str]]:
        """What has to be mounted on this box before a tool of one's own starts: it asks nobody.

        An empty folder is a state to it like any other: a point of nothing, night after night, until the
        retention has let the last good one go.
        """
        source = self._source_pool(job)
        for pool in dict.fromkeys((source, job.target_pool)):
            told = self.index.pools.get(pool or "")
            # A bare array is mounted nowhere: whoever uses it has made something on it.
            if told and told.host == self.host and not FILESYSTEMS[told.filesystem].bare:
                yield from self._mounts(told.id, "here")
        if job.reads_from and source and self.index.pools[source].host == self.host:
            for dataset in job.datasets:
                for m in self._received(job, dataset):
                    yield {k: v for k, v in m.items() if k != "for"} | {"side": "here"}
        for dataset in () if job.reads_from else job.datasets:
            if self.index.pools[self.index.datasets[dataset].pool].host == self.host:
                home = self._home(dataset)
                yield from ({"side": "here", "at": m["at"], "zfs": m["zfs"]} for m in home)

    def _within(self, dataset: str) -> list[str]:
        """Folders of other datasets inside its own: they travel by jobs of their own, or not at all."""
        at = self.homes[dataset] + "/"
        inside = sorted(f.removeprefix(at) for f in self.homes.values() if f.startswith(at))
        return [f for f in inside if not any(f.startswith(f"{g}/") for g in inside)]

    def _far(self, other: str | None) -> dict[str, Any]:
        """How the other end is reached; nothing where it is this box itself."""
        if other is None or other == self.host:
            return {}
        return {"peer": meeting(self.index.hosts[self.host], self.index.hosts[other]).at}

    # -- what travels ----------------------------------------------------------------------------

    def _carried(self, job: Job) -> dict[str, Any]:
        """Pairs of folders, from and to, and how they travel."""
        assert job.target_pool  # the plan is consistent
        target = self.index.pools[job.target_pool]
        sent = KINDS[job.kind].snapshots
        system = target.filesystem if sent else "none"
        from_host = source_host(self.index, job)
        pulls = target.host == self.host
        carried: dict[str, Any] = {
            "filesystem": system,
            "pairs": [
                [
                    self._place(self._from(job, d), system, from_host or target.host),
                    self._place(self.copies[job.id, d], system, target.host),
                ]
                for d in job.datasets
            ],
            "resumable": job.resumable,
            **self._far(from_host if pulls else target.host),
        }
        if pulls and "peer" in carried:
            carried["pulls"] = True
        if not (sent and FILESYSTEMS[system].by_name):
            source = self._source_pool(job)
            carried["mounted"] = [*self._mounts(source, "source")] if source else []
            if not sent and not job.reads_from:
                carried["mounted"] += [m for d in job.datasets for m in self._home(d)]
            if not sent and job.reads_from:
                carried["mounted"] += [m for d in job.datasets for m in self._received(job, d)]
            if not job.lands_in:
                carried["mounted"] += self._mounts(job.target_pool, "target")
        if job.lands_in:
            module = module_of(self.index, job, self.homes)
            if module:
                carried["module"] = {"url": module.url, "path": module.path}
            carried.pop("peer", None)
        if encrypted_at_source(self.index, job):
            carried["encrypted"] = True
        if sent and (job.reads_from, job.datasets[0]) in self.copies:
            carried["brought_by"] = self.names[job.reads_from or ""]
        if not sent and not job.reads_from:
            within = {self.homes[d]: self._within(d) for d in job.datasets}
            if any(within.values()):
                carried["within"] = {place: names for place, names in within.items() if names}
        if job.limit_mbit:
            carried["limit_kib_per_s"] = round(job.limit_mbit * 1e6 / 8 / 1024)
        if job.left_out:
            carried["left_out"] = list(job.left_out)
        if job.retention.trash_days:
            carried["trash_days"] = job.retention.trash_days
        return carried

    def _source_pool(self, job: Job) -> str | None:
        if job.reads_from:
            return self.index.jobs[job.reads_from].target_pool
        return self.index.datasets[job.datasets[0]].pool

    def _from(self, job: Job, dataset: str) -> str:
        """What a job reads: another one's copy, or the dataset itself."""
        upstream = (job.reads_from or "", dataset)
        return self.copies.get(upstream, self.homes[dataset])

    def bins(self, datasets: Sequence[str]) -> dict[str, Any]:
        """The bins of the shares of these datasets, those of this box."""
        here = binned(self.index, self.host, datasets)
        kept = {s.dataset: s.recycle_days for s in self.plan.shares if s.recycle_days}
        # A share of homes has a bin in each of them.
        homes = {s.dataset for s in self.plan.shares if s.recycle_days and s.home}
        pools = {self.index.datasets[d].pool: None for d in here}
        mounts = [m for p in pools for m in self._mounts(p, "source")]
        return {
            "bins": [[self.homes[d] + ("/*" if d in homes else ""), kept[d]] for d in here],
            "mounted": mounts + [m for d in here for m in self._home(d)],
        }

    def running_out(self) -> dict[str, list[list[str]]]:
        """Accounts and rights with an end, on a box that serves something: files do not end by themselves."""
        mine = {d.id for d in Box(self.plan, self.host).datasets}
        shares = {s.id: s.name for s in self.plan.shares if s.dataset in mine}
        who = {a.id: a.login for a in self.plan.accounts} | {g.id: g.name for g in self.plan.groups}
        return {
            "accounts": [
                [a.login, a.expires_on.isoformat()]
                for a in self.plan.accounts
                if a.enabled and a.expires_on and a.login not in SYSTEM_NAMES
            ],
            "grants": [
                [
                    g.expires_on.isoformat(),
                    f"the right of {who[g.account or g.group or '']} on {shares[g.share]} ended",
                ]
                for g in self.plan.grants
                if g.expires_on and g.share in shares
            ],
        }

    # -- who looks out for it --------------------------------------------------------------------

    def _mark(self, job: Job) -> str:
        """The file at the target whose time says how new its copy is."""
        above = self.copies[job.id, job.datasets[0]].rpartition("/")[0]
        return f"{above}/.lab-{self.names[job.id]}"

    def _arrival(self, job: Job) -> dict[str, Any]:
        """How the newest point of a job is seen on the box that it lies on."""
        arrival: dict[str, Any] = {"job": self.names[job.id]}
        kind = KINDS[job.kind]
        if kind.snapshots:
            sent = not kind.in_place
            pool = job.target_pool or self.index.datasets[job.datasets[0]].pool
            system = self.index.pools[pool].filesystem
            where = self.copies if sent else {(job.id, d): self.homes[d] for d in job.datasets}
            if (job.reads_from, job.datasets[0]) in self.copies:
                arrival["job"] = self.names[job.reads_from or ""]
            arrival |= {
                "filesystem": system,
                "places": [
                    self._place(where[job.id, d], system, self.index.pools[pool].host)
                    for d in job.datasets
                ],
                "received": sent,
            }
        elif kind.keeps_settings and job.target_pool:
            arrival["folder"] = f"{self.roots[job.target_pool]}/{self.names[job.id]}"
        elif job.target_pool and marks_target(self.index, job):
            arrival["mark"] = self._mark(job)
        return arrival

    def _seen(self, job: Job, place: str | None) -> dict[str, Any]:
        """How a follower on this box sees that a job has gone well: at its box, or where it wrote."""
        if place == runs_on(self.index, job):
            return {"job": self.names[job.id], "stamp": "done", **self._far(place)}
        return {**self._arrival(job), **self._far(place)}

    def watched(self) -> Iterator[dict[str, Any]]:
        """Points that this box looks out for, at the place where they should lie.

        The box that runs a job asks the one that it writes to; that one looks itself, for the
        other may have fallen silent; and the one that is pulled from hears of each good run.
        """
        for job in watched_for(self.index, self.host):
            days = {"days": job.alarm_days}
            target, kind = target_host(self.index, job), KINDS[job.kind]
            if kind.by_pc:
                came = [came_mark(self.copies[job.id, d]) for d in job.datasets]
                yield {"job": self.names[job.id], "came": came, **days}
            elif self.host == runs_on(self.index, job):
                if not kind.copies and not kind.keeps_settings:
                    yield {"job": self.names[job.id], "stamp": "done", **days}
                elif kind.by_tool:
                    # Its tool alone can be asked what lies there; without it the job's own word.
                    yield {"job": self.names[job.id], "own": True, **days}
                elif job.lands_in:
                    yield {"job": self.names[job.id], "stamp": "done", **days}
                else:
                    yield {**self._arrival(job), **self._far(target), **days}
            elif self.host == target and marks_target(self.index, job):
                yield {**self._arrival(job), **days}
            else:
                yield {"job": self.names[job.id], "stamp": "heard", **days}
