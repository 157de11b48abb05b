"""Which box starts a job, and how one that follows another is started: nothing runs by being drawn.

A job that follows another on the same box stands behind it in one line. On another box it is looked
for: every good run leaves a mark on the box that ran it, and on the box that it wrote to; the
follower looks for that mark where it can see it, on itself or on the box that it reads from or
writes to anyway. Where the two share no box, nothing can carry the start.
"""

from collections.abc import Collection
from dataclasses import dataclass
from typing import Literal

from kavrel.core.bench.meeting import meeting
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.once import once_a_plan
from kavrel.core.plan import Job, Plan
from kavrel.core.pools.families import FAMILIES
from kavrel.core.shares.addresses import is_among
from kavrel.core.shares.protocols import PROTOCOLS

# How often a follower on another box looks whether what it waits for has arrived.
LOOKS_EVERY_MINUTES = 10


def runs_on(index: Index, job: Job) -> str | None:
    """The host that starts a job: the far one where it pulls, None where a person does it."""
    if KINDS[job.kind].by_hand:
        return None
    if job.host:
        return job.host
    if job.credentials == "target" and job.target_pool:
        return index.pools[job.target_pool].host
    if job.pool:
        return index.pools[job.pool].host
    return source_host(index, job)


def source_host(index: Index, job: Job) -> str | None:
    """The host that has what a job reads."""
    if job.reads_from:
        source = index.jobs[job.reads_from]
        if source.target_pool:
            return index.pools[source.target_pool].host
    if job.datasets:
        return index.pools[index.datasets[job.datasets[0]].pool].host
    return job.host


def target_host(index: Index, job: Job) -> str | None:
    """The host that a job writes to; None for a shelf disk, a bucket, or a job that writes nowhere."""
    return index.pools[job.target_pool].host if job.target_pool else None


@dataclass(frozen=True)
class Chain:
    """How a follower is started.

    In the `line` of the job before it; when a mark is `seen` on the host `looked_at`; by a `hand`;
    or by nothing at all (`broken`).
    """

    how: Literal["line", "seen", "hand", "broken"]
    looked_at: str | None = None


def chain(index: Index, job: Job) -> Chain | None:
    """How a job that follows another is started; None for a job with a time of its own."""
    if not job.after:
        return None
    before = index.jobs[job.after]
    mine, theirs = runs_on(index, job), runs_on(index, before)
    if KINDS[job.kind].by_hand:
        return Chain("hand")
    if mine is None or theirs is None:
        return Chain("broken")
    if mine == theirs:
        return Chain("line")
    if index.hosts[mine].closed or index.hosts[theirs].closed:
        return Chain("broken")  # neither leaves a mark nor looks for one
    left_at = (theirs, target_host(index, before) if marks_target(index, before) else None)
    for place in (mine, source_host(index, job), target_host(index, job)):
        if place is not None and place in left_at and not index.hosts[place].closed:
            return Chain("seen", place)
    return Chain("broken")


def marks_target(index: Index, job: Job) -> bool:
    """Whether a good run is seen on the box that it writes to.

    A tool of one's own that comes in by an export may write there and nothing else; and only the script
    leaves marks, where root gets in.
    """
    kind, target = KINDS[job.kind], target_host(index, job)
    if target is None or kind.by_pc or (kind.by_tool and job.lands_in):
        return False
    runner = runs_on(index, job)
    return runner == target or not any(index.hosts[h].closed for h in (runner, target) if h)


def tells_source(index: Index, job: Job) -> bool:
    """Whether the box that is pulled from is told, so that it hears when the other falls silent."""
    mine, theirs = runs_on(index, job), source_host(index, job)
    if job.alarm_days is None or not KINDS[job.kind].copies or theirs in (None, mine):
        return False
    return not any(index.hosts[h].closed for h in (mine, theirs) if h)


def watchers(index: Index, job: Job) -> frozenset[str]:
    """Boxes that say so when nothing has come of a job for too long; none without an alarm.

    Whoever runs it; the box that it writes to, for the other may have fallen silent; and the one that is
    pulled from, which hears of each good run. Of a PC's own copy the box that has the share: the PC
    itself tells nobody, and no box with firmware of its own looks.
    """
    if job.alarm_days is None:
        return frozenset()
    runner, target = runs_on(index, job), target_host(index, job)
    if runner is None:
        return frozenset()
    looking: set[str | None] = {target} if KINDS[job.kind].by_pc else {runner}
    if marks_target(index, job):
        looking.add(target)
    if tells_source(index, job):
        looking.add(source_host(index, job))
    return frozenset(h for h in looking if h is not None and not index.hosts[h].closed)


def heard_days(index: Index, job: Job) -> float | None:
    """Days without a new point after which some box says so; None where none does."""
    return job.alarm_days if watchers(index, job) else None


