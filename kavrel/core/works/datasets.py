"""Datasets of a host: that they are there, made as the plan has them, and what their file system cannot do."""

from collections.abc import Iterator
from dataclasses import dataclass

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.plan import Dataset, Pool
from kavrel.core.shares.names import folders, pool_names, zfs_namer
from kavrel.core.works.work import Work


@dataclass(frozen=True)
class DatasetThere(Work):
    """A dataset at its folder. `options`: what ZFS makes it with, property and value; empty elsewhere."""

    fields = (
        "datasets.name",
        "datasets.pool",
        "datasets.parent",
        "datasets.folder",
        "datasets.compression",
        "datasets.checksums",
        "datasets.record_kib",
        "datasets.encrypted",
    )

    dataset: Dataset
    folder: str
    options: tuple[tuple[str, str], ...]


def dataset_works(index: Index, host: str) -> Iterator[DatasetThere]:
    """One for each dataset of a host, parents first."""
    paths, names = folders(index.plan), pool_names(index.plan)
    mine = [d for d in index.plan.datasets if index.pools[d.pool].host == host]
    zfs_name = zfs_namer(index.plan, host) if mine else str
    for dataset in sorted(mine, key=lambda d: paths[d.id].count("/")):
        pool, folder = index.pools[dataset.pool], paths[dataset.id]
        left = "; ".join(cannot(pool, dataset))
        if index.hosts[host].closed:
            left = (
                f"{index.hosts[host].name} has firmware of its own: make the folder in its web page"
            )
        yield DatasetThere(
            f"dataset/{folder}", f"dataset {dataset.name} at {folder}", (("datasets", dataset.id),),
            (f"pool/{names[pool.id]}",), _see(pool, folder, zfs_name(folder)),
            "keep it: all that is in it would go with it", left,
            dataset=dataset, folder=folder, options=_options(pool, dataset),
        )  # fmt: skip


def cannot(pool: Pool, dataset: Dataset) -> list[str]:
    """What the plan wants of a dataset and its file system does not do: said, never left out."""
    system, name = FILESYSTEMS[pool.filesystem], pool.filesystem
    if system.by_name:
        return []
    wishes = (
        (dataset.record_kib, f"a record size is ZFS's: {name} has none to set"),
        (dataset.encrypted, f"{name} locks no single folder: encrypt the pool"),
        (
            not system.subvolumes and dataset.compression == "zstd",
            f"{name} does not compress: what is written takes its full size",
        ),
    )
    return [why for wanted, why in wishes if wanted]


def _options(pool: Pool, dataset: Dataset) -> tuple[tuple[str, str], ...]:
    """Source: zfsprops(7)."""
    if not FILESYSTEMS[pool.filesystem].by_name:
        return ()
    options: list[tuple[str, str]] = [("compression", dataset.compression)]
    if dataset.record_kib:
        options.append(("recordsize", f"{dataset.record_kib}K"))
    if not dataset.checksums:
        options.append(("checksum", "off"))
    if dataset.encrypted:
        options += [("encryption", "on"), ("keyformat", "passphrase")]
    return tuple(options)


def _see(pool: Pool, folder: str, name: str) -> str:
    system = FILESYSTEMS[pool.filesystem]
    if system.by_name:
        return f"zfs list {name}"
    return f"btrfs subvolume show {folder}" if system.subvolumes else f"ls -d {folder}"
