"""Quick ways round a plan: things by id, and what belongs to what."""

from collections import defaultdict
from datetime import date
from functools import cached_property

from kavrel.core.assumptions import Assumptions
from kavrel.core.plan import (
    AboutKind,
    Account,
    Bucket,
    Dataset,
    Disk,
    Group,
    Host,
    Job,
    JobKind,
    Link,
    LogKind,
    Plan,
    Pool,
    Share,
    Site,
)
from kavrel.core.quantities import MIB, currency_minor

# Before a part that begins on a whole MiB, and behind it for the second table of a GPT (UEFI, chapter 5).
ROUNDING_MIB = 2
LEAST_DATA_BYTES = 10**9  # for data on a disk that a box boots from: as of any disk


class Index:
    """Look-ups over one plan, made once and then read."""

    def __init__(self, plan: Plan) -> None:
        self.plan = plan

    @cached_property
    def assumptions(self) -> Assumptions:
        """The plan's assumptions: its own values, else the defaults."""
        return Assumptions(self.plan)

    @cached_property
    def sites(self) -> dict[str, Site]:
        """Sites by id."""
        return {x.id: x for x in self.plan.sites}

    @cached_property
    def hosts(self) -> dict[str, Host]:
        """Hosts by id."""
        return {x.id: x for x in self.plan.hosts}

    @cached_property
    def disks(self) -> dict[str, Disk]:
        """Disks by id."""
        return {x.id: x for x in self.plan.disks}

    def data_bytes(self, disk: str) -> int:
        """Bytes of a disk that are for data: all of them, or what the system leaves that boots from it.

        Where the plan does not say how much a system takes an assumption does, which never takes more than
        half of the disk.
        """
        one = self.disks[disk]
        host = self.hosts.get(one.host or "")
        if host is None or host.boot_disk != disk:
            return one.capacity_bytes
        system = host.system_bytes
        if system is None:
            system = min(int(self.assumptions["system_bytes"]), one.capacity_bytes // 2)
        return (one.capacity_bytes - system) // MIB * MIB - ROUNDING_MIB * MIB

    @cached_property
    def pools(self) -> dict[str, Pool]:
        """Pools by id."""
        return {x.id: x for x in self.plan.pools}

    @cached_property
    def datasets(self) -> dict[str, Dataset]:
        """Datasets by id."""
        return {x.id: x for x in self.plan.datasets}

    @cached_property
    def shares(self) -> dict[str, Share]:
        """Shares by id."""
        return {x.id: x for x in self.plan.shares}

    @cached_property
    def accounts(self) -> dict[str, Account]:
        """Accounts by id."""
        return {x.id: x for x in self.plan.accounts}

    @cached_property
    def groups(self) -> dict[str, Group]:
        """Groups by id."""
        return {x.id: x for x in self.plan.groups}

    @cached_property
    def buckets(self) -> dict[str, Bucket]:
        """Buckets by id."""
        return {x.id: x for x in self.plan.buckets}

    @cached_property
    def jobs(self) -> dict[str, Job]:
        """Jobs by id."""
        return {x.id: x for x in self.plan.jobs}

    @cached_property
    def on_ups(self) -> set[str]:
        """Hosts that a UPS feeds: by their own word, or plugged into one of the plan."""
        said = {h.id for h in self.plan.hosts if h.on_ups}
        return said | {h for s in self.plan.supplies for h in s.hosts}

    @property
    def minor_units(self) -> int:
        """Minor units in one unit of the plan's currency."""
        return currency_minor(self.plan.currency)

    @cached_property
    def disks_in_pools(self) -> dict[str, str]:
        """Disk id to the id of the pool that has it, as a member, a spare or its fast tier."""
        return {d: p.id for p in self.plan.pools for d in (*p.disks, *p.spares, *p.tier)}

    @cached_property
    def shares_of(self) -> dict[str, list[Share]]:
        """Dataset id to its shares."""
        result: dict[str, list[Share]] = defaultdict(list)
        for share in self.plan.shares:
            result[share.dataset].append(share)
        return result

    @cached_property
    def landing(self) -> frozenset[str]:
        """Datasets that jobs of other boxes write into and nobody works in: what lies there are copies.

        A place for PCs' own backups is one of them only where a job of the plan puts something there:
        of what else comes in nobody knows whether its original still is.
        """
        into = {j.lands_in for j in self.plan.jobs if j.lands_in}
        taking = {e.dataset for e in self.plan.exports if e.id in into}
        others = {e.dataset for e in self.plan.exports if e.id not in into}
        fed = {j.lands_share for j in self.plan.jobs if j.lands_share}
        kept = {s.dataset for s in self.plan.shares if s.pc_backups and s.id in fed}
        peopled = {s.dataset for s in self.plan.shares if not s.pc_backups}
        return frozenset((taking | kept) - peopled - others)

    def lands_on(self, job: Job) -> Dataset | None:
        """The dataset that a job's copy lies in; None where it has a folder of its own."""
        taking = [e.dataset for e in self.plan.exports if e.id == job.lands_in]
        taking += [s.dataset for s in self.plan.shares if s.id == job.lands_share]
        return self.datasets[taking[0]] if taking else None

    def lost_for_good(self, dataset: Dataset) -> bool:
        """Whether it is worth a copy: what is thrown away, fetched again or itself a copy is not."""
        again = dataset.worth == "fetch_again" or dataset.throw_away
        return not again and dataset.id not in self.landing

    @cached_property
    def jobs_of(self) -> dict[str, list[Job]]:
        """Dataset id to the jobs that copy it."""
        result: dict[str, list[Job]] = defaultdict(list)
        for job in self.plan.jobs:
            for dataset in job.datasets:
                result[dataset].append(job)
        return result

    @cached_property
    def jobs_of_kind(self) -> dict[JobKind, list[Job]]:
        """Kinds of the jobs that there are to the jobs of that kind."""
        result: dict[JobKind, list[Job]] = defaultdict(list)
        for job in self.plan.jobs:
            result[job.kind].append(job)
        return dict(result)

    @cached_property
    def readers_of(self) -> dict[str, list[Job]]:
        """Job id to the jobs that read what it keeps."""
        result: dict[str, list[Job]] = defaultdict(list)
        for job in self.plan.jobs:
            if job.reads_from:
                result[job.reads_from].append(job)
        return result

    @cached_property
    def shelf_targets(self) -> set[str]:
        """Disks that a shelf job copies to."""
        return {j.target_disk for j in self.plan.jobs if j.target_disk}

    @cached_property
    def held(self) -> dict[str, list[str]]:
        """Disk id to the datasets of which it holds a whole copy outside any pool."""
        result: dict[str, list[str]] = defaultdict(list)
        for holding in self.plan.holdings:
            result[holding.disk].append(holding.dataset)
        return result

    @cached_property
    def went_well(self) -> dict[tuple[LogKind, AboutKind, str], date]:
        """Kind of entry, kind and id of what it is about: the last day on which it went well."""
        result: dict[tuple[LogKind, AboutKind, str], date] = {}
        for entry in self.plan.log:
            if entry.result != "failed":
                key = (entry.kind, entry.about_kind, entry.about)
                result[key] = max(entry.on, result.get(key, entry.on))
        return result

    @cached_property
    def idle_disks(self) -> list[Disk]:
        """Loose disks that hold nothing and serve no pool or shelf job: spares in the hand."""
        return [
            d
            for d in self.plan.disks
            if d.id not in self.disks_in_pools
            and d.id not in self.shelf_targets
            and not d.holds_data
            and d.id not in self.held
        ]

    def site_of_host(self, host: str) -> str:
        """Site id of a host."""
        return self.hosts[host].site

    def site_of_pool(self, pool: str) -> str:
        """Site id where a pool's box stands."""
        return self.site_of_host(self.pools[pool].host)

    def site_of_disk(self, disk: str) -> str | None:
        """Site id where a disk is, in a bay or on a shelf; None when the plan does not say."""
        drive = self.disks[disk]
        return self.site_of_host(drive.host) if drive.host else drive.shelf

    def link(self, from_site: str, to_site: str) -> tuple[Link, float] | None:
        """The link from one site to another and its speed in that direction, Mbit/s."""
        for link in self.plan.links:
            if (link.a, link.b) == (from_site, to_site):
                return link, link.mbit_a_to_b
            if (link.b, link.a) == (from_site, to_site):
                return link, link.mbit_b_to_a
        return None
