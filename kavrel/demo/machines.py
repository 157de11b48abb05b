"""What the machines of a lab would print if they were as planned: looks for the demo, and for trying.

The listings are in the words of the tools, as lab-look gathers them, for pools that make themselves
of whole disks. `Twist` changes what one machine shows, so that it is not as planned.
"""

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.carrier import LOOKS_EVERY_MINUTES, runs_on
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Dataset, Disk, Job, Plan, Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.quantities import DAY
from kavrel.core.seen.machine import LISTED
from kavrel.core.shares.names import (
    copy_folders,
    folders,
    job_names,
    pool_names,
    pool_roots,
    zfs_namer,
)
from kavrel.core.works.chores import chore_works
from kavrel.core.works.folders import folder_works
from kavrel.core.works.jobs import JobRuns, job_works
from kavrel.formats.lab_jobs import hosts_with_jobs, lab_jobs
from kavrel.formats.looks.scripts import ASKED, FOLDER, KIND, sums
from kavrel.formats.servers.files import nftables_conf
from kavrel.formats.timers import on_calendar
from kavrel.rig import as_planned
from kavrel.rig.smart.document import document

STAMP = "%Y%m%dT%H%M%SZ"


@dataclass(frozen=True)
class Twist:
    """What is not as planned: readings by disk, quotas by dataset, disks that are gone or more, and so on.

    `silent_days` by job: no point and no good run for so long; `failed` runs with what they said, and
    `tried` restores; `filled` is the share of its planned size that a dataset has; `off` are timers
    switched off, `at` is what a job's timer says that was put there for an older plan; `ups` is what its
    UPS says of itself, `ports` listen beside those of the plan, `lists` are entries by dataset that
    nobody planned.
    """

    readings: Mapping[str, Mapping[str, int]] = field(default_factory=dict)
    quotas: Mapping[str, int] = field(default_factory=dict)
    gone: frozenset[str] = frozenset()
    more: tuple[tuple[str, int], ...] = ()
    silent_days: Mapping[str, float] = field(default_factory=dict)
    failed: Mapping[str, str] = field(default_factory=dict)
    filled: Mapping[str, float] = field(default_factory=dict)
    off: frozenset[str] = frozenset()
    at: Mapping[str, str] = field(default_factory=dict)
    tried: Mapping[str, str] = field(default_factory=dict)
    ups: str = ""
    ports: tuple[int, ...] = ()
    lists: Mapping[str, tuple[str, ...]] = field(default_factory=dict)


