"""Which share names every SMB client can reach, and which folder a dataset gets on its host.

Source: MS-FSCC 2.1.5 for the characters, smb.conf(5) for the sections that are reserved.
"""

import re
import unicodedata
from collections.abc import Callable, Iterable, Mapping
from functools import lru_cache

from kavrel.core.once import once_a_plan
from kavrel.core.plan import Dataset, Plan

# Accounts and groups that the system made for itself: whoever joins one gets more than a share.
# Sources: users-and-groups.txt of Debian's base-passwd, the packages themselves; docker, libvirt and lxd give
# root as well.
SYSTEM_NAMES = frozenset(
    [
        "root",
        "daemon",
        "bin",
        "sys",
        "sync",
        "games",
        "man",
        "lp",
        "mail",
        "news",
        "uucp",
        "proxy",
        "www-data",
        "backup",
        "list",
        "irc",
        "gnats",
        "nobody",
        "systemd-network",
        "systemd-resolve",
        "systemd-timesync",
        "systemd-journal",
        "messagebus",
        "sshd",
        "adm",
        "tty",
        "disk",
        "kmem",
        "dialout",
        "fax",
        "voice",
        "cdrom",
        "floppy",
        "tape",
        "sudo",
        "audio",
        "dip",
        "operator",
        "src",
        "shadow",
        "utmp",
        "video",
        "sasl",
        "plugdev",
        "staff",
        "nogroup",
        "input",
        "kvm",
        "render",
        "crontab",
        "netdev",
        "ssh",
        "wheel",
        "docker",
        "libvirt",
        "lxd",
        # Accounts of the services that the papers install, and of others that boxes have.
        "avahi",
        "ftp",
        "mysql",
        "nut",
        "polkitd",
        "postdrop",
        "postfix",
        "postgres",
        "redis",
        "sambashare",
        "ssl-cert",
        "statd",
        "tss",
        "uuidd",
    ]
)
FORBIDDEN = '\\/[]:|<>+=;,*?"%'
# What the script lab-job is asked beside the names of jobs.
ASKED_OF_LAB_JOB = frozenset(["clock", "due", "list", "overdue", "points", "tell", "try"])
RESERVED = {"global", "homes", "printers", "ipc$", "print$", "admin$", "c$"}


def share_name_complaint(name: str) -> str | None:
    """Why a name cannot be that of an SMB share, or None."""
    bad = sorted({c for c in name if c in FORBIDDEN})
    if bad:
        return f"an SMB share name cannot contain {' '.join(bad)}"
    if name.casefold() in RESERVED:
        return f"{name} means something else to the file server: choose another name"
    return None


@lru_cache(maxsize=8192)
def slug(text: str, otherwise: str) -> str:
    """Lower-case ASCII letters, digits and dashes from any text; `otherwise` when none is left."""
    plain = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:60] or otherwise


@once_a_plan
def pool_names(plan: Plan) -> Mapping[str, str]:
    """Pool id to its name on the host: what it is known as there, else one that no other pool has."""
    named = _distinct((p.id, slug(p.name, p.id)) for p in plan.pools if not p.known_as)
    return {p.id: p.known_as or named[p.id] for p in plan.pools}


@once_a_plan
def pool_roots(plan: Plan) -> Mapping[str, str]:
    """Pool id to the folder that it is mounted at: its own path, else /srv/POOL."""
    names = pool_names(plan)
    return {p.id: p.path or f"/srv/{names[p.id]}" for p in plan.pools}


def zfs_namer(plan: Plan, host: str) -> Callable[[str], str]:
    """What a folder of a host is called by ZFS: the pool's name, and where it lies below the pool's root."""
    return zfs_namers(plan)[host]


@once_a_plan
def zfs_namers(plan: Plan) -> Mapping[str, Callable[[str], str]]:
    """Host id to what its folders are called by ZFS."""
    names, roots = pool_names(plan), pool_roots(plan)
    mine: dict[str, list[tuple[str, str]]] = {h.id: [] for h in plan.hosts}
    for pool in plan.pools:
        mine[pool.host].append((f"{roots[pool.id]}/", names[pool.id]))
    return {host: _zfs_namer(theirs) for host, theirs in mine.items()}


def _zfs_namer(mine: list[tuple[str, str]]) -> Callable[[str], str]:
    # The longest first: one root may begin like another.
    mine.sort(key=lambda one: -len(one[0]))

    def name(folder: str) -> str:
        for root, known in mine:
            if f"{folder}/".startswith(root):
                return f"{known}/{folder[len(root) :]}".rstrip("/")
        return folder.strip("/")

    return name


@once_a_plan
def job_names(plan: Plan) -> Mapping[str, str]:
    """Job id to its name on the host, each one different."""
    return _distinct(((j.id, slug(j.name, j.id)) for j in plan.jobs), ASKED_OF_LAB_JOB)


def _distinct(wanted: Iterable[tuple[str, str]], taken: Iterable[str] = ()) -> dict[str, str]:
    """Each with a name of its own, none of those that are taken."""
    names: dict[str, str] = {}
    used = set(taken)
    for key, wish in wanted:
        name = wish
        while name in used:
            name = f"{name}-{key}"
        names[key] = name
        used.add(name)
    return names


@once_a_plan
def copy_folders(plan: Plan) -> Mapping[tuple[str, str], str]:
    """Job id and dataset id to the folder that the copy lies in: /srv/POOL/JOB/DATASET.

    What lands by an export, or in a share, lies in its folder instead of the pool's.
    """
    roots, jobs, homes = pool_roots(plan), job_names(plan), folders(plan)
    exported = {e.id: homes[e.dataset] for e in plan.exports}
    shared = {s.id: homes[s.dataset] for s in plan.shares}
    by_copy: dict[tuple[str, str], str] = {}
    for job in plan.jobs:
        if job.target_pool:
            leaves = _distinct((d, homes[d].rpartition("/")[2]) for d in job.datasets)
            root = exported[job.lands_in] if job.lands_in else roots[job.target_pool]
            if job.lands_share:
                root = shared[job.lands_share]
            above = f"{root}/{jobs[job.id]}"
            by_copy |= {(job.id, d): f"{above}/{leaf}" for d, leaf in leaves.items()}
    return by_copy


@once_a_plan
def folders(plan: Plan) -> Mapping[str, str]:
    """Dataset id to its folder, each one different on its host: /srv/POOL/PARENT/DATASET."""
    roots = pool_roots(plan)
    hosts = {p.id: p.host for p in plan.pools}
    by_dataset: dict[str, str] = {}
    taken: set[tuple[str, str]] = set()
    left = list(plan.datasets)
    while left:
        # Parents first; a circle cannot be in a consistent plan.
        ready = [d for d in left if d.parent is None or d.parent in by_dataset] or left
        for dataset in ready:
            above = by_dataset.get(dataset.parent or "") or roots[dataset.pool]
            wanted = folder_of(dataset, above)
            if (hosts[dataset.pool], wanted) in taken:
                wanted = f"{wanted}-{dataset.id}"
            taken.add((hosts[dataset.pool], wanted))
            by_dataset[dataset.id] = wanted
        left = [d for d in left if d.id not in by_dataset]
    return by_dataset


def folder_of(dataset: Dataset, above: str) -> str:
    """The folder that a dataset would have were it alone in the one above."""
    return f"{above}/{dataset.folder or slug(dataset.name, dataset.id)}"
