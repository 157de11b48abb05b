"""Which host, disk, pool and dataset of the plan a thing is that was seen: by serial, UUID and path."""

from collections.abc import Callable
from functools import cached_property

from kavrel.core.index import Index
from kavrel.core.plan import Dataset, Disk, Host, Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.seen.machine import Machine, SeenDataset, SeenDisk, SeenPool
from kavrel.core.shares.names import folders, pool_names, pool_roots


def host_of(index: Index, machine: Machine) -> Host | None:
    """The host that the machine is: by its name, else by most of that host's disks, else by its address."""
    named = [h for h in index.plan.hosts if _plain(h.name) == _plain(machine.host)]
    if machine.host and len(named) == 1:
        return named[0]
    serials = {d.serial for d in machine.disks if d.serial}
    there = [d.host for d in index.plan.disks if d.serial in serials and d.host]
    if there:
        most = max(set(there), key=there.count)
        mine = [d for d in index.plan.disks if d.host == most and d.serial]
        # A box that was renamed has its disks still; one disk of another's is a disk that moved.
        if not machine.host or there.count(most) * 2 > len(mine):
            return index.hosts[most]
    reached = set(machine.addresses)
    at = [h for h in index.plan.hosts if reached & {h.address, h.vpn_address} - {None}]
    return at[0] if len(at) == 1 else None


def is_made_alike(index: Index, pool: Pool, family: str) -> bool:
    """Whether a machine has nothing to tell a pool of the plan from one of this family by.

    Disks of which one part alone is taken have one array: that of an ordinary layout. One disk is one disk.
    """
    mine = FAMILIES[pool.family]
    if mine.card:  # which shows its disks as one
        return family in (mine.id, "single")
    if len(pool.disks) == 1:
        return True
    if mine.id == family or mine.cuts is None:
        return mine.id == family
    cuts = mine.cuts([index.data_bytes(d) for d in pool.disks])
    return len(cuts) == 1 and cuts[0].level == FAMILIES[family].md_level


def _plain(name: str) -> str:
    # The first word of a full name: nas.home.lab is nas.
    return name.casefold().partition(".")[0].strip()


class Known:
    """A machine beside the plan: what of it is what, for one host."""

    def __init__(self, index: Index, machine: Machine, host: str | None) -> None:
        self.index, self.machine, self.host = index, machine, host
        self._folders, self._roots = folders(index.plan), pool_roots(index.plan)
        self._names = pool_names(index.plan)

    @cached_property
    def disks(self) -> dict[str, Disk]:
        """Device to the disk of the plan that has its serial."""
        by_serial = {d.serial.casefold(): d for d in self.index.plan.disks if d.serial}
        return {
            s.device: by_serial[s.serial.casefold()]
            for s in self.machine.disks
            if s.serial and s.serial.casefold() in by_serial
        }

    @cached_property
    def seen_disks(self) -> dict[str, SeenDisk]:
        """Devices of the machine by name."""
        return {d.device: d for d in self.machine.disks}

    @cached_property
    def pools(self) -> dict[str, Pool]:
        """Name of a pool there to the pool of the plan: by UUID, by its disks, by its name or place.

        What is surest is looked for first, of all of them: the file system of a box's own system may lie on
        a disk of a pool.
        """
        mine = [p for p in self.index.plan.pools if p.host == self.host]
        members = {
            s.name: {self.disks[d].id for g in s.groups for d in g if d in self.disks}
            for s in self.machine.pools
        }

        def named(p: Pool, s: SeenPool) -> bool:
            return self._names[p.id] == s.name

        def placed(p: Pool, s: SeenPool) -> bool:
            return bool(s.path) and self._roots[p.id] == s.path

        def of_its_disks(p: Pool, s: SeenPool) -> bool:
            return bool(members[s.name]) and members[s.name] == set(p.disks)

        ways: tuple[Callable[[Pool, SeenPool], bool], ...] = (
            lambda p, s: bool(p.uuid) and p.uuid == s.uuid,
            lambda p, s: of_its_disks(p, s) and (named(p, s) or placed(p, s)),
            of_its_disks,
            named,
            placed,
            lambda p, s: len(members[s.name] & set(p.disks)) * 2 > len(p.disks),
        )
        result: dict[str, Pool] = {}
        for same in ways:
            for seen in self.machine.pools:
                taken = {p.id for p in result.values()}
                able = [p for p in mine if p.id not in taken and same(p, seen)]
                if seen.name not in result and len(able) == 1:
                    result[seen.name] = able[0]
        return result

    @cached_property
    def by_card(self) -> frozenset[str]:
        """Devices that a hardware card shows in the place of a pool's disks, which it alone sees."""
        cards = {name for name, pool in self.pools.items() if FAMILIES[pool.family].card}
        return frozenset(
            d for s in self.machine.pools if s.name in cards for g in s.groups for d in g
        )

    @cached_property
    def datasets(self) -> dict[str, Dataset]:
        """Folder of a dataset there to that of the plan."""
        by_folder = {
            self._folders[d.id]: d
            for d in self.index.plan.datasets
            if self.index.pools[d.pool].host == self.host
        }
        result: dict[str, Dataset] = {}
        for seen in self.machine.datasets:
            pool = self.pools.get(seen.pool)
            # A ZFS dataset may be mounted elsewhere than its name says: the name counts as well.
            planned = f"{self._roots[pool.id]}/{seen.name}" if pool else ""
            for folder in (seen.folder, planned):
                if folder in by_folder:
                    result[seen.folder] = by_folder[folder]
                    break
        return result

    def pool_seen(self, pool: str) -> SeenPool | None:
        """What was seen of a pool of the plan."""
        name = next((n for n, p in self.pools.items() if p.id == pool), None)
        return next((s for s in self.machine.pools if s.name == name), None)

    def dataset_seen(self, dataset: str) -> SeenDataset | None:
        """What was seen of a dataset of the plan."""
        folder = next((f for f, d in self.datasets.items() if d.id == dataset), None)
        return next((s for s in self.machine.datasets if s.folder == folder), None)
