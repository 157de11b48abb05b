"""Where tools of one's own keep what they make: the folder on the box where it lands, and whose it is.

What Kavrel's own script copies makes its folders itself. A tool is told a place, and one that anybody else
can write to is no place for what is to survive everybody else.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from kavrel.core.copies.carrier import target_host
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Job
from kavrel.core.shares.names import SYSTEM_NAMES, copy_folders, folders
from kavrel.core.shares.protocols import PROTOCOLS
from kavrel.core.works.work import Work

ROOT = "root"


@dataclass(frozen=True)
class RepositoryThere(Work):
    """A repository's folder, open to its user alone: root, or the account that signs in to write it."""

    fields = (
        "jobs.name",
        "jobs.kind",
        "jobs.target_pool",
        "jobs.lands_in",
        "jobs.lands_as",
        "jobs.datasets",
    )

    job: Job
    folder: str
    user: str
    pool: str


def repository_works(index: Index, host: str) -> Iterator[RepositoryThere]:
    """One for each job of a tool whose files land on a box that takes our script."""
    plan, places, paths = index.plan, copy_folders(index.plan), folders(index.plan)
    if index.hosts[host].closed:
        return
    exports = {e.id: e for e in plan.exports}
    for job in plan.jobs:
        kind = KINDS[job.kind]
        if not (kind.by_tool and kind.copies and job.target_pool and job.datasets):
            continue
        export = exports.get(job.lands_in or "")
        # Objects lie as the server of the buckets has them; who has no account comes with any number.
        if export and (PROTOCOLS[export.protocol].gives != "files" or not job.lands_as):
            continue
        if target_host(index, job) != host:
            continue
        folder = places[job.id, job.datasets[0]].rpartition("/")[0]
        user = index.accounts[job.lands_as].login if export and job.lands_as else ROOT
        if user in SYSTEM_NAMES and user != ROOT:
            continue
        above = f"folder/{paths[export.dataset]}" if export else ""
        yield RepositoryThere(
            f"repository/{folder}", f"place of {job.name} ({kind.title}), of {user} alone", (("jobs", job.id),),
            tuple(key for key in (above, f"account/{user}" if user != ROOT else "") if key),
            f"stat -c '%U %a' {folder}", f"mv {folder} {folder}.old", "",
            job=job, folder=folder, user=user, pool=job.target_pool,
        )  # fmt: skip
