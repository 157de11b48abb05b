"""Where a plan contradicts itself: references to nothing, one bay used twice, circles.

A plan with problems is refused as a whole; each problem names the field and what is right.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from functools import cache
from typing import Any, get_args

from pydantic import BaseModel

from kavrel.core.assumptions import REGISTRY
from kavrel.core.bench.bays import bays, misfit
from kavrel.core.copies.carrier import (
    chain,
    closed_off,
    runs_on,
    shut_out,
    source_host,
    target_host,
)
from kavrel.core.copies.keys import natively_encrypted
from kavrel.core.copies.rules import complaint as rules_complaint
from kavrel.core.copies.rules import keeps_nothing, rules_of
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import LEAST_DATA_BYTES, Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import COLLECTIONS, Disk, Job, Plan, Pool
from kavrel.core.plan.marks import named_in, references, unique_fields
from kavrel.core.pools.families import FAMILIES
from kavrel.core.quantities import size_words
from kavrel.core.schedule import complaint
from kavrel.core.shares.access import access_matrix
from kavrel.core.shares.contradictions import contradictions
from kavrel.core.shares.names import SYSTEM_NAMES, share_name_complaint


@dataclass(frozen=True)
class Problem:
    """Something wrong at `collection` / `item` / `field`, with what would be right.

    `tolerated`: a plan that has it still opens and can be edited, with a caution, for the rule came
    after some plans; no edit brings it in anew.
    """

    collection: str
    item: str
    field: str
    message: str
    tolerated: bool = False


def problems(plan: Plan) -> list[Problem]:
    """All contradictions of a plan, in the order of its collections."""
    said = list(_duplicates(plan))
    said += _references(plan)
    said += _boots(plan)
    said += _calendar(plan)
    if not said:  # the checks below follow references, and reckon with the dates
        said += _sheets(plan)
    return said


# Where a lab's calendar ends: a date beyond is a slip of the keys, and nothing can be reckoned there.
FIRST_DAY, LAST_DAY = date(1970, 1, 1), date(2199, 12, 31)


def _calendar(plan: Plan) -> Iterator[Problem]:
    said = f"a date from {FIRST_DAY.year} to {LAST_DAY.year}"
    for collection in COLLECTIONS:
        for item in getattr(plan, collection):
            for field, day in _dates(item):
                if not FIRST_DAY <= day <= LAST_DAY:
                    yield Problem(collection, item.id, field, said, tolerated=True)


def _dates(item: BaseModel, above: str = "") -> Iterator[tuple[str, date]]:
    for name in _dated(type(item)):
        value = getattr(item, name)
        if isinstance(value, date):
            yield above + name, value
        elif isinstance(value, BaseModel):
            yield from _dates(value, f"{above}{name}.")


@cache
def _dated(model: type[BaseModel]) -> tuple[str, ...]:
    """Fields that can hold a date, or a thing that has such."""
    return tuple(n for n, f in model.model_fields.items() if _can_be_dated(f.annotation))


def _can_be_dated(kind: Any) -> bool:
    if isinstance(kind, type) and issubclass(kind, date):
        return True
    if isinstance(kind, type) and issubclass(kind, BaseModel):
        return bool(_dated(kind))
    return any(_can_be_dated(one) for one in get_args(kind))


def not_carried_out(plan: Plan) -> list[Problem]:
    """What an older plan may have that no box does; the plan is consistent otherwise."""
    return [p for p in (*_pools(plan), *_jobs(plan)) if p.tolerated]


def _duplicates(plan: Plan) -> Iterator[Problem]:
    for collection in COLLECTIONS:
        seen: set[str] = set()
        for item in getattr(plan, collection):
            if item.id in seen:
                yield Problem(collection, item.id, "id", f"the id {item.id} is used twice")
            seen.add(item.id)
    for collection, field in unique_fields():
        taken: dict[str, str] = {}
        for item in getattr(plan, collection):
            text = getattr(item, field)
            # Names that differ in case only are one name to an SMB client and to a reader.
            key = text.casefold()
            if not key:
                continue
            if key in taken:
                yield Problem(
                    collection, item.id, field, f"{field} {text} is already that of {taken[key]}"
                )
            taken.setdefault(key, item.id)


def _boots(plan: Plan) -> Iterator[Problem]:
    disks, index = {d.id: d for d in plan.disks}, Index(plan)
    for host in plan.hosts:
        disk = disks.get(host.boot_disk or "")
        if disk is None:  # nothing, or a reference to nothing
            continue
        if disk.host != host.id:
            said = f"a disk that {host.name} boots from is in {host.name}"
            yield Problem("hosts", host.id, "boot_disk", said)
        elif host.system_bytes is not None and index.data_bytes(disk.id) < LEAST_DATA_BYTES:
            said = f"disk {disk.label} has {size_words(disk.capacity_bytes)}: leave 1 GB of it for data"
            yield Problem("hosts", host.id, "system_bytes", said)


def _references(plan: Plan) -> Iterator[Problem]:
    ids = {name: {item.id for item in getattr(plan, name)} for name in COLLECTIONS}
    for collection, field, target in references():
        for item in getattr(plan, collection):
            for place, value in named_in(getattr(item, field), field):
                if value not in ids[target]:
                    said = f"there is no {value} among the {target}"
                    yield Problem(collection, item.id, place, said)


def _sheets(plan: Plan) -> Iterator[Problem]:
    yield from _links(plan)
    yield from _disks(plan)
    yield from _supplies(plan)
    yield from _pools(plan)
    yield from _holdings(plan)
    yield from _grants(plan)
    yield from _system_names(plan)
    yield from (Problem(*place) for place in contradictions(plan))
    yield from _jobs(plan)
    index = Index(plan)
    for job in plan.jobs:
        yield from _of_a_pc(index, job)
    signed: set[tuple[str, str]] = set()
    for risk in plan.accepted:
        if (risk.dataset, risk.hazard) in signed:
            yield Problem("accepted", risk.id, "hazard", "this cell is already signed")
        signed.add((risk.dataset, risk.hazard))
    for held in plan.assumptions:
        known = REGISTRY.get(held.id)
        if known is None:
            yield Problem("assumptions", held.id, "id", f"there is no assumption {held.id}")
        elif not known.low <= held.value <= known.high:
            yield Problem(
                "assumptions",
                held.id,
                "value",
                f"{known.label}: from {known.low:g} to {known.high:g} {known.unit}".strip(),
            )


def _links(plan: Plan) -> Iterator[Problem]:
    pairs: set[frozenset[str]] = set()
    for link in plan.links:
        pair = frozenset((link.a, link.b))
        if link.a == link.b:
            yield Problem("links", link.id, "b", "a link joins two different sites")
        elif pair in pairs:
            yield Problem("links", link.id, "b", "these two sites already have a link")
        pairs.add(pair)


def _disks(plan: Plan) -> Iterator[Problem]:
    hosts = {h.id: h for h in plan.hosts}
    taken: dict[tuple[str, str], Disk] = {}
    for disk in plan.disks:
        if (disk.host is None) != (disk.bay is None):
            missing = "bay" if disk.bay is None else "host"
            yield Problem(
                "disks", disk.id, missing, "a disk in a host needs a bay, and the bay a host"
            )
            continue
        if disk.host is None or disk.bay is None:
            continue
        if disk.shelf is not None:
            yield Problem("disks", disk.id, "shelf", "a disk is in a bay or on a shelf, not both")
        host = hosts[disk.host]
        if disk.bay not in bays(host):
            yield Problem("disks", disk.id, "bay", f"{host.name} has no bay {disk.bay}")
        reason = misfit(disk, disk.bay)
        if reason:
            yield Problem("disks", disk.id, "bay", reason)
        other = taken.setdefault((disk.host, disk.bay), disk)
        if other is not disk:
            yield Problem(
                "disks",
                disk.id,
                "bay",
                f"bay {disk.bay} of {host.name} already holds {other.label}",
            )


def _supplies(plan: Plan) -> Iterator[Problem]:
    hosts = {h.id: h for h in plan.hosts}
    fed: dict[str, str] = {}
    for supply in plan.supplies:
        if supply.watts > supply.va:
            yield Problem("supplies", supply.id, "watts", "a UPS gives at most as many W as VA")
        for field in ("hosts", "signals"):
            if len(set(getattr(supply, field))) != len(getattr(supply, field)):
                yield Problem("supplies", supply.id, field, "each host once")
        for host in dict.fromkeys(supply.hosts):
            name = hosts[host].name
            if hosts[host].site != supply.site:
                yield Problem(
                    "supplies", supply.id, "hosts", f"{name} stands at another site than this UPS"
                )
            if host in fed:
                yield Problem(
                    "supplies", supply.id, "hosts", f"{name} is already plugged into {fed[host]}"
                )
            fed[host] = supply.name


def _holdings(plan: Plan) -> Iterator[Problem]:
    standing = {d for p in plan.pools if p.standing for d in (*p.disks, *p.spares, *p.tier)}
    disks = {d.id: d for d in plan.disks}
    datasets = {d.id: d for d in plan.datasets}
    seen: set[tuple[str, str]] = set()
    index = Index(plan)
    room = {d.id: index.data_bytes(d.id) for d in plan.disks}
    for held in plan.holdings:
        label = disks[held.disk].label
        if held.disk in standing:
            yield Problem(
                "holdings",
                held.id,
                "disk",
                f"disk {label} is part of a pool that stands: what the pool holds is said by its "
                "datasets",
            )
        if (held.disk, held.dataset) in seen:
            yield Problem(
                "holdings", held.id, "dataset", f"disk {label} is already said to hold it"
            )
        seen.add((held.disk, held.dataset))
        room[held.disk] -= datasets[held.dataset].size_bytes
        if room[held.disk] < 0:
            yield Problem(
                "holdings", held.id, "dataset", f"disk {label} is too small to hold all of that"
            )


def _pools(plan: Plan) -> Iterator[Problem]:
    disks = {d.id: d for d in plan.disks}
    hosts = {h.id: h for h in plan.hosts}
    index = Index(plan)
    taken: dict[str, Pool] = {}
    for pool in plan.pools:
        family = FAMILIES[pool.family]
        complaint_ = family.check(pool.groups)
        if complaint_:
            yield Problem("pools", pool.id, "groups", complaint_)
        if pool.filesystem not in family.filesystems:
            allowed = ", ".join(sorted(family.filesystems))
            yield Problem(
                "pools",
                pool.id,
                "filesystem",
                f"{family.title} does not go with {pool.filesystem}: choose {allowed}",
                tolerated=family.apart,
            )
        elif not complaint_:
            sizes = [[index.data_bytes(d) for d in g] for g in pool.groups]
            misfit_ = family.complaint(sizes)
            if misfit_:
                yield Problem("pools", pool.id, "groups", misfit_)
        if pool.spares and not complaint_ and not any(family.outlives(len(g)) for g in pool.groups):
            said = f"{family.title} outlives no disk: a spare would have nothing to be filled from"
            yield Problem("pools", pool.id, "spares", said, tolerated=True)
        if pool.tier_mirrored and len(pool.tier) == 1:
            yield Problem("pools", pool.id, "tier", "a mirrored tier needs at least two disks")
        for disk_id in (*pool.disks, *pool.spares, *pool.tier):
            disk = disks[disk_id]
            other = taken.get(disk_id)
            if other is not None:
                where = "twice in this pool" if other is pool else f"already in pool {other.name}"
                yield Problem("pools", pool.id, "groups", f"disk {disk.label} is {where}")
            taken[disk_id] = pool
            if disk.host != pool.host:
                yield Problem(
                    "pools",
                    pool.id,
                    "groups",
                    f"disk {disk.label} is in no bay of {hosts[pool.host].name}: put it there first",
                )


def _grants(plan: Plan) -> Iterator[Problem]:
    for share in plan.shares:
        reason = share_name_complaint(share.name)
        if reason:
            yield Problem("shares", share.id, "name", reason)
    seen: set[tuple[str, str | None, str | None]] = set()
    for grant in plan.grants:
        if (grant.account is None) == (grant.group is None):
            yield Problem(
                "grants", grant.id, "account", "a grant goes to one account or to one group"
            )
        key = (grant.share, grant.account, grant.group)
        if key in seen:
            yield Problem("grants", grant.id, "share", "this one already has a grant on the share")
        seen.add(key)


def _system_names(plan: Plan) -> Iterator[Problem]:
    for collection, field in (("accounts", "login"), ("groups", "name")):
        for item in getattr(plan, collection):
            name = getattr(item, field)
            if name in SYSTEM_NAMES:
                said = f"{name} is the system's own, and its members may do more than use a share"
                yield Problem(
                    collection, item.id, field, f"{said}: take another name", tolerated=True
                )


def _jobs(plan: Plan) -> Iterator[Problem]:
    jobs = {j.id: j for j in plan.jobs}
    index = Index(plan)
    yield from _caps(plan)
    for job in plan.jobs:
        yield from _job_fields(plan, job)
        if job.reads_from:
            yield from _chain(job, jobs)
        elif KINDS[job.kind].on == "datasets":
            yield from _homes(plan, job)
        if job.after:
            yield from _followed(job, jobs)
        trouble = complaint(job.schedule)
        if trouble:
            yield Problem("jobs", job.id, f"schedule.{trouble[0]}", trouble[1])
        yield from _kept(job)
        yield from _window(job)
        yield from _carried(index, job)
        yield from _landed(index, job)
        yield from _left_out(job)


def _kept(job: Job) -> Iterator[Problem]:
    """Rules of retention that keep nothing, or that the kind's tool cannot follow."""
    kind, kept = KINDS[job.kind], job.retention

    def wrong(field: str, message: str, tolerated: bool = False) -> Problem:
        return Problem("jobs", job.id, f"retention{field and '.'}{field}", message, tolerated)

    if kind.copies and kind.versions and keeps_nothing(kept):
        yield wrong("", "this keeps nothing: give at least one rule")
    if kept.trash_days and not kind.trash:
        yield wrong("trash_days", f"{kind.named} has no trash can")
    newest_only = kind.trash or (kind.copies and not kind.versions and not kind.by_hand)
    if newest_only and [n for n in rules_of(kept) if n not in ("last", "trash_days")]:
        yield wrong(
            "",
            f"{kind.named} has only the newest state"
            + (" and its trash can" if kind.trash else "")
            + ": for versions take a backup or a replication",
        )
    if kept.thin and kind.copies and kind.versions and not (kind.thins or kind.trash):
        said = f"the tool of {kind.named} prunes by counts and ages: nothing thins its points out"
        yield wrong("thin", said, tolerated=True)
    if job.schedule.kind == "minutes" and kept.trash_days > MOST_TRASH_DAYS:
        said = (
            f"what runs all the time keeps at most {MOST_TRASH_DAYS} days of trash: take a backup "
            "for longer"
        )
        yield wrong("trash_days", said)
    trouble = rules_complaint(kept)
    if trouble:
        yield wrong(*trouble)


