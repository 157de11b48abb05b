"""Volumes: the file systems that a host mounts besides ZFS, each by its UUID, and the trees over them.

The members of a union, and of dedicated parity, have a file system and a folder each; what people see
is one tree over them. Sources: fstab(5); mergerfs(1).
"""

import uuid
from collections.abc import Iterator
from dataclasses import dataclass, replace

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.plan import Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.parts import Part, has_tier, parts_of
from kavrel.core.shares.names import pool_roots

# File systems are made with these, so that fstab can name them before they exist.
NAMESPACE = uuid.UUID("5d0f6b4e-5a0c-5f0e-9a55-6b61766c6162")
UNION = "fuse.mergerfs"
FOR_THE_START = ("nofail", "noauto", "x-systemd.")
# Access lists go through; new files land where most is free; a folder is made as it is elsewhere.
UNION_OPTIONS = "allow_other,use_ino,posix_acl=true,moveonenospc=true"
MOST_KEPT_FREE_MIB = 4096  # on each branch, for files that grow; common practice, no source


@dataclass(frozen=True)
class Volume:
    """A file system of a pool: where it is mounted, its UUID, and whether it can be pulled out.

    The UUID of one that stands is the machine's to say: None until the plan knows it. `disks` are
    those that it lies on; `parity`: it holds nothing but the parity of the others.
    """

    pool: Pool
    folder: str
    uuid: str | None
    removable: bool
    disks: tuple[str, ...]
    parity: bool = False
    counting: bool = False  # what folders and accounts fill is limited
    fast: bool = False  # the tier, where new files land until the mover takes them on

    @property
    def apart(self) -> bool:
        """Whether it is one of several that the pool has."""
        return self.disks != self.pool.disks

    @property
    def options(self) -> str:
        """Options of fstab and of a mount unit."""
        system = FILESYSTEMS[self.pool.filesystem]
        mounted = system.mounted
        if system.subvolumes and self.pool.compression_ratio > 1:
            mounted += ",compress=zstd"
        if self.counting:
            mounted += f",{system.mounted_counting}"
        return mounted + _at_the_start(self.pool, self.removable)

    @property
    def kept(self) -> str:
        """Options while it is mounted: those of fstab without what is for the start alone."""
        return ",".join(o for o in self.options.split(",") if not o.startswith(FOR_THE_START))


@dataclass(frozen=True)
class Tree:
    """One folder over the volumes of a pool: what people see."""

    pool: Pool
    folder: str
    branches: tuple[str, ...]  # the fast one first
    known: bool  # each of them by its UUID: else whoever joined them does so
    removable: bool  # one of them can be pulled out
    lands: str  # where new files land: mergerfs(1), create policies
    kept_free_mib: int

    @property
    def what(self) -> str:
        """Its branches as the mount takes them."""
        return ":".join(self.branches)

    @property
    def mounted(self) -> str:
        """Options of its mount."""
        name = self.folder.rpartition("/")[2]
        return f"{UNION_OPTIONS},category.create={self.lands},minfreespace={self.kept_free_mib}M,fsname={name}"

    @property
    def options(self) -> str:
        """Those of fstab: without a branch it waits, or files would land on the system disk."""
        after = "".join(f",x-systemd.requires-mounts-for={b}" for b in self.branches)
        return f"{self.mounted}{after}{_at_the_start(self.pool, self.removable)}"


def _at_the_start(pool: Pool, removable: bool = False) -> str:
    """What a start does where it cannot be mounted: the box comes up, and whoever is far away gets in.

    Without nofail systemd stops at a shell of the box's own screen. What should be there is waited for, as
    without nofail: services start after it. Sources: systemd.mount(5), fstab(5).
    """
    if pool.waits:  # for its passphrase
        return ",nofail,noauto"
    return ",nofail" if removable else ",nofail,x-systemd.before=local-fs.target"


def counts_datasets(pool: Pool) -> bool:
    """Whether the machine can limit one dataset of a pool: a tree over several file systems counts none."""
    joined = FAMILIES[pool.family].apart or has_tier(pool)
    return FILESYSTEMS[pool.filesystem].quotas and not joined