class Stand:
    """One host of a lab at one moment."""

    def __init__(self, book: CopyBook, host: str, at: datetime, twist: Twist) -> None:
        self.book, self.index, self.host, self.at, self.twist = book, book.index, host, at, twist
        plan = self.index.plan
        self.moment = at.timestamp()
        self.names, self.pools, self.roots = job_names(plan), pool_names(plan), pool_roots(plan)
        self.homes, self.copies = folders(plan), copy_folders(plan)
        self.zfs = zfs_namer(plan, host)
        self.mine = [p for p in plan.pools if p.host == host and p.standing]
        self.disks = [d for d in plan.disks if d.host == host and d.id not in twist.gone]

    def look(self) -> bytes:
        """The document."""
        rows = [
            {"listing": listing, "asked": asked, "code": 0, "said": said}
            for listing, asked, said in self.listings()
        ]
        document = {
            "lab-look": 1,
            "host": self.index.hosts[self.host].name,
            "at": self.at.astimezone(UTC).isoformat(timespec="seconds"),
            "root": True,
            "listings": rows,
            "unseen": [],
        }
        return json.dumps(document).encode()

    def listings(self) -> Iterator[tuple[str, str, str]]:
        """Listing after listing."""
        yield "lsblk", "lsblk -J -b -O", json.dumps({"blockdevices": list(self._blocks())})
        for n, disk in enumerate(self.disks):
            told = self.twist.readings.get(disk.id, {})
            words = ["-j", "-a", "-l", "ssd", _device(n)]
            smart = as_planned.smart(disk, _device(n), n, self.moment, told)
            said = json.dumps(document(smart, words, wear=True))
            yield "smartctl", f"smartctl {' '.join(words)}", said
        able = [p for p in self.mine if FILESYSTEMS[p.filesystem].by_name]
        yield "zpool-status", "zpool status -P", "\n".join(self._status(p) for p in able)
        yield (
            "zpool-get",
            "zpool get -Hp ashift",
            "".join(f"{self.pools[p.id]}\tashift\t{p.ashift}\tlocal\n" for p in able),
        )
        yield "zfs-list", "zfs list -Hp", "\n".join(self._sets(able))
        yield "zfs-snapshots", "zfs list -Hp -t snapshot", "\n".join(self._points())
        if far := as_planned.over_nfs(self.index, self.host):
            yield "findmnt", "findmnt -J -b", json.dumps({"filesystems": far})
        yield "meminfo", "/proc/meminfo", as_planned.memory(self.index, self.host)
        yield "ip-addr", "ip -j addr", as_planned.addresses(self.index, self.host)
        yield "timers", "systemctl show *.timer", "\n\n".join(self._timers())
        if self.host in hosts_with_jobs(self.index.plan):
            lines = [f"{right}  {FOLDER}/{name}\n" for name, right in sums().items()]
            yield KIND, ASKED, "".join(lines)
            yield "lab-jobs.json", "/etc/lab-jobs.json", lab_jobs(self._put_there(), self.host, "r")
        yield "lab-job-points", "lab-job points", json.dumps({"points": self._done()})
        for job in self._mine():
            if KINDS[job.kind].by_tool and KINDS[job.kind].copies:
                asked = f"/usr/local/lib/lab-job.d/{self.names[job.id]}.points"
                yield "points", asked, json.dumps(self._there(job))
        if battery := as_planned.supply(self.index, self.host, self.twist.ups):
            yield "ups-names", "upsc -l", "ups\n"
            yield "ups", "upsc ups", battery
        if not self.index.hosts[self.host].closed:
            yield "nft", "nft list ruleset", nftables_conf(self.index.plan, self.host, "r")
            for asked, limits in as_planned.account_limits(self.index, self.host):
                yield "userspace", asked, limits
            given = "".join(f"{line}\n" for line in as_planned.targets(self.index, self.host))
            yield "targets", "/sys/kernel/config/target", given
        open_ports = as_planned.ports(self.index, self.host, self.twist.ports)
        yield "ss", "ss -Hlntu", "\n".join(open_ports)
        for work in folder_works(self.index, self.host, self.at.date()):
            more = self.twist.lists.get(work.makes[0][1], ())
            yield "getfacl", f"getfacl -p {work.folder}", as_planned.access(work, more)
        for run in self._runs():
            yield "run", "/var/lib/lab-job/runs/1.json", json.dumps(run)

    # -- disks -------------------------------------------------------------------------------------

    def _blocks(self) -> Iterator[dict[str, Any]]:
        for n, disk in enumerate(self.disks):
            yield _block(_device(n), disk.serial, disk.capacity_bytes, disk)
        for n, (serial, size) in enumerate(self.twist.more, len(self.disks)):
            yield _block(_device(n), serial, size, None)

    # -- pools and data ----------------------------------------------------------------------------

    def _status(self, pool: Pool) -> str:
        name, order = self.pools[pool.id], [d.id for d in self.disks]
        word = FAMILIES[pool.family].vdev_word
        lost = any(d in self.twist.gone for d in pool.disks)
        state = "DEGRADED" if lost else "ONLINE"
        rows = [f"\t{name}  {state}  0 0 0"]
        for n, group in enumerate(pool.groups):
            rows += [f"\t  {word}-{n}  {state}  0 0 0"] if word else []
            for d in group:
                if d in self.twist.gone:
                    rows.append(
                        f"\t    1234567890123456789  UNAVAIL  0 0 0  was /dev/disk/by-id/ata-{d}"
                    )
                else:
                    rows.append(
                        f"\t{'    ' if word else '  '}{_device(order.index(d))}1  ONLINE  0 0 0"
                    )
        if pool.spares:
            rows.append("\tspares")
            rows += [f"\t  {_device(order.index(d))}1  AVAIL" for d in pool.spares if d in order]
        shown = "\n".join(rows)
        head = f"  pool: {name}\n state: {state}\nconfig:\n\n\tNAME  STATE  READ WRITE CKSUM"
        return f"{head}\n{shown}\n\nerrors: No known data errors\n"

    def _sets(self, pools: list[Pool]) -> Iterator[str]:
        for pool in pools:
            locked = "aes-256-gcm" if pool.encrypted else "off"
            here = [d for d in self.index.plan.datasets if d.pool == pool.id]
            used = 10**9 + sum(self._used(d) for d in here)
            free = max(self.book.states[pool.id].layout.usable_bytes - used, 0)
            name, root = self.pools[pool.id], self.roots[pool.id]
            yield _row(name, used, 10**9, free, 0, 0, 128, "lz4", locked, root)
            for dataset in here:
                yield self._set(dataset, pool, free)

    def _used(self, dataset: Dataset) -> int:
        return int(dataset.size_bytes * self.twist.filled.get(dataset.id, 1.0))

    def _set(self, dataset: Dataset, pool: Pool, free: int) -> str:
        used = self._used(dataset)
        quota = self.twist.quotas.get(dataset.id, dataset.quota_bytes or 0)
        locked = "aes-256-gcm" if dataset.encrypted or pool.encrypted else "off"
        folder = self.homes[dataset.id]
        record = dataset.record_kib or pool.record_kib
        return _row(
            self.zfs(folder),
            used,
            used,
            free,
            quota,
            dataset.reserve_bytes,
            record,
            dataset.compression,
            locked,
            folder,
        )

    # -- jobs --------------------------------------------------------------------------------------

    def _there(self, job: Job) -> list[float]:
        """Points that are there now: the planned ones, less those of its silence."""
        silent = self.moment - self.twist.silent_days.get(job.id, 0.0) * DAY
        points = self.book.points_at(job, self.moment)
        return [p.data_time for p in points if p.data_time <= silent]

    def _points(self) -> Iterator[str]:
        for job in self.index.plan.jobs:
            kind = KINDS[job.kind]
            if not kind.snapshots or not (job.target_pool or kind.in_place):
                continue
            for dataset in job.datasets:
                pool = self.index.pools[job.target_pool or self.index.datasets[dataset].pool]
                if pool.host != self.host or pool.id not in {p.id for p in self.mine}:
                    continue
                place = self.zfs(self.copies.get((job.id, dataset), self.homes[dataset]))
                for moment in self._there(job):
                    stamp = datetime.fromtimestamp(moment, UTC).strftime(STAMP)
                    yield f"{place}@lab-{self.names[job.id]}-{stamp}\t0\t{int(moment)}"

    def _mine(self) -> list[Job]:
        return [j for j in self.index.plan.jobs if runs_on(self.index, j) == self.host]

    def _done(self) -> dict[str, dict[str, list[float]]]:
        done: dict[str, dict[str, list[float]]] = {}
        for job in self._mine():
            times = self._there(job) if KINDS[job.kind].copies else [self.moment - DAY]
            done[self.names[job.id]] = {"": times[-1:]}
            if KINDS[job.kind].trash and job.retention.trash_days:
                done[self.names[job.id]][LISTED] = times
        return done

    def _runs(self) -> Iterator[dict[str, Any]]:
        for job in self._mine():
            if KINDS[job.kind].copies:
                for moment in self._there(job)[-3:]:
                    yield self._run(job, moment, "ok", "")
            if job.id in self.twist.tried:
                run = self._run(job, self.moment - DAY / 3, "ok", self.twist.tried[job.id])
                yield {**run, "job": f"try-{run['job']}"}
            if job.id in self.twist.failed:
                yield self._run(job, self.moment - DAY / 4, "failed", self.twist.failed[job.id])

    def _run(self, job: Job, moment: float, result: str, said: str) -> dict[str, Any]:
        long = 40.0 + 7 * (len(job.name) % 9)
        kind = KINDS[job.kind]
        data = [self.index.datasets[d] for d in job.datasets]
        # What lab-job sends or mirrors by itself it counts; a tool of one's own tells nothing.
        counts = job.target_pool and (kind.snapshots or kind.trash)
        carried = sum(d.change_bytes_per_day for d in data) if counts and result == "ok" else None
        return {
            **({} if carried is None else {"bytes": carried}),
            "job": self.names[job.id],
            "began": moment,
            "ended": moment + long,
            "result": result,
            "said": said,
        }

    def _put_there(self) -> Plan:
        """The plan of the time when timers and the script's file were put into their places."""
        plan = self.index.plan
        jobs = []
        for job in plan.jobs:
            at = self.twist.at.get(job.id, job.schedule.at)
            jobs.append(
                job.model_copy(update={"schedule": job.schedule.model_copy(update={"at": at})})
            )
        return plan.model_copy(update={"jobs": tuple(jobs)})

    def _timers(self) -> Iterator[str]:
        plan, today = self._put_there(), self.at.date()
        jobs = {j.id: j for j in plan.jobs}
        units = [
            (self.names[w.job.id], jobs[w.job.id].schedule)
            for w in job_works(self.index, self.host)
            if isinstance(w, JobRuns) and not w.by_hand
        ]
        units += [(w.name, w.schedule) for w in chore_works(self.index, self.host)]
        for name, schedule in units:
            off = name in {self.names[j] for j in self.twist.off}
            looks = f"*-*-* *:00/{LOOKS_EVERY_MINUTES}:00"
            after = schedule.kind == "after"
            calendar = looks if after else on_calendar(schedule, plan.zone, today)[0]
            yield (
                f"Id=lab-{name}.timer\nUnit=lab-{name}.service\n"
                f"TimersCalendar={{ OnCalendar={calendar} ; next_elapse=n/a }}\n"
                f"ActiveState={'inactive' if off else 'active'}\n"
                f"UnitFileState={'disabled' if off else 'enabled'}\nLastTriggerUSec="
            )


def _device(number: int) -> str:
    return (
        f"/dev/sd{chr(ord('a') + number)}"
        if number < 26
        else f"/dev/sda{chr(ord('a') + number - 26)}"
    )


def _block(path: str, serial: str, size: int, disk: Disk | None) -> dict[str, Any]:
    name = path.removeprefix("/dev/")
    part = {"name": f"{name}1", "path": f"{path}1", "type": "part", "size": size - 2**20}
    kind = disk.kind if disk else "hdd"
    sector = disk.sector if disk else "512e"
    return {
        "name": name,
        "path": path,
        "type": "disk",
        "size": size,
        "serial": serial,
        "rota": kind == "hdd",
        "tran": "nvme" if kind == "nvme" else "sata",
        "log-sec": 4096 if sector == "4kn" else 512,
        "phy-sec": 512 if sector == "512n" else 4096,
        "children": [part] if disk else [],
    }


def _row(
    name: str, used: int, own: int, free: int, quota: int, kept: int, record: int, packed: str,
    locked: str, folder: str,
) -> str:  # fmt: skip
    cells = (
        name, "filesystem", used, own, free, quota, kept, record * 1024, packed, locked, "-",
        folder, "yes",
    )  # fmt: skip
    return "\t".join(map(str, cells))