# Every few minutes of more days than these is a history that nobody can look through.
MOST_TRASH_DAYS = 60


def _carried(index: Index, job: Job) -> Iterator[Problem]:
    """What the plan asks for and no box can do."""
    kind = KINDS[job.kind]
    if job.schedule.kind == "minutes" and not kind.continuous:
        said = f"{kind.named} runs by the hour at most: only what is told of changes runs always"
        yield Problem("jobs", job.id, "schedule.kind", said)
    if job.catch_up and (job.after or kind.by_hand):
        said = "it has no time of its own that could be missed"
        yield Problem("jobs", job.id, "catch_up", said)
    if job.chunk_store and not kind.archives:
        said = f"{kind.named} makes no whole archives"
        yield Problem("jobs", job.id, "chunk_store", said)
    bucket = index.buckets.get(job.target_bucket or "")
    if bucket and bucket.locked_days and kind.trash:
        said = (
            f"{kind.named} is written over and emptied by whoever signs in, and the objects of "
            f"{bucket.name} are locked: give it a place of its own that locks nothing"
        )
        yield Problem("jobs", job.id, "target_bucket", said)
    if kind.sends_raw and job.encrypted:
        plain = [d for d in job.datasets if not natively_encrypted(index, index.datasets[d])]
        if plain:
            names = ", ".join(index.datasets[d].name for d in plain)
            said = (
                f"{kind.named} is encrypted where ZFS itself encrypts the dataset, and {names} is "
                "not: it would be sent plain; encrypt the dataset, or take a backup"
            )
            yield Problem("jobs", job.id, "encrypted", said, tolerated=True)
    if off := closed_off(index, job):
        yield Problem("jobs", job.id, "kind", off, tolerated=True)
    how = chain(index, job)
    if how and how.how == "broken" and not _in_circle(index, job):
        before = index.jobs[job.after or ""]
        mine, theirs = (index.hosts.get(runs_on(index, j) or "") for j in (job, before))
        said = (
            f"{before.name} runs on {theirs.name if theirs else 'no box'}, this on "
            f"{mine.name if mine else 'no box'}: no box that both touch can tell when it has ended"
        )
        yield Problem("jobs", job.id, "after", said, tolerated=True)