def limited(index: Index, pool: Pool) -> bool:
    """Whether the plan limits what datasets or accounts may fill on a pool."""
    mine = {d.id for d in index.plan.datasets if d.pool == pool.id}
    return any(d.quota_bytes for d in index.plan.datasets if d.pool == pool.id) or any(
        q.dataset in mine for q in index.plan.quotas
    )


def identifier(index: Index, pool: Pool, what: str) -> str:
    """The UUID that a part of a pool is made with: the same whenever the papers are written."""
    return str(uuid.uuid5(NAMESPACE, f"{index.plan.name}/{pool.id}/{what}"))


def volumes_of(index: Index, pool: Pool) -> tuple[Volume, ...]:
    """The volumes of a pool; none where the file system is ZFS, or there is none."""
    system = FILESYSTEMS[pool.filesystem]
    if system.by_name or system.bare:
        return ()
    made = _made(index, pool)
    if not pool.standing or len(made) == 1:
        return made
    # What stands is where it is, and called as it is: the plan only knows that it has so many parts.
    data = [v for v in made if not (v.parity or v.fast)]
    uuids: tuple[str | None, ...] = tuple(pool.uuid if [v] == data else None for v in made)
    folders = tuple(v.folder for v in made)
    if len(pool.branch_uuids) == len(made):
        uuids = pool.branch_uuids
    if len(pool.branch_paths) == len(made):
        folders = pool.branch_paths
    return tuple(
        replace(volume, uuid=key, folder=folder)
        for volume, key, folder in zip(made, uuids, folders, strict=True)
    )


def _made(index: Index, pool: Pool) -> tuple[Volume, ...]:
    """The volumes as setup.sh makes them: the fast one, those of data, those of parity."""
    root = pool_roots(index.plan)[pool.id]
    return tuple(_volume(index, pool, f"{root}{part.end}", part) for part in parts_of(pool))


def _volume(index: Index, pool: Pool, folder: str, part: Part) -> Volume:
    removable = any((index.disks[d].bay or "").startswith("usb") for d in part.disks)
    key = pool.uuid if pool.standing else identifier(index, pool, part.what)
    counting = counts_datasets(pool) and limited(index, pool)
    counting &= FILESYSTEMS[pool.filesystem].project_quotas
    return Volume(pool, folder, key, removable, part.disks, part.parity, counting, part.fast)


def made_by_script(index: Index, pool: Pool) -> bool:
    """Whether a pool that stands has the identifiers that setup.sh gives: then each layer of it is known."""
    there = pool.branch_uuids or ((pool.uuid,) if pool.uuid else ())
    wanted = pool.model_copy(update={"standing": False})
    return pool.standing and bool(there) and there == tuple(v.uuid for v in _made(index, wanted))


def tree_of(index: Index, pool: Pool) -> Tree | None:
    """The tree over a pool's volumes, where it has several."""
    data = [v for v in volumes_of(index, pool) if not v.parity]
    if len(data) < 2:
        return None
    branches, known = tuple(v.folder for v in data), all(v.uuid for v in data)
    smallest = min(index.data_bytes(d) for d in (*pool.groups[0], *pool.tier))
    kept_free = min(smallest // 100 >> 20, MOST_KEPT_FREE_MIB)
    # Where most is free; with a tier on it as long as it has room.
    lands = "ff" if has_tier(pool) else "mfs"
    removable = any(v.removable for v in data)
    return Tree(pool, pool_roots(index.plan)[pool.id], branches, known, removable, lands, kept_free)


def volumes(index: Index, host: str) -> Iterator[Volume]:
    """All volumes of a host, in plan order."""
    for pool in index.plan.pools:
        if pool.host == host:
            yield from volumes_of(index, pool)


def trees(index: Index, host: str) -> Iterator[Tree]:
    """All trees of a host, in plan order."""
    for pool in index.plan.pools:
        if pool.host == host and (tree := tree_of(index, pool)):
            yield tree
