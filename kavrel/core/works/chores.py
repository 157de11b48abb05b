"""Chores of a host that nobody planned and nothing else would do.

Trash cans of what lands by a module, which lets files in and nothing else; bins of shares, or their
room never comes back; what ends by its date; the mover of a fast tier; parity that is made over
files; scrubs of pools that no job scrubs, on different Sundays.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from kavrel.core.copies.carrier import target_host
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS, jobs_that, scrubbed
from kavrel.core.plan import Job, Pool, Schedule
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.parts import has_tier
from kavrel.core.shares.names import SYSTEM_NAMES, job_names, pool_names
from kavrel.core.works.work import Work

ChoreKind = Literal["trash", "bin", "expiry", "mover", "parity", "scrub"]


@dataclass(frozen=True)
class ChoreRuns(Work):
    """A chore by the name that the host's script knows it by; of a job, a pool, or the datasets told."""

    fields = ("pools.standing",)

    kind: ChoreKind
    name: str
    title: str
    schedule: Schedule
    job: Job | None = None
    pool: Pool | None = None
    datasets: tuple[str, ...] = ()


def chore_works(index: Index, host: str) -> Iterator[ChoreRuns]:
    """The chores of a host, each with a name that no job of the plan has."""
    taken = set(job_names(index.plan).values())
    for wanted, title, schedule, kind, job, pool, datasets in _chores(index, host):
        name = wanted
        while name in taken:
            name += "-2"
        taken.add(name)
        about = ("jobs", job.id) if job else ("pools", pool.id) if pool else ("hosts", host)
        makes = tuple(("datasets", d) for d in datasets) or (about,)
        yield ChoreRuns(
            f"job/{name}", title, makes, ("night",), f"lab-job --show {name}",
            f"systemctl disable --now lab-{name}.timer", "",
            kind=kind, name=name, title=title, schedule=schedule, job=job, pool=pool,
            datasets=datasets,
        )  # fmt: skip


_Chore = tuple[str, str, Schedule, ChoreKind, Job | None, Pool | None, tuple[str, ...]]


def _chores(index: Index, host: str) -> Iterator[_Chore]:
    plan, names, pools = index.plan, job_names(index.plan), pool_names(index.plan)
    for job in plan.jobs:
        if _emptied_there(job) and target_host(index, job) == host:
            yield (
                f"{names[job.id]}-trash", f"trash cans of {job.name}", _daily("04:50"), "trash",
                job, None, (),
            )  # fmt: skip
    planned = {d for j in jobs_that(index, lambda kind: kind.empties_bins) for d in j.datasets}
    bins = binned(index, host, [s.dataset for s in plan.shares if s.dataset not in planned])
    if bins:
        yield "upkeep-bins", "bins of shares", _daily("04:40"), "bin", None, None, bins
    if _ends(index, host):
        title = "what runs out by its date"
        yield "upkeep-expiry", title, _daily("00:05"), "expiry", None, None, ()
    moved = {j.pool for j in jobs_that(index, lambda kind: kind.moves_tier)}
    mine = [p for p in plan.pools if p.host == host]
    for pool in mine:
        hour, name = FAMILIES[pool.family].parity_at, pools[pool.id]
        if has_tier(pool) and pool.id not in moved:
            title = f"mover of pool {pool.name}"
            yield f"upkeep-mover-{name}", title, _daily(pool.mover_at), "mover", None, pool, ()
        if hour:
            title = f"parity of pool {pool.name}, brought up to date"
            yield f"upkeep-parity-{name}", title, _daily(hour), "parity", None, pool, ()
    looked_after = scrubbed(index)
    for number, pool in enumerate(mine):
        # Wanted ones too: the bundle that makes a pool brings what starts by itself.
        if pool.id not in looked_after and _can_be_checked(pool):
            title = f"scrub of pool {pool.name}, about every three months"
            sunday = Schedule(
                kind="monthly", every=3, nth=1 + number % 4, weekdays=(6,), at="02:00"
            )
            yield f"upkeep-scrub-{pools[pool.id]}", title, sunday, "scrub", None, pool, ()


def _daily(at: str) -> Schedule:
    return Schedule(kind="daily", at=at)


def _emptied_there(job: Job) -> bool:
    """Whether the trash can of a job is emptied by the far box: a module lets in files alone."""
    return bool(job.lands_in and job.retention.trash_days and not KINDS[job.kind].by_tool)


def binned(index: Index, host: str, datasets: Sequence[str]) -> tuple[str, ...]:
    """Of these datasets those on the host whose share has a bin."""
    kept = {s.dataset for s in index.plan.shares if s.recycle_days}
    return tuple(
        d
        for d in dict.fromkeys(datasets)
        if d in kept and index.pools[index.datasets[d].pool].host == host
    )


def _ends(index: Index, host: str) -> bool:
    """Whether an account or a right ends by a date on a host that serves something."""
    plan = index.plan
    mine = {d.id for d in plan.datasets if index.pools[d.pool].host == host}
    shares = {s.id for s in plan.shares if s.dataset in mine}
    if not shares and not any(e.dataset in mine for e in plan.exports):
        return False
    return any(
        a.enabled and a.expires_on and a.login not in SYSTEM_NAMES for a in plan.accounts
    ) or any(g.expires_on and g.share in shares for g in plan.grants)


def _can_be_checked(pool: Pool) -> bool:
    """Whether a scrub finds anything: by checksums, or by comparing what redundancy there is."""
    family = FAMILIES[pool.family]
    compared = family.md_level not in ("", "0") or family.cuts or family.parity_at
    return FILESYSTEMS[pool.filesystem].checksums or bool(compared)