def _in_circle(index: Index, job: Job) -> bool:
    seen = {job.id}
    while job.after:
        job = index.jobs[job.after]
        if job.id in seen:
            return True
        seen.add(job.id)
    return False


def _landed(index: Index, job: Job) -> Iterator[Problem]:
    """The export, and the account there, through which a copy gets into the far box."""
    kind = KINDS[job.kind]
    if job.lands_as and not (job.lands_in or job.lands_share):
        yield Problem("jobs", job.id, "lands_as", "an account of what? Name the export first")
    if not job.lands_in:
        return
    export = next(e for e in index.plan.exports if e.id == job.lands_in)

    def wrong(message: str, field: str = "lands_in") -> Problem:
        return Problem("jobs", job.id, field, message)

    if export.protocol not in kind.lands:
        able = ", ".join(sorted(kind.lands)) or "none: it goes by SSH or not at all"
        yield wrong(f"{kind.named} does not land by {export.protocol}; it can by: {able}")
    elif index.datasets[export.dataset].pool != job.target_pool:
        yield wrong(f"{export.name} is not on the pool that this job writes to")
    elif export.may != "write":
        yield wrong(f"{export.name} is for reading only")
    elif runs_on(index, job) == target_host(index, job):
        yield wrong("the far box starts it and writes to its own disks: nothing lands by an export")
    elif source_host(index, job) == target_host(index, job):
        yield wrong("both are the same box: nothing lands by an export")
    elif out := shut_out(index, job):
        said = (
            f"{export.name} lets in {', '.join(export.clients)}, and not {out}, from which it comes"
        )
        yield Problem("jobs", job.id, "lands_in", f"{said}: name it there", tolerated=True)
    accounts = [a for a in export.accounts if index.accounts[a].enabled]
    if export.accounts and job.lands_as is None:
        yield wrong(f"as whom? {export.name} asks for an account", "lands_as")
    elif job.lands_as and job.lands_as not in accounts:
        login = index.accounts[job.lands_as].login
        yield wrong(f"{login} may not sign in at {export.name}", "lands_as")


