"""Where shares, datasets, addresses and applications contradict themselves."""

import ipaddress
import re
from collections.abc import Iterator

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.plan import Network, Plan, Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.parts import parts_of
from kavrel.core.shares.names import pool_names, pool_roots
from kavrel.core.shares.protocols import PROTOCOLS

Place = tuple[str, str, str, str]  # collection, item, field, what would be right


def contradictions(plan: Plan) -> Iterator[Place]:
    """All of them; references are known to be whole."""
    index = Index(plan)
    yield from _places(plan)
    yield from _tree(index)
    yield from _networks(plan)
    yield from _numbers(plan)
    yield from _shares(index)
    yield from _exports(index)
    yield from _apps(index)
    seen: set[tuple[str, str]] = set()
    for quota in plan.quotas:
        if (quota.account, quota.dataset) in seen:
            yield "quotas", quota.id, "account", "this account already has a quota on the dataset"
        seen.add((quota.account, quota.dataset))


# Folders of the system itself, and those that only hold others.
SYSTEM_TREES = frozenset(
    "bin boot dev etc lib lib64 proc root run sbin sys tmp usr".split()  # noqa: SIM905 - one line
)
HOLDERS = frozenset(["/var", "/home", "/srv", "/mnt", "/media", "/opt"])
# Source: zpool-create(8): names that begin like these are ZFS's own; a name begins with a letter.
KEPT_BY_ZFS = re.compile(r"mirror|raidz|draid|spare|c[0-9]|log$")
MD_NAME_MOST = 32  # characters; source: mdadm 4.2, tried: "Name ... is too long"
# A volume group has a folder in /dev: vgcreate refuses what is there already. Source: tried with LVM
# 2.03; the names of the kernel's devices.txt and of udev on Debian.
IN_DEV = re.compile(
    r"autofs|block|bsg|btrfs-control|bus|cdrom|char|console|core|cpu|cuse|disk|dma-heap|dri|dvd|fd|full|fuse"
    r"|gpio.*|hidraw.*|hpet|hugepages|hwrng|i2c.*|initctl|input|ipmi.*|kfd|kmsg|kvm|log|loop-control|mapper|md"
    r"|media.*|mei.*|mem|mqueue|net|null|nvram|parport.*|port|ppp|psaux|ptmx|pts|ptp.*|random|rfkill|rtc.*"
    r"|serial|shm|snapshot|snd|stderr|stdin|stdout|tpm.*|tty.*|udmabuf|uhid|uinput|urandom|usb.*|userfaultfd"
    r"|v4l|vcs.*|vfio|vga-arbiter|vhci|vhost-.*|video.*|vsock|watchdog.*|zero|zfs"
    r"|(sd|hd|vd|xvd)[a-z]+[0-9]*|(dm-|fb|lp|loop|md|mmcblk|nbd|nvme|ram|sg|sr|st|zd|zram)[0-9].*"
)


def _places(plan: Plan) -> Iterator[Place]:
    """Pools whose name or folder is taken, or lies in another's."""
    names, roots = pool_names(plan), pool_roots(plan)
    for pool in plan.pools:
        root, name = roots[pool.id], names[pool.id]
        if pool.path and (root.split("/")[1] in SYSTEM_TREES or root in HOLDERS):
            yield (
                "pools",
                pool.id,
                "path",
                f"{root} is the system's own: a pool would hide what is there",
            )
        text = _name_complaint(pool, name)
        if text:
            yield "pools", pool.id, "known_as", f"{text}: say what it is known as there"
        yield from _parts(pool)
        for other in plan.pools:
            if other.id == pool.id or other.host != pool.host:
                continue
            if names[other.id] == name:
                text = f"pool {other.name} is known as {name} on this box already"
                yield "pools", pool.id, "known_as", text
            if f"{root}/".startswith(f"{roots[other.id]}/"):
                text = f"{root} lies in pool {other.name}: a pool has a folder of its own"
                yield "pools", pool.id, "path", text


def _numbers(plan: Plan) -> Iterator[Place]:
    """Two with one number are one to a file system; an account's own group has the account's."""
    chosen = {g.name for g in plan.groups}
    rows = [("accounts", a.id, a.number, a.login) for a in plan.accounts]
    rows += [("groups", g.id, g.number, f"group {g.name}") for g in plan.groups]
    taken: dict[tuple[str, int], str] = {}
    for where, key, number, name in rows:
        if number is None:
            continue
        if (where, number) in taken:
            yield where, key, "number", f"{number} is the number of {taken[where, number]} already"
            continue
        taken[where, number] = name
        if where == "accounts" and name not in chosen:
            taken.setdefault(("groups", number), f"{name}'s own group")


def _name_complaint(pool: Pool, name: str) -> str:
    """Why what makes a pool takes no such name; empty where it does."""
    family = FAMILIES[pool.family]
    if FILESYSTEMS[pool.filesystem].by_name:
        if KEPT_BY_ZFS.match(name):
            return f"ZFS keeps names like {name} for itself"
        return "" if name[0].isalpha() else f"a name in ZFS begins with a letter, not as {name}"
    if pool.standing:
        return ""
    in_groups = family.joined_volumes or family.cuts is not None
    if in_groups and IN_DEV.fullmatch(name):
        return f"a volume group cannot be called {name}: /dev/{name} is the system's own"
    of_several = len("-fast") if pool.tier else len("-10") if family.nested or family.cuts else 0
    most = MD_NAME_MOST - of_several
    if (family.md_level or family.cuts or pool.tier) and len(name) > most:
        return f"md takes names of at most {most} characters here, and {name} has {len(name)}"
    return ""