def leaves_mark(index: Index, job: Job) -> bool:
    """Whether somebody looks for a mark at the target; where there are points, those tell."""
    if not (job.datasets and marks_target(index, job)) or KINDS[job.kind].thins:
        return False
    target = target_host(index, job)
    followers = (chain(index, j) for j in index.plan.jobs if j.after == job.id)
    return job.alarm_days is not None or any(c and c.looked_at == target for c in followers)


@once_a_plan
def root_ways(plan: Plan) -> frozenset[tuple[str, str]]:
    """Pairs of hosts: root of the first signs in as root on the second, for a job needs it.

    The script of the hosts goes by SSH; a tool of one's own has its own account, but the script
    leaves its marks. What lands by an export needs no root.
    """
    ways: set[tuple[str, str]] = set()
    index = Index(plan)
    for job in plan.jobs:
        runner = runs_on(index, job)
        if runner is not None:
            ways |= {(runner, other) for other in job_ways(index, job)}
    return frozenset(ways)


def job_ways(index: Index, job: Job) -> set[str]:
    """Hosts on which root of the one that starts a job signs in as root for it."""
    runner = runs_on(index, job)
    if runner is None:
        return set()
    ends: set[str | None] = set()
    kind = KINDS[job.kind]
    if not (kind.by_tool or kind.by_pc or job.lands_in):
        ends |= {source_host(index, job), target_host(index, job)}
    if tells_source(index, job):
        ends.add(source_host(index, job))
    if leaves_mark(index, job) and not job.lands_in:
        ends.add(target_host(index, job))
    how = chain(index, job)
    if how and how.how == "seen":
        ends.add(how.looked_at)
    return {other for other in ends if other is not None and other != runner}


def reached_from(ways: Collection[tuple[str, str]], host: str) -> set[str]:
    """Hosts that whoever has root on one gets into by these `root_ways`, itself included."""
    reached = {host}
    while more := {b for a, b in ways if a in reached} - reached:
        reached |= more
    return reached


def never_starts(index: Index, job: Job) -> bool:
    """Whether nothing starts a job, or one of those that it follows, or a box could not run it."""
    ahead: Job | None = job
    while ahead:
        how = chain(index, ahead)
        if how and how.how == "broken":
            return True
        if _has_no_points(index, ahead) or shut_out(index, ahead) or closed_off(index, ahead):
            return True
        ahead = index.jobs[ahead.after] if ahead.after else None
    return False


def shut_out(index: Index, job: Job) -> str:
    """The address that a box lands from where the export it lands in does not let it in; empty where it does.

    Of a box without an address nothing is known, and of a client that is named only what its name is.
    """
    export = next((e for e in index.plan.exports if e.id == job.lands_in), None)
    runner, far = runs_on(index, job), target_host(index, job)
    if export is None or runner is None or far is None:
        return ""
    if not PROTOCOLS[export.protocol].uses("clients"):
        return ""
    box = index.hosts[runner]
    seen = meeting(box, index.hosts[far]).seen
    names = {box.name.lower()}
    named = any(c.lower().split(".")[0] in names for c in export.clients)
    return seen if seen and not named and not is_among(seen, export.clients) else ""


def closed_off(index: Index, job: Job) -> str:
    """Why a box with firmware of its own cannot do its part in a job; empty where all boxes can.

    Between boxes the script goes by root's SSH, and such a box has neither a root that signs in elsewhere
    nor one that is let in. Two of them speak to one another by programs of their own.
    """
    kind, runner = KINDS[job.kind], runs_on(index, job)
    if runner is None or kind.by_tool or kind.by_pc or job.lands_in:
        return ""
    ends = {h for h in (runner, source_host(index, job), target_host(index, job)) if h is not None}
    closed = [index.hosts[h] for h in sorted(ends) if index.hosts[h].closed]
    if len(ends) == 1 or not closed:
        return ""
    if len(closed) == len(ends) and not any(box.personal for box in closed):
        return ""
    lands = " and ".join(f"an {p} export" if p == "rsync" else p for p in sorted(kind.lands))
    way = (
        f"let it land in {lands}, sent by the box that has the data"
        if kind.lands
        else "a mirror can land in an rsync export"
    )
    if closed[0].id == source_host(index, job) and closed[0].id != runner:
        way = f"take a backup, of which a tool on {index.hosts[runner].name} reads a share of it; or {way}"
    return f"{kind.named} goes between boxes by root’s SSH, and {closed[0].name} has firmware of its own: {way}"


def _has_no_points(index: Index, job: Job) -> bool:
    """Whether it is about points of a pool that has none as it is laid out: a tree over several."""
    if not KINDS[job.kind].snapshots:
        return False
    homes = {index.datasets[d].pool for d in job.datasets} | ({job.target_pool} - {None})
    pools = [index.pools[p] for p in homes if p]
    return any(p.filesystem not in FAMILIES[p.family].filesystems for p in pools)