def _of_a_pc(index: Index, job: Job) -> Iterator[Problem]:
    """What a PC copies itself goes into a share for that, as an account that may write there."""
    kind = KINDS[job.kind]
    home = index.hosts.get(source_host(index, job) or "")

    def wrong(message: str, field: str) -> Problem:
        return Problem("jobs", job.id, field, message)

    if not kind.by_pc:
        if job.lands_share:
            yield wrong(f"{kind.named} lands in no share", "lands_share")
        if home and home.personal and kind.copies and not kind.by_hand and not job.reads_from:
            said = f"{home.name} is a PC: its own scheduler starts a copy of a PC, or a person a shelf copy"
            if runs_on(index, job) == home.id:
                yield wrong(said, "kind")
        return
    if home and not home.personal:
        yield wrong(f"{home.name} is no PC: it has better kinds than its own copy", "kind")
    share = next((s for s in index.plan.shares if s.id == job.lands_share), None)
    if share is None:
        yield wrong("into which share? One for PCs' backups", "lands_share")
        return
    if not share.pc_backups:
        yield wrong(f"share {share.name} is not for PCs' backups: say so there", "lands_share")
    elif index.datasets[share.dataset].pool != job.target_pool:
        yield wrong(f"share {share.name} is not on the pool that this job writes to", "lands_share")
    if not job.lands_as:
        yield wrong("as whom? An account that may write in the share", "lands_as")
    else:
        rights = {(c.account, c.share): c.right for c in access_matrix(index)}
        if rights.get((job.lands_as, share.id)) != "write":
            login = index.accounts[job.lands_as].login
            yield wrong(f"{login} may not write in share {share.name}", "lands_as")


