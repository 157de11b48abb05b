"""The runbook's part on each machine: onto which disk it is installed, how it is reached, what is locked."""

from collections.abc import Collection
from datetime import date

from kavrel.core.copies.keys import locked_after_start
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.paper.document import Section, SheetStep
from kavrel.core.plan import Pool
from kavrel.core.shares.names import pool_names
from kavrel.core.shares.protocols import PROTOCOLS
from kavrel.core.typed import typed
from kavrel.core.works import bill
from kavrel.core.works.machine import AddressHeld, Readied, VpnJoined
from kavrel.core.works.pools import DeviceLocked, works_of_pool
from kavrel.core.works.shut_in import shut_in
from kavrel.core.works.volumes import made_by_script, tree_of, volumes_of


def machines(index: Index, today: date) -> Section:
    """In the order of work: system, first way in, passwords, updates, packages, the way back in."""
    steps = [
        step(index, host.id, work)
        for host in index.plan.hosts
        for work in bill(index, host.id, today)
        if isinstance(work, Readied) and not isinstance(work, AddressHeld | VpnJoined)
    ]
    return Section(
        title="Machines",
        intro="Passwords are changed before a machine is on any network that others can reach.",
        steps=tuple(steps),
    )


def addresses(index: Index, today: date) -> list[SheetStep]:
    """What holds each machine's address, and joins it to the VPN."""
    return [
        step(index, host.id, work)
        for host in index.plan.hosts
        for work in bill(index, host.id, today)
        if isinstance(work, AddressHeld | VpnJoined)
    ]


def step(index: Index, host: str, work: Readied) -> SheetStep:
    """A work of a machine as a step."""
    return SheetStep(text=f"{index.hosts[host].name}: {work.by_hand}", minds=work.minds)


def waits(index: Index, pool: Pool) -> bool:
    """Whether anything on it stays locked after a start until somebody is there."""
    mine = (d for d in index.plan.datasets if d.pool == pool.id)
    return pool.waits or any(locked_after_start(index, d) for d in mine)


def served_again(index: Index, pools: Collection[str]) -> list[str]:
    """Commands by which servers find what of these pools was not there when they started."""
    there = (e for e in index.plan.exports if index.datasets[e.dataset].pool in pools)
    found = (PROTOCOLS[e.protocol].service.again(e) for e in there)
    return list(dict.fromkeys(line for line in found if line))


def unlocking(index: Index, pool: Pool) -> tuple[str, ...]:
    """Commands that open a locked pool by its passphrase; none where it is not encrypted."""
    locked = [d for d in index.plan.datasets if d.pool == pool.id and d.encrypted]
    name = pool_names(index.plan)[pool.id]
    if not pool.encrypted and not locked:
        return ()
    if index.hosts[pool.host].personal:
        return ("give its passphrase where the PC asks for it at the start",)
    if index.hosts[pool.host].closed:
        return ("enter the passphrase in its web page",)
    bound = [typed(f"mount {one.folder}") for one in shut_in(index, pool.host) if one.pool == pool]
    if FILESYSTEMS[pool.filesystem].by_name:
        asked = " -L prompt" if pool.opens_alone else ""
        return (typed(f"zfs load-key -r{asked} {name}"), typed("zfs mount -a"), *bound)
    if not pool.encrypted:
        return ()
    made = list(works_of_pool(index, pool.model_copy(update={"standing": False})))
    opened = [
        typed(f"cryptsetup open /dev/disk/by-uuid/{w.identifier} {w.name}")
        for w in made
        if isinstance(w, DeviceLocked)
    ]
    if not opened or (pool.standing and not made_by_script(index, pool)):
        # Made by whoever made it: its names are the machine's.
        opened = [
            "`cat /etc/crypttab`, and open each line of it that is its, NAME before DEVICE there: "
            "`cryptsetup open DEVICE NAME`"
        ]
    folders = [v.folder for v in volumes_of(index, pool)]
    tree = tree_of(index, pool)
    return (
        *opened,
        *(typed(f"mount {f}") for f in folders),
        *((typed(f"mount {tree.folder}"),) if tree else ()),
        *bound,
    )
