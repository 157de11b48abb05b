"""What the templates of one host need: its pools, datasets, exports and their folders."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

from kavrel.core.index import Index
from kavrel.core.plan import Dataset, Export, Host, Plan, Pool
from kavrel.core.shares.names import folders, pool_names, zfs_namer
from kavrel.core.works.set_up import is_set_up
from kavrel.core.works.volumes import Tree, Volume, trees, volumes


class Box:
    """One host as its files see it."""

    def __init__(self, plan: Plan, host_id: str) -> None:
        self.plan = plan
        self.index = Index(plan)
        self.host: Host = self.index.hosts[host_id]
        self.folders = folders(plan)

    @cached_property
    def zfs_name(self) -> Callable[[str], str]:
        """What ZFS calls a folder of the host."""
        return zfs_namer(self.plan, self.host.id)

    @cached_property
    def pools(self) -> list[Pool]:
        """The host's pools."""
        return [p for p in self.plan.pools if p.host == self.host.id]

    @cached_property
    def datasets(self) -> list[Dataset]:
        """The datasets of its pools, parents before children."""
        mine = {p.id for p in self.pools}
        here = [d for d in self.plan.datasets if d.pool in mine]
        return sorted(here, key=lambda d: self.folders[d.id].count("/"))

    def exports(self, protocol: str) -> list[Export]:
        """Its exports over a protocol."""
        mine = {d.id for d in self.datasets}
        return [e for e in self.plan.exports if e.protocol == protocol and e.dataset in mine]

    def login(self, account: str) -> str:
        """An account's login."""
        return self.index.accounts[account].login

    def pool_name(self, pool: Pool) -> str:
        """The pool's name on the host, as its folder has it."""
        return pool_names(self.plan)[pool.id]

    @cached_property
    def volumes(self) -> list[Volume]:
        """What fstab mounts: every file system that is not ZFS."""
        return list(volumes(self.index, self.host.id))

    @cached_property
    def trees(self) -> list[Tree]:
        """The trees over several of them."""
        return list(trees(self.index, self.host.id))


def hosts_with(protocol: str) -> "HostsOf":
    """Ids of the hosts that have an export over a protocol."""
    return HostsOf(protocol)


@dataclass(frozen=True)
class HostsOf:
    """Callable: the hosts, in plan order, that serve over a protocol."""

    protocol: str

    def __call__(self, plan: Plan) -> list[str]:
        """Their ids."""
        return [h.id for h in plan.hosts if Box(plan, h.id).exports(self.protocol)]


def hosts_with_works(plan: Plan) -> list[str]:
    """Ids of the hosts that files are written for: those that are set up, and those that a UPS tells."""
    told = {h for s in plan.supplies for h in s.signals}
    made = set(hosts_set_up(plan))
    return [h.id for h in plan.hosts if h.id in made or (h.id in told and not h.closed)]


def hosts_set_up(plan: Plan) -> list[str]:
    """Ids of the hosts that have a pool, or that an application runs on."""
    index = Index(plan)
    return [h.id for h in plan.hosts if is_set_up(index, h.id)]