def _caps(plan: Plan) -> Iterator[Problem]:
    for cap in plan.caps:
        if cap.from_at == cap.to_at:
            yield Problem("caps", cap.id, "to_at", "a cap that holds for no time limits nothing")


TARGETS = {"pool": "target_pool", "disk": "target_disk", "bucket": "target_bucket"}


def _job_fields(plan: Plan, job: Job) -> Iterator[Problem]:
    kind = KINDS[job.kind]
    members = {d: p for p in plan.pools for d in (*p.disks, *p.spares)}
    wants = TARGETS.get(kind.target)
    for field in TARGETS.values():
        given = getattr(job, field)
        if field == wants and given is None:
            yield Problem("jobs", job.id, field, f"{kind.named} needs a {kind.target} to go to")
        if field != wants and given is not None:
            yield Problem("jobs", job.id, field, f"{kind.named} has no such target")
    if kind.on == "datasets" and not job.datasets:
        yield Problem("jobs", job.id, "datasets", f"{kind.named} needs at least one dataset")
    for on, field in (("pool", "pool"), ("host", "host"), ("copy", "reads_from")):
        given = getattr(job, field)
        if kind.on == on and given is None:
            yield Problem("jobs", job.id, field, f"{kind.named} needs a {on} to work on")
        if kind.on != on and given is not None and field != "reads_from":
            yield Problem("jobs", job.id, field, f"{kind.named} does not work on a {on}")
    if kind.on in ("pool", "host") and (job.datasets or job.reads_from):
        field = "datasets" if job.datasets else "reads_from"
        yield Problem("jobs", job.id, field, f"{kind.named} works on a {kind.on} as a whole")
    if len(set(job.datasets)) != len(job.datasets):
        yield Problem("jobs", job.id, "datasets", "each dataset once")
    if job.target_disk in members:
        said = f"this disk is part of pool {members[job.target_disk].name}"
        yield Problem("jobs", job.id, "target_disk", said)
    if kind.moves_tier:
        pool = next(p for p in plan.pools if p.id == job.pool) if job.pool else None
        if pool and not pool.tier:
            yield Problem("jobs", job.id, "pool", f"pool {pool.name} has no fast tier to move from")
    if kind.keeps_settings and job.host and job.target_pool:
        at = next(p for p in plan.pools if p.id == job.target_pool)
        if at.host == job.host:
            yield Problem(
                "jobs",
                job.id,
                "target_pool",
                "the copy would lie in the box whose configuration it is: take another box",
            )


