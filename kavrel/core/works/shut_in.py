"""Folders bound below one of root's, into which SFTP accounts are shut: sshd asks that of a chroot.

Bound too early it is the empty folder below the mount, on the system disk, that people would fill.
Sources: sshd_config(5), ChrootDirectory; systemd.mount(5), x-systemd.requires.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from kavrel.core.copies.keys import locked_after_start
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.plan import Export, Pool
from kavrel.core.shares.names import folders

ZFS_MOUNTS = "zfs-mount.service"


@dataclass(frozen=True)
class ShutIn:
    """An export's `source` folder, seen at `folder`. `waits`: for a passphrase, after each start."""

    export: Export
    pool: Pool
    source: str
    waits: bool

    @property
    def folder(self) -> str:
        """Where its accounts find it."""
        return f"/srv/sftp/{self.export.name}/files"

    @property
    def by_name(self) -> bool:
        """Whether ZFS mounts what it shows, and not fstab."""
        return FILESYSTEMS[self.pool.filesystem].by_name

    @property
    def options(self) -> str:
        """Options of fstab: after what it shows is mounted, and never without."""
        if self.waits:
            return "bind,nofail,noauto"
        return f"bind,nofail,x-systemd.requires={ZFS_MOUNTS}" if self.by_name else "bind,nofail"


def shut_in(index: Index, host: str) -> Iterator[ShutIn]:
    """Those of a host, in the plan's order."""
    for export in index.plan.exports:
        dataset = index.datasets[export.dataset]
        pool = index.pools[dataset.pool]
        if export.protocol == "sftp" and pool.host == host:
            waits = pool.waits or locked_after_start(index, dataset)
            yield ShutIn(export, pool, folders(index.plan)[dataset.id], waits)
