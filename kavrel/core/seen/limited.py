"""Limits of folders and accounts as a box has them, against those of the plan's works.

File systems that count in units of 1 KiB have a limit rounded up to those, as `setup.sh` sets it.
"""

from collections.abc import Iterator

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.quantities import size_words, sizes_apart
from kavrel.core.seen.drifted import Drifted
from kavrel.core.seen.machine import Machine
from kavrel.core.shares.names import folders, pool_roots, zfs_namer
from kavrel.core.works.limits import AccountLimited, DatasetLimited, limit_works

AGAIN = "sh setup.sh"
NONE = "no limit"


class Limits:
    """What differs of one host's limits; `unknown`: those that no listing of the look shows."""

    def __init__(self, index: Index, host: str, machine: Machine) -> None:
        self.index, self.host, self.seen = index, host, machine.limits
        self.agreed = 0
        self.unknown: list[str] = []
        self.wanted: set[tuple[str, str]] = set()

    def rows(self) -> Iterator[Drifted]:
        """Each limit of the works, then those of accounts that the plan does not have."""
        name_of = zfs_namer(self.index.plan, self.host)
        for work in limit_works(self.index, self.host):
            if isinstance(work, DatasetLimited) and work.project is not None:
                counted = f"project {work.root}", f"{work.project}"
                limit = _whole(work.limit_bytes)
                yield from self._one(counted, limit, "datasets", work.dataset.id, work.dataset.name)
            elif isinstance(work, AccountLimited) and not work.by_hand:
                place = work.folder if work.whole else name_of(work.folder)
                limit = _whole(work.bytes) if work.whole else work.bytes
                ((_, quota),) = work.makes
                name = f"{work.login} on {work.dataset.name}"
                yield from self._one((f"user {place}", work.login), limit, "quotas", quota, name)
        yield from self._others()

    def _one(
        self, counted: tuple[str, str], wanted: int, collection: str, about: str, name: str
    ) -> Iterator[Drifted]:
        place, who = counted
        self.wanted.add(counted)
        table = self.seen.get(place)
        if table is None:
            self.unknown.append(f"the limit of {name}: no listing shows what is counted there")
            return
        there = table.get(who, 0)
        if there == wanted:
            self.agreed += 1
            return
        planned, found = _words(wanted, there)
        yield Drifted(
            host=self.host,
            verdict="missing" if not there else "different" if wanted else "extra",
            collection=collection,
            about=about,
            name=name,
            field="quota",
            planned=planned,
            seen=found,
            command=AGAIN,
        )

    def _others(self) -> Iterator[Drifted]:
        """Accounts that are limited where the plan's pools are, and that the plan limits nowhere."""
        for place, table in self.seen.items():
            kind, _, where = place.partition(" ")
            if kind != "user" or where not in self._places():
                continue
            for who, limit in table.items():
                if limit and (place, who) not in self.wanted:
                    path = where.startswith("/")
                    yield Drifted(
                        host=self.host,
                        verdict="extra",
                        collection="quotas",
                        about="",
                        name=f"{who} on {where}",
                        field="quota",
                        planned=NONE,
                        seen=size_words(limit),
                        command=f"setquota -u {who} 0 0 0 0 {where}"
                        if path
                        else f"zfs set userquota@{who}=none {where}",
                    )

    def _places(self) -> set[str]:
        plan, name_of = self.index.plan, zfs_namer(self.index.plan, self.host)
        roots = pool_roots(plan)
        mine = [p for p in plan.pools if p.host == self.host]
        places = {roots[p.id] for p in mine if FILESYSTEMS[p.filesystem].project_quotas}
        sets = {p.id for p in mine if FILESYSTEMS[p.filesystem].by_name}
        at = folders(plan)
        return places | {name_of(at[d.id]) for d in plan.datasets if d.pool in sets}


def _whole(limit: int) -> int:
    return -(-limit // 1024) * 1024


def _words(wanted: int, there: int) -> tuple[str, str]:
    if wanted and there:
        planned, found = sizes_apart(wanted, there)
        return planned, found
    return (size_words(wanted) if wanted else NONE), (size_words(there) if there else NONE)