def _parts(pool: Pool) -> Iterator[Place]:
    """What is said of several file systems under one folder, where it cannot be."""
    said = (("branch_paths", pool.branch_paths), ("branch_uuids", pool.branch_uuids))
    for field, values in said:
        if not values or not pool.standing:
            continue
        parts = parts_of(pool)
        if len(parts) < 2:
            text = "it has one file system: where it is and which it is stands under Mounted at and UUID"
            yield "pools", pool.id, field, text
        elif len(values) != len(parts):
            text = f"it has {len(parts)} file systems, and here are {len(values)}"
            yield "pools", pool.id, field, text
        elif len(set(values)) < len(values):
            yield "pools", pool.id, field, "each of its file systems is another"


def _tree(index: Index) -> Iterator[Place]:
    for dataset in index.plan.datasets:
        pool = index.pools[dataset.pool]
        system = FILESYSTEMS[pool.filesystem]
        if dataset.reserve_bytes and not system.reserves:
            text = f"{pool.filesystem} reserves nothing: only ZFS keeps room for a dataset"
            yield "datasets", dataset.id, "reserve_bytes", text
        joined = FAMILIES[pool.family].apart or (pool.tier and system.project_quotas)
        if dataset.quota_bytes is not None and joined:
            text = "a tree over several file systems counts no folder: leave the quota out"
            yield "datasets", dataset.id, "quota_bytes", text
        elif dataset.quota_bytes is not None and not system.quotas:
            text = f"{pool.filesystem} has no quota on a folder: use ZFS, Btrfs, ext4 or XFS"
            yield "datasets", dataset.id, "quota_bytes", text
        if dataset.quota_bytes is not None and dataset.reserve_bytes > dataset.quota_bytes:
            text = "more is reserved than the quota allows"
            yield "datasets", dataset.id, "reserve_bytes", text
        if dataset.encrypted and not system.encrypts:
            text = f"{pool.filesystem} encrypts no single dataset: encrypt the pool's disks"
            yield "datasets", dataset.id, "encrypted", text
        above, steps = dataset.parent, 0
        while above is not None:
            parent = index.datasets[above]
            if parent.pool != dataset.pool:
                text = f"{parent.name} is on another pool: a child is on its parent's"
                yield "datasets", dataset.id, "parent", text
                break
            steps += 1
            if above == dataset.id or steps > len(index.plan.datasets):
                text = "the datasets are each other's parents in a circle"
                yield "datasets", dataset.id, "parent", text
                break
            above = parent.parent


def _shares(index: Index) -> Iterator[Place]:
    for share in index.plan.shares:
        if share.pc_backups and share.recycle_days:
            text = "a bin would keep every piece that a backup program deletes: 0 days here"
            yield "shares", share.id, "recycle_days", text
    for pool in index.plan.pools:
        host, system = index.hosts[pool.host], FILESYSTEMS[pool.filesystem]
        if system.foreign and not host.personal:
            text = f"{system.title} is for a PC in daily use: {host.name} is none"
            yield "pools", pool.id, "filesystem", text
        elif host.personal and not pool.standing:
            text = "a PC's own system makes it: it stands already"
            yield "pools", pool.id, "standing", text
    for host in index.plan.hosts:
        if host.smb == "old" and not host.closed:
            text = (
                "a server of ours speaks newer dialects: this is for firmware that knows no other"
            )
            yield "hosts", host.id, "smb", text


def _networks(plan: Plan) -> Iterator[Place]:
    for network in plan.networks:
        yield from _network(network)
        for other in plan.networks:
            if other.id < network.id and other.site == network.site:
                a, b = ipaddress.ip_network(network.range), ipaddress.ip_network(other.range)
                if a.version == b.version and a.overlaps(b):
                    yield "networks", network.id, "range", f"it overlaps with {other.name}"


def _network(network: Network) -> Iterator[Place]:
    whole = ipaddress.ip_network(network.range)
    if (network.dhcp_from is None) != (network.dhcp_to is None):
        yield "networks", network.id, "dhcp_to", "give both ends of the DHCP range, or none"
    for field in ("dhcp_from", "dhcp_to", "gateway"):
        given = getattr(network, field)
        if given and ipaddress.ip_address(given) not in whole:
            yield "networks", network.id, field, f"{given} is not in {network.range}"
    if network.dhcp_from and network.dhcp_to:
        low, high = (ipaddress.ip_address(a) for a in (network.dhcp_from, network.dhcp_to))
        if low.version == high.version and int(low) > int(high):
            yield "networks", network.id, "dhcp_to", "the range ends before it begins"


def _exports(index: Index) -> Iterator[Place]:
    taken: dict[tuple[str, str], str] = {}
    for export in index.plan.exports:
        protocol = PROTOCOLS[export.protocol]
        host = index.pools[index.datasets[export.dataset].pool].host
        key = (f"{export.protocol} {host}", export.name)
        if key in taken:
            text = f"there is already a {protocol.title} called {export.name} on this host"
            yield "exports", export.id, "name", text
        taken[key] = export.id
        for field, text in protocol.complaints(export, index):
            yield "exports", export.id, field, text


def _apps(index: Index) -> Iterator[Place]:
    apps = {a.id: a for a in index.plan.apps}
    inside: set[tuple[str, str]] = set()
    for mount in index.plan.mounts:
        app = apps[mount.app]
        if (mount.app, mount.inside) in inside:
            text = f"{app.name} already sees something at {mount.inside}"
            yield "mounts", mount.id, "inside", text
        inside.add((mount.app, mount.inside))