def _homes(plan: Plan, job: Job) -> Iterator[Problem]:
    """Where the datasets of a job lie, and whether it can read from there."""
    kind = KINDS[job.kind]
    pools = {p.id: p for p in plan.pools}
    datasets = {d.id: d for d in plan.datasets}
    homes = {datasets[d].pool for d in job.datasets}
    if len(homes) > 1 and not kind.empties_bins:
        said = "one job reads one pool: make a job for each pool"
        yield Problem("jobs", job.id, "datasets", said)
    if job.target_pool in homes:
        said = "the target is where the data already is: a copy inside its own source is none"
        yield Problem("jobs", job.id, "target_pool", said)
    if kind.empties_bins and len({pools[p].host for p in homes}) > 1:
        said = "these lie in different boxes, and a job runs on one: make a job for each box"
        yield Problem("jobs", job.id, "datasets", said, tolerated=True)
    for pool_id in homes:
        pool = pools[pool_id]
        if kind.snapshots and not FILESYSTEMS[pool.filesystem].snapshots:
            able = " or ".join(sorted(f.id for f in FILESYSTEMS.values() if f.snapshots))
            yield Problem(
                "jobs",
                job.id,
                "kind",
                f"{kind.named} needs {able}: pool {pool.name} has {pool.filesystem}",
            )
    target = pools.get(job.target_pool or "")
    if kind.snapshots and target and homes:
        ours = pools[next(iter(homes))].filesystem
        if target.filesystem != ours:
            yield Problem(
                "jobs",
                job.id,
                "target_pool",
                f"a replication needs {ours} at both ends: pool {target.name} has {target.filesystem}",
            )


