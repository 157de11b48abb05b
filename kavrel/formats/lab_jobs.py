"""What each host runs: which jobs are whose, and the file that the script lab-job reads.

The script itself is `hostside/lab_job.py`, the same for every host; what it does follows from the
plan alone. Copies lie at /srv/POOL/JOB/DATASET of the target.
"""

import json
from collections.abc import Sequence
from importlib.resources import files
from typing import Any

from kavrel.core.copies.kinds import KINDS
from kavrel.core.index import Index
from kavrel.core.plan import Host, Job, Plan
from kavrel.core.shares.names import copy_folders, folders, job_names, pool_names


def runs_on(plan: Plan, job: Job) -> str | None:
    """The host that starts a job: the far one where it pulls, None where a person does it."""
    index = Index(plan)
    if KINDS[job.kind].by_hand:
        return None
    if job.host:
        return job.host
    if job.credentials == "target" and job.target_pool:
        return index.pools[job.target_pool].host
    if job.pool:
        return index.pools[job.pool].host
    return _source_host(index, job)


def _source_host(index: Index, job: Job) -> str | None:
    """The host that has what a job reads."""
    if job.reads_from:
        source = index.jobs[job.reads_from]
        if source.target_pool:
            return index.pools[source.target_pool].host
    return index.pools[index.datasets[job.datasets[0]].pool].host if job.datasets else None


def hosts_with_jobs(plan: Plan) -> Sequence[str]:
    """Hosts that start a job, in plan order."""
    busy = {runs_on(plan, j) for j in plan.jobs}
    return [h.id for h in plan.hosts if h.id in busy]


def jobs_on(plan: Plan, host: str) -> list[Job]:
    """The jobs that a host starts."""
    return [j for j in plan.jobs if runs_on(plan, j) == host]


def script() -> str:
    """The script lab-job, as it is put on every host."""
    return (files("kavrel.formats.hostside") / "lab_job.py").read_text(encoding="utf-8")


def lab_jobs(plan: Plan, host: str, origin: str) -> str:
    """/etc/lab-jobs.json of one host."""
    names = job_names(plan)
    teller = _Teller(plan, host)
    told = {
        "host": Index(plan).hosts[host].name,
        "written_from": origin,
        "zone": plan.zone,
        "jobs": {names[j.id]: teller.told(j) for j in jobs_on(plan, host)},
    }
    return json.dumps(told, indent=1, ensure_ascii=False) + "\n"


class _Teller:
    """Tells a host about its jobs."""

    def __init__(self, plan: Plan, host: str) -> None:
        self.index, self.host = Index(plan), host
        self.homes, self.copies = folders(plan), copy_folders(plan)
        self.pools, self.names = pool_names(plan), job_names(plan)

    def told(self, job: Job) -> dict[str, Any]:
        """All that the script has to know of a job."""
        found: dict[str, Any] = {"kind": job.kind, "title": KINDS[job.kind].title}
        if job.alarm_days is not None:
            found["alarm_days"] = job.alarm_days
        if KINDS[job.kind].copies or job.kind == "config":
            found["retention"] = job.retention.model_dump(mode="json", exclude_defaults=True)
        if job.pool:
            found |= self._pool(job.pool)
        if job.kind == "snapshot":
            found |= self._pool(self.index.datasets[job.datasets[0]].pool)
            found["sets"] = [self._place(self.homes[d], found["filesystem"]) for d in job.datasets]
        elif job.kind in ("replication", "mirror", "folder_mirror"):
            found |= self._carried(job)
        elif job.kind == "config" and job.target_pool:
            found |= self._far(self.index.pools[job.target_pool].host)
            found["folder"] = f"/srv/{self.pools[job.target_pool]}/{self.names[job.id]}"
            found["paths"] = ["etc"]
        elif job.kind in ("smart_short", "smart_long") and job.pool:
            pool = self.index.pools[job.pool]
            ids = (*pool.disks, *pool.spares, *pool.tier)
            found["serials"] = [s for d in ids if (s := self.index.disks[d].serial)]
        elif job.kind == "bin":
            found["bins"] = [
                [self.homes[s.dataset], s.recycle_days]
                for s in self.index.plan.shares
                if s.recycle_days and s.dataset in job.datasets
            ]
        return found

    def _pool(self, pool: str) -> dict[str, Any]:
        return {"pool": self.pools[pool], "filesystem": self.index.pools[pool].filesystem}

    @staticmethod
    def _place(folder: str, filesystem: str) -> str:
        """A folder as the snapshot tools of its file system name it."""
        return folder.removeprefix("/srv/") if filesystem == "zfs" else folder

    def _far(self, other: str | None) -> dict[str, Any]:
        """How the other end is reached; nothing where it is this box itself."""
        if other is None or other == self.host:
            return {}
        return {"peer": _reached(self.index.hosts[other])}

    def _carried(self, job: Job) -> dict[str, Any]:
        """Pairs of folders, from and to, and how they travel."""
        assert job.target_pool  # the plan is consistent
        target = self.index.pools[job.target_pool]
        system = target.filesystem if job.kind == "replication" else "none"
        pulls = target.host == self.host
        found: dict[str, Any] = {
            "filesystem": system,
            "pairs": [
                [
                    self._place(self._from(job, d), system),
                    self._place(self.copies[job.id, d], system),
                ]
                for d in job.datasets
            ],
            "resumable": job.resumable,
            **self._far(_source_host(self.index, job) if pulls else target.host),
        }
        if pulls and "peer" in found:
            found["pulls"] = True
        if job.kind == "replication" and (job.reads_from, job.datasets[0]) in self.copies:
            found["brought_by"] = self.names[job.reads_from or ""]
        if job.limit_mbit:
            found["limit_kib_per_s"] = round(job.limit_mbit * 1e6 / 8 / 1024)
        if job.left_out:
            found["left_out"] = list(job.left_out)
        if job.retention.trash_days:
            found["trash_days"] = job.retention.trash_days
        return found

    def _from(self, job: Job, dataset: str) -> str:
        """What a job reads: another one's copy, or the dataset itself."""
        upstream = (job.reads_from or "", dataset)
        return self.copies.get(upstream, self.homes[dataset])


def _reached(host: Host) -> str:
    """The address that both ends use: the overlay's, else the fixed one, else the name."""
    return host.vpn_address or host.address or host.name
