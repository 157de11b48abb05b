"""The runbook's part on each machine: onto which disk it is installed, how it is reached, what is locked."""

from collections.abc import Collection, Iterator

from kavrel.core.copies.keys import locked_after_start
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.paper.document import Section, SheetStep
from kavrel.core.plan import Host, Pool
from kavrel.core.quantities import size_words
from kavrel.core.shares.names import pool_names
from kavrel.core.shares.protocols import PROTOCOLS
from kavrel.core.typed import typed
from kavrel.core.works.pools import DeviceLocked, works_of_pool
from kavrel.core.works.shut_in import shut_in
from kavrel.core.works.volumes import made_by_script, tree_of, volumes_of

BOOT_WORDS = {
    "ssd": "its SSD",
    "nvme": "its NVMe",
    "hdd": "its hard disk",
    "usb_stick": "its USB stick",
    "sd_card": "its SD card",
}
AFTER_A_CUT = {
    "by_itself": "starts by itself",
    "over_network": "stays off, and is woken over the network (wake-on-LAN on)",
    "by_hand": "stays off until somebody presses its button",
}


def machines(index: Index) -> Section:
    """In the order of work: system, address, passwords, updates, the way back in."""
    steps: list[SheetStep] = []
    working = {p.host for p in index.plan.pools} | {h for s in index.plan.supplies for h in s.hosts}
    working |= {d.host for d in index.plan.disks if d.host}
    for host in index.plan.hosts:
        if host.id in working:
            steps += _machine(index, host)
    return Section(
        title="Machines",
        intro="Passwords are changed before a machine is on any network that others can reach.",
        steps=tuple(steps),
    )


def _machine(index: Index, host: Host) -> Iterator[SheetStep]:
    if host.personal:
        yield from _passwords(index, host)
        yield SheetStep(
            text=f"{host.name}: let it take updates by itself; whoever works at it administers nothing"
        )
        return
    stands = any(p.standing for p in index.plan.pools if p.host == host.id)
    if stands and not host.closed:
        yield SheetStep(
            text=f"{host.name}: runs already, from {_target(index, host)}; its system is left as it is",
            minds=("Where its boot device died, the restore sheet says what comes first.",),
        )
    elif not host.closed:
        yield SheetStep(
            text=f"{host.name}: write its system onto a stick, after comparing the image's checksum with the "
            f"one that its makers sign; install it onto {_target(index, host)}",
            minds=(_spared(index, host),),
        )
    yield SheetStep(
        text=f"{host.name}: {_found_at(host, stands)}, and sign in from the same LAN",
        minds=("A certificate that warns on the first visit is its own: compare its fingerprint.",),
    )
    yield from _passwords(index, host)
    yield SheetStep(
        text=f"{host.name}: install what updates there are, start it again, and look what changed"
    )
    if not host.closed:
        yield SheetStep(
            text=f"{host.name}: try the way in that is left when the network is not: screen and keyboard, or "
            "its serial console; write it onto the restore sheet",
            minds=("Shell access that is lost is won back there, and nowhere else.",),
        )
    if any(p.host == host.id for p in index.plan.pools):
        yield SheetStep(text=f"{host.name}: copy its configuration elsewhere once it runs")
        yield SheetStep(
            text=f"{host.name}, in its firmware: after a power cut it {AFTER_A_CUT[host.after_power_cut]}",
            minds=(f"It comes back as number {host.start_order}.",),
        )


def _target(index: Index, host: Host) -> str:
    disk = index.disks.get(host.boot_disk or "")
    if disk is None:
        return BOOT_WORDS[host.boot_device]
    serial = f"serial {disk.serial}" if disk.serial else "the serial is not in the plan"
    most = f", of at most {size_words(host.system_bytes)}" if host.system_bytes else ""
    return f"a part of {disk.label} ({serial}){most}, with a GPT, the rest of it left unused"


def _spared(index: Index, host: Host) -> str:
    others = [d for d in index.plan.disks if d.host == host.id and d.id != host.boot_disk]
    if not others:
        return "It has no other disk in it."
    serials = ", ".join(d.serial or d.label for d in others)
    return f"Pull out the data disks until it has started once, or compare serials: never onto {serials}."


def _found_at(host: Host, stands: bool) -> str:
    fixed = host.addressing == "static" or not host.address
    if stands:
        return (
            "look up its address"
            if fixed
            else f"see that the router reserves {host.address} for it"
        )
    if fixed:
        return "find its first address on its screen, or in the router's list of devices"
    return f"find its first address in the router's list of devices, and reserve {host.address} for it there"


def _passwords(index: Index, host: Host) -> Iterator[SheetStep]:
    minds = ("Do this before it is on any network.",)
    for login in index.plan.default_logins:
        if login.host == host.id and login.changed_on is None and not login.off:
            text = f"{host.name}, {login.service}: change the password of {login.login}, or switch it off"
            yield SheetStep(text=text, minds=minds)
    if not host.default_passwords_changed:
        text = f"{host.name}: change every default password (web, root shell, file service)"
        yield SheetStep(text=text, minds=minds)


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
