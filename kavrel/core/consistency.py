"""Where a plan contradicts itself: references to nothing, one bay used twice, circles.

A plan with problems is refused as a whole; each problem names the field and what is right.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from kavrel.core.assumptions import REGISTRY
from kavrel.core.bench.bays import bays, misfit
from kavrel.core.copies.kinds import KINDS
from kavrel.core.copies.retention import keeps_nothing
from kavrel.core.copies.schedule import complaint
from kavrel.core.plan import COLLECTIONS, Disk, Job, Plan, Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.shares.contradictions import contradictions
from kavrel.core.shares.names import share_name_complaint


@dataclass(frozen=True)
class Problem:
    """Something wrong at `collection` / `item` / `field`, with what would be right."""

    collection: str
    item: str
    field: str
    message: str


def problems(plan: Plan) -> list[Problem]:
    """All contradictions of a plan, in the order of its collections."""
    found = list(_duplicates(plan))
    found += _references(plan)
    if not found:  # the checks below follow references
        found += _sheets(plan)
    return found


def _duplicates(plan: Plan) -> Iterator[Problem]:
    for collection in COLLECTIONS:
        seen: set[str] = set()
        for item in getattr(plan, collection):
            if item.id in seen:
                yield Problem(collection, item.id, "id", f"the id {item.id} is used twice")
            seen.add(item.id)
    for collection, field in (
        ("sites", "name"),
        ("hosts", "name"),
        ("networks", "name"),
        ("supplies", "name"),
        ("offers", "label"),
        ("disks", "label"),
        ("disks", "serial"),
        ("pools", "name"),
        ("datasets", "name"),
        ("shares", "name"),
        ("accounts", "login"),
        ("groups", "name"),
        ("jobs", "name"),
    ):
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


def _references(plan: Plan) -> Iterator[Problem]:
    ids = {name: {item.id for item in getattr(plan, name)} for name in COLLECTIONS}

    def check(
        collection: str, item: str, field: str, target: str, value: str | None
    ) -> Iterator[Problem]:
        if value is not None and value not in ids[target]:
            yield Problem(collection, item, field, f"there is no {value} among the {target}")

    for collection, field, target in (
        ("links", "a", "sites"),
        ("links", "b", "sites"),
        ("hosts", "site", "sites"),
        ("networks", "site", "sites"),
        ("supplies", "site", "sites"),
        ("disks", "host", "hosts"),
        ("disks", "shelf", "sites"),
        ("pools", "host", "hosts"),
        ("datasets", "pool", "pools"),
        ("holdings", "disk", "disks"),
        ("holdings", "dataset", "datasets"),
        ("datasets", "parent", "datasets"),
        ("datasets", "owner", "accounts"),
        ("shares", "dataset", "datasets"),
        ("quotas", "account", "accounts"),
        ("quotas", "dataset", "datasets"),
        ("exports", "dataset", "datasets"),
        ("apps", "host", "hosts"),
        ("apps", "account", "accounts"),
        ("mounts", "app", "apps"),
        ("mounts", "dataset", "datasets"),
        ("default_logins", "host", "hosts"),
        ("openings", "host", "hosts"),
        ("grants", "share", "shares"),
        ("grants", "account", "accounts"),
        ("grants", "group", "groups"),
        ("jobs", "reads_from", "jobs"),
        ("jobs", "target_pool", "pools"),
        ("jobs", "target_disk", "disks"),
    ):
        for item in getattr(plan, collection):
            yield from check(collection, item.id, field, target, getattr(item, field))
    for pool in plan.pools:
        for number, group in enumerate(pool.groups):
            for disk in group:
                yield from check("pools", pool.id, f"groups.{number}", "disks", disk)
        for field in ("spares", "tier"):
            for disk in getattr(pool, field):
                yield from check("pools", pool.id, field, "disks", disk)
    for supply in plan.supplies:
        for field in ("hosts", "signals"):
            for host in getattr(supply, field):
                yield from check("supplies", supply.id, field, "hosts", host)
    for group_ in plan.groups:
        for member in group_.members:
            yield from check("groups", group_.id, "members", "accounts", member)
    for export in plan.exports:
        for account in export.accounts:
            yield from check("exports", export.id, "accounts", "accounts", account)
    for job in plan.jobs:
        for dataset in job.datasets:
            yield from check("jobs", job.id, "datasets", "datasets", dataset)
        for site in job.key_kept_at:
            yield from check("jobs", job.id, "key_kept_at", "sites", site)


def _sheets(plan: Plan) -> Iterator[Problem]:
    yield from _links(plan)
    yield from _disks(plan)
    yield from _supplies(plan)
    yield from _pools(plan)
    yield from _holdings(plan)
    yield from _grants(plan)
    yield from (Problem(*place) for place in contradictions(plan))
    yield from _jobs(plan)
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
    room = {d.id: d.capacity_bytes for d in plan.disks}
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
            )
        elif not complaint_:
            sizes = [[disks[d].capacity_bytes for d in g] for g in pool.groups]
            misfit_ = family.complaint(sizes)
            if misfit_:
                yield Problem("pools", pool.id, "groups", misfit_)
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


def _jobs(plan: Plan) -> Iterator[Problem]:
    jobs = {j.id: j for j in plan.jobs}
    pools = {p.id: p for p in plan.pools}
    datasets = {d.id: d for d in plan.datasets}
    members = {d: p for p in plan.pools for d in (*p.disks, *p.spares)}
    for job in plan.jobs:
        kind = KINDS[job.kind]
        wants = {"pool": "target_pool", "disk": "target_disk"}.get(kind.target)
        for field in ("target_pool", "target_disk"):
            given = getattr(job, field)
            if field == wants and given is None:
                yield Problem(
                    "jobs", job.id, field, f"a {kind.title} needs a {kind.target} to go to"
                )
            if field != wants and given is not None:
                yield Problem("jobs", job.id, field, f"a {kind.title} has no such target")
        if len(set(job.datasets)) != len(job.datasets):
            yield Problem("jobs", job.id, "datasets", "each dataset once")
        if job.target_disk in members:
            yield Problem(
                "jobs",
                job.id,
                "target_disk",
                f"this disk is part of pool {members[job.target_disk].name}",
            )
        if job.reads_from:
            yield from _chain(job, jobs)
        else:
            homes = {datasets[d].pool for d in job.datasets}
            if len(homes) > 1:
                yield Problem(
                    "jobs", job.id, "datasets", "one job reads one pool: make a job for each pool"
                )
            if job.target_pool in homes:
                yield Problem(
                    "jobs", job.id, "target_pool", "the target is where the data already is"
                )
            for pool_id in homes:
                pool = pools[pool_id]
                if kind.source_filesystems and pool.filesystem not in kind.source_filesystems:
                    able = " or ".join(sorted(kind.source_filesystems))
                    yield Problem(
                        "jobs",
                        job.id,
                        "kind",
                        f"a {kind.title} needs {able}: pool {pool.name} has {pool.filesystem}",
                    )
        trouble = complaint(job.schedule)
        if trouble:
            yield Problem("jobs", job.id, f"schedule.{trouble[0]}", trouble[1])
        if keeps_nothing(job.retention):
            yield Problem("jobs", job.id, "retention", "this keeps nothing: give at least one rule")


def _chain(job: Job, jobs: dict[str, Job]) -> Iterator[Problem]:
    seen = {job.id}
    source = jobs[job.reads_from] if job.reads_from else None
    if source and KINDS[job.kind].target == "none":
        yield Problem("jobs", job.id, "reads_from", "a snapshot is of the dataset itself")
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
