"""Limits: what a dataset may fill with all below it, what is kept free for it, what an account may fill.

ZFS and Btrfs count by dataset; ext4 and XFS by project number, and an account over the whole file
system. Sources: zfsprops(7), btrfs-qgroup(8), setquota(8), ext4(5), xfs_quota(8).
"""

import zlib
from collections.abc import Iterator
from dataclasses import dataclass

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.plan import Dataset, Pool, Quota
from kavrel.core.shares.names import folders, pool_roots, zfs_namer
from kavrel.core.works.volumes import counts_datasets
from kavrel.core.works.work import Work

FIRST_PROJECT, PROJECTS = 1_000, 2_000_000_000


@dataclass(frozen=True)
class DatasetLimited(Work):
    """What a dataset may fill, and what is kept for it, in bytes; 0: no limit, nothing kept.

    `project`: its number where the file system counts by those, else None.
    """

    fields = ("datasets.quota_bytes", "datasets.reserve_bytes")

    dataset: Dataset
    folder: str
    root: str
    limit_bytes: int
    kept_bytes: int
    project: int | None


@dataclass(frozen=True)
class AccountLimited(Work):
    """What an account may fill of `folder`: a dataset's, or a `whole` file system's."""

    fields = ("quotas.account", "quotas.dataset", "quotas.bytes")

    login: str
    whole: bool
    dataset: Dataset
    folder: str
    bytes: int


def limit_works(index: Index, host: str) -> Iterator[Work]:
    """Limits of all datasets of a host, and of accounts on them."""
    paths, roots = folders(index.plan), pool_roots(index.plan)
    zfs_name = zfs_namer(index.plan, host)
    for dataset in index.plan.datasets:
        pool = index.pools[dataset.pool]
        if pool.host != host:
            continue
        system, folder = FILESYSTEMS[pool.filesystem], paths[dataset.id]
        able = counts_datasets(pool)
        left = ""
        if dataset.quota_bytes and not able:
            left = f"{pool.filesystem} counts no folder by itself here: it has no limit"
        elif dataset.reserve_bytes and not system.reserves:
            left = f"{pool.filesystem} keeps no room for one folder: leave it free by hand"
        if dataset.quota_bytes is not None or dataset.reserve_bytes:
            yield DatasetLimited(
                f"limit/{folder}", f"what {dataset.name} may fill", (("datasets", dataset.id),),
                (f"folder/{folder}",), _see(pool, folder, zfs_name(folder)),
                _back(pool, dataset, (folder, zfs_name(folder), roots[pool.id])), left,
                dataset=dataset, folder=folder, root=roots[pool.id],
                limit_bytes=dataset.quota_bytes or 0 if able else 0,
                kept_bytes=dataset.reserve_bytes if system.reserves else 0,
                project=_project(dataset) if system.project_quotas and able else None,
            )  # fmt: skip
        for quota in index.plan.quotas:
            if quota.dataset == dataset.id and index.accounts[quota.account].enabled:
                yield _account(index, quota, pool, (folder, zfs_name(folder), roots[pool.id]))


def _project(dataset: Dataset) -> int:
    """The number under which a file system counts a dataset: the same whenever it is asked for."""
    return FIRST_PROJECT + zlib.crc32(dataset.id.encode()) % PROJECTS


def _see(pool: Pool, folder: str, name: str) -> str:
    system = FILESYSTEMS[pool.filesystem]
    if system.by_name:
        return f"zfs get quota,reservation {name}"
    if system.subvolumes:
        return f"btrfs qgroup show -r {folder}"
    return f"lsattr -pd {folder}; repquota -P -a"


def _back(pool: Pool, dataset: Dataset, places: tuple[str, str, str]) -> str:
    folder, name, root = places
    system = FILESYSTEMS[pool.filesystem]
    if system.by_name:
        return f"zfs set quota=none reservation=none {name}"
    if system.subvolumes:
        return f"btrfs qgroup limit none {folder}"
    return f"setquota -P {_project(dataset)} 0 0 0 0 {root}"


def _account(
    index: Index, quota: Quota, pool: Pool, places: tuple[str, str, str]
) -> AccountLimited:
    folder, name, root = places
    system, dataset = FILESYSTEMS[pool.filesystem], index.datasets[quota.dataset]
    login = index.accounts[quota.account].login
    left = ""
    if not system.by_name:
        alone = sum(d.pool == pool.id for d in index.plan.datasets) == 1
        if not system.project_quotas or not counts_datasets(pool):
            left = f"{pool.filesystem} counts no single user here"
        elif not alone:
            left = f"{pool.filesystem} counts a user over the whole file system, not in one folder"
        if left:
            left += "; give it a dataset of its own on ZFS, or do without"
    return AccountLimited(
        f"limit/{folder}/{login}", f"the quota of {login} on {dataset.name}",
        (("quotas", quota.id),), (f"account/{login}", f"folder/{folder}"),
        f"zfs userspace {name}" if system.by_name else "repquota -u -a",
        f"zfs set userquota@{login}=none {name}" if system.by_name
        else f"setquota -u {login} 0 0 0 0 {root}", left,
        login=login, whole=not system.by_name, dataset=dataset,
        folder=folder if system.by_name else root, bytes=quota.bytes,
    )  # fmt: skip