def _followed(job: Job, jobs: dict[str, Job]) -> Iterator[Problem]:
    if job.schedule.kind != "after":
        said = "a job that follows another has no time of its own: choose after another job"
        yield Problem("jobs", job.id, "schedule.kind", said)
    seen, other = {job.id}, jobs[job.after] if job.after else None
    while other:
        if other.id in seen:
            yield Problem("jobs", job.id, "after", "the jobs wait for one another in a circle")
            return
        seen.add(other.id)
        other = jobs[other.after] if other.after else None


def _window(job: Job) -> Iterator[Problem]:
    if job.schedule.kind == "after" and not job.after:
        yield Problem("jobs", job.id, "after", "after which job? Name it")
    if (job.window_from is None) != (job.window_to is None):
        missing = "window_to" if job.window_to is None else "window_from"
        yield Problem("jobs", job.id, missing, "give both: from when and until when it may run")
    elif job.window_from is not None and job.window_from == job.window_to:
        yield Problem("jobs", job.id, "window_to", "this window has no length: no run fits into it")
    if job.first_copy != "done" and KINDS[job.kind].moves_nothing:
        said = f"{KINDS[job.kind].named} copies nothing: leave it at done"
        yield Problem("jobs", job.id, "first_copy", said)
    elif not KINDS[job.kind].allows("first_copy", job.first_copy):
        said = (
            "a bucket is filled over the link: nobody carries a disk to it, nor sets it up beside"
        )
        yield Problem("jobs", job.id, "first_copy", said)


def _left_out(job: Job) -> Iterator[Problem]:
    kind = KINDS[job.kind]
    if job.left_out and not kind.by_file:
        said = f"{kind.named} takes a dataset whole: give what is thrown away a dataset of its own"
        yield Problem("jobs", job.id, "left_out", said)
    if job.left_out_share and not job.left_out:
        said = "which files? Name their patterns, or leave the share at 0"
        yield Problem("jobs", job.id, "left_out", said)


def _chain(job: Job, jobs: dict[str, Job]) -> Iterator[Problem]:
    seen = {job.id}
    source = jobs[job.reads_from] if job.reads_from else None
    if source and KINDS[job.kind].in_place:
        yield Problem("jobs", job.id, "reads_from", "a snapshot is of the dataset itself")
    if source and not KINDS[source.kind].copies:
        said = f"{source.name} makes no copy that could be read"
        yield Problem("jobs", job.id, "reads_from", said)
    if source and not set(job.datasets) <= set(source.datasets):
        yield Problem(
            "jobs", job.id, "datasets", f"{source.name} does not copy all of these datasets"
        )
    if source and source.target_pool and source.target_pool == job.target_pool:
        yield Problem("jobs", job.id, "target_pool", "the target is where the copy already is")
    if source and source.target_disk and source.target_disk == job.target_disk:
        yield Problem("jobs", job.id, "target_disk", "the target is where the copy already is")
    while source:
        if source.id in seen:
            yield Problem(
                "jobs", job.id, "reads_from", "the jobs read from one another in a circle"
            )
            return
        seen.add(source.id)
        source = jobs[source.reads_from] if source.reads_from else None
