"""What runs at night on a host: jobs, the chores that nobody planned, and what both need to be there.

Kavrel's script does what the system's own tools can. What needs a tool of one's own, a way in for root,
a secret, or somebody who reads the mail, is done by hand once, and said here.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from kavrel.core.bench.meeting import meeting
from kavrel.core.copies.carrier import (
    closed_off,
    job_ways,
    never_starts,
    runs_on,
    shut_out,
    source_host,
    target_host,
    watchers,
)
from kavrel.core.copies.keys import key_of
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Host, Job
from kavrel.core.schedule import in_words
from kavrel.core.shares.names import copy_folders, folders, job_names
from kavrel.core.works.chores import chore_works
from kavrel.core.works.work import Work

SCRIPT = "/usr/local/sbin/lab-job"
UNITS = "/etc/systemd/system"
OWN = "/usr/local/lib/lab-job.d"
SECRETS = "/etc/lab-job.d"


@dataclass(frozen=True)
class JobRuns(Work):
    """A job that its host starts."""

    fields = (
        "jobs.name",
        "jobs.kind",
        "jobs.datasets",
        "jobs.host",
        "jobs.schedule",
        "jobs.after",
        "jobs.window_from",
        "jobs.window_to",
        "jobs.catch_up",
        "jobs.retention",
        "jobs.left_out",
        "jobs.left_out_share",
        "jobs.first_copy",
        "jobs.first_on",
        "jobs.limit_mbit",
        "jobs.resumable",
        "jobs.alarm_days",
    )

    job: Job


@dataclass(frozen=True)
class ToolOfOwn(Work):
    """A script of the administrator's that does a job which the system's own tools do not."""

    fields = (
        "jobs.kind",
        "jobs.reads_from",
        "jobs.target_bucket",
        "jobs.lands_in",
        "jobs.encrypted",
        "jobs.key_kept_at",
        "jobs.credentials",
    )

    job: Job


@dataclass(frozen=True)
class RootLetIn(Work):
    """Root of this host signs in on another by its key, without a question."""

    fields = ("jobs.target_pool", "jobs.credentials")

    job: Job
    other: str


@dataclass(frozen=True)
class SecretKept(Work):
    """A password that a job signs in with, in a file of its own."""

    fields = ("jobs.lands_in", "jobs.lands_as")

    job: Job


@dataclass(frozen=True)
class NightRuns(Work):
    """The script, its file and the timers are there. `packages`: what the jobs call."""

    fields = ("jobs.kind",)

    packages: tuple[str, ...]

    @property
    def placed(self) -> tuple[str, ...]:
        """Which file of the bundle goes where."""
        return (
            f"lab-job as {SCRIPT}, mode 755",
            "lab-jobs.json as /etc/lab-jobs.json",
            f"the lab-* units into {UNITS}",
        )

    @property
    def start(self) -> str:
        """The commands that set it going: timers alone, each starts its service."""
        return "systemctl daemon-reload; cd " + UNITS + " && systemctl enable --now lab-*.timer"


@dataclass(frozen=True)
class MailHeard(Work):
    """Mail to root reaches somebody who reads it."""

    fields = ("jobs.alarm_days",)


def job_works(index: Index, host: str) -> Iterator[Work]:
    """Jobs that the host starts, its chores, and what they need; none on firmware of its own."""
    box = index.hosts[host]
    mine = [j for j in index.plan.jobs if runs_on(index, j) == host]
    names = job_names(index.plan)
    runs = [_runs(index, box, j, names[j.id]) for j in mine]
    if box.closed:  # its chores are entered in its page too, see `page`
        yield from runs
        return
    chores = list(chore_works(index, host))
    going = [*(w for w in runs if not w.by_hand), *chores]
    if going or watched_for(index, host):
        yield _night(index, box, mine)
        yield _mail(box)
    yield from runs
    yield from chores
    for job in mine:
        yield from _needs(index, box, job)


def watched_for(index: Index, host: str) -> tuple[Job, ...]:
    """Jobs of which a host says when nothing has come for too long, see `watchers`."""
    return tuple(job for job in index.plan.jobs if host in watchers(index, job))


def _runs(index: Index, box: Host, job: Job, name: str) -> JobRuns:
    kind = KINDS[job.kind]
    left = ""
    if box.personal:
        left = f"{box.name} starts it by its own scheduler: enter what values.txt says of it there"
    elif box.closed:
        left = f"{box.name} has firmware of its own: enter it in its web page, if it can"
    elif off := closed_off(index, job):
        left = off
    elif out := shut_out(index, job):
        left = f"the far end does not let in {out}, from which it would land: name it among the clients"
    elif never_starts(index, job):
        left = "nothing can start it where it stands by the plan: give it a time of its own"
    return JobRuns(
        f"job/{name}", f"{job.name}: {kind.title}, {in_words(job.schedule)}", (("jobs", job.id),),
        ("night",), f"lab-job --show {name}; systemctl list-timers lab-{name}.timer",
        f"systemctl disable --now lab-{name}.timer", left, job=job,
    )  # fmt: skip


def _night(index: Index, box: Host, jobs: list[Job]) -> NightRuns:
    packages = {p for j in jobs for p in KINDS[j.kind].packages}
    for pool in index.plan.pools:
        if pool.host == box.id and FILESYSTEMS[pool.filesystem].package:
            packages.add(FILESYSTEMS[pool.filesystem].package)
    return NightRuns(
        "night", f"what runs at night on {box.name}", (("hosts", box.id),), (),
        "lab-job list; systemctl list-timers 'lab-*'", "systemctl disable --now 'lab-*.timer'", "",
        packages=("python3", *sorted(packages)),
    )  # fmt: skip


def _mail(box: Host) -> MailHeard:
    return MailHeard(
        "mail", f"mail of {box.name}", (("hosts", box.id),), (),
        f"printf 'Subject: tried\\n\\nfrom {box.name}\\n' | sendmail root",
        "take the alias of root away",
        "what fails is mailed to root: install a mail program that brings sendmail, let an alias of root "
        "lead to somebody who reads it, send one and see that it arrives",
    )  # fmt: skip


def _needs(index: Index, box: Host, job: Job) -> Iterator[Work]:
    """What a job needs that no script gives it."""
    if box.closed:
        return
    name, kind = job_names(index.plan)[job.id], KINDS[job.kind]
    makes = (("jobs", job.id),)
    if kind.by_tool and not kind.moves_tier:
        yield ToolOfOwn(
            f"tool/{name}", f"the script of {job.name} on {box.name}", makes, ("night",),
            f"lab-job {name}", f"rm {OWN}/{name}", _tool(index, job), job=job,
        )  # fmt: skip
    for other in sorted(job_ways(index, job)):
        far = index.hosts[other]
        way = meeting(box, far)
        only = f", from {way.seen} alone" if way.seen else ""
        yield RootLetIn(
            f"root/{name}/{other}", f"root of {box.name} on {far.name}", makes, (),
            f"ssh -o BatchMode=yes {way.at} true",
            f"take its line out of root's authorized_keys on {far.name}",
            f"root of {box.name} gets a key of its own and is let in on {far.name}{only}; "
            f"compare the host key; then `ssh {way.at} true` has to end "
            "without a question",
            job=job, other=other,
        )  # fmt: skip
    if job.lands_in and job.lands_as and not kind.by_tool:
        login = index.accounts[job.lands_as].login
        yield SecretKept(
            f"secret/{name}", f"the password of {job.name}", makes, ("night",),
            f"stat -c '%U %a' {SECRETS}/{name}.secret", f"rm {SECRETS}/{name}.secret",
            f"put the password of {login} at the far end into {SECRETS}/{name}.secret, mode 600, root's",
            job=job,
        )  # fmt: skip


def _tool(index: Index, job: Job) -> str:
    """What the administrator's script has to do, in the plan's own figures."""
    kind, plan, name = KINDS[job.kind], index.plan, job_names(index.plan)[job.id]
    reads = ", ".join(folders(plan)[d] for d in job.datasets)
    said = f"put a script into {OWN}/{name}, mode 755: it {kind.does}"
    said += f"; it reads {reads}" if reads and not job.reads_from else ""
    far = source_host(index, job)
    if reads and far not in (None, runs_on(index, job)):
        said += (
            f"; it refuses where that is not mounted on {index.hosts[far or ''].name}: an empty folder is a "
            "state to it like any other, and pushes the good ones out"
        )
    if job.reads_from:
        said += f"; it reads what {index.jobs[job.reads_from].name} left"
    if job.target_bucket:
        said += f"; it writes to bucket {index.buckets[job.target_bucket].name}"
    elif job.lands_in:
        export = next(e for e in plan.exports if e.id == job.lands_in)
        said += f"; it writes through {export.name} of {index.hosts[target_host(index, job) or ''].name}"
        said += f" as {index.accounts[job.lands_as].login}" if job.lands_as else ""
    elif job.target_pool and job.datasets:
        place = copy_folders(plan)[job.id, job.datasets[0]].rpartition("/")[0]
        said += f"; it writes to {place} on {index.hosts[target_host(index, job) or ''].name}"
        far_box = index.hosts[target_host(index, job) or ""]
        made = "make that folder first, for the tool's own account alone"
        said += (
            f": {made}"
            if far_box.closed
            else ", a folder of root's alone that setup.sh makes there"
        )
    key = key_of(index, job)
    if key:
        said += f"; its key is kept at {key.where(index)}, and in no file of this bundle"
    said += (
        f". It ends with 0 only when all went well; {OWN}/{name}.newest prints the moment of its "
    )
    said += (
        f"newest point, and {OWN}/{name}.points those of all of them as JSON: what lab-look cannot "
    )
    said += "list does not count as found"
    return said + ". Run it once by hand, and bring one file back"
