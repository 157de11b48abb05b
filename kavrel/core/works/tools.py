"""Commands that works are made with, each with the package of Debian that brings it."""

from collections.abc import Iterator, Sequence

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.shares.names import pool_names
from kavrel.core.works.limits import AccountLimited, DatasetLimited
from kavrel.core.works.pools import (
    ArrayRuns,
    DeviceLocked,
    DiskCut,
    FilesystemMade,
    ParityKept,
    RestCut,
    TreeMounted,
    VolumesJoined,
    ZpoolMade,
    layers_of,
)
from kavrel.core.works.secured import CertificateThere
from kavrel.core.works.volumes import made_by_script
from kavrel.core.works.work import Work

# What a work cannot be made without.
TOOLS = {
    DiskCut: ("sfdisk", "fdisk"),
    RestCut: ("sfdisk", "fdisk"),
    ArrayRuns: ("mdadm", "mdadm"),
    VolumesJoined: ("lvcreate", "lvm2"),
    DeviceLocked: ("cryptsetup", "cryptsetup"),
    ParityKept: ("snapraid", "snapraid"),
    TreeMounted: ("mergerfs", "mergerfs"),
    ZpoolMade: ("zpool", "zfsutils-linux"),
    CertificateThere: ("openssl", "openssl"),
}


def standing_layers(index: Index, host: str) -> Iterator[Work]:
    """What pools that stand on a host are made of, where that is known.

    A system that was installed anew puts them together and opens them, and brings no tool of its own for it.
    """
    for pool in index.plan.pools:
        known = FILESYSTEMS[pool.filesystem].whole_disks or made_by_script(index, pool)
        if pool.host == host and pool.standing and known:
            wanted = pool.model_copy(update={"standing": False})
            yield from layers_of(index, wanted, pool_names(index.plan)[pool.id])


def tools_of(works: Sequence[Work]) -> Iterator[tuple[str, str]]:
    """Command and package, in the order of the works; some more than once."""
    yield "setfacl", "acl"
    by_project = (w.project is not None for w in works if isinstance(w, DatasetLimited))
    by_user = (w.whole and not w.by_hand for w in works if isinstance(w, AccountLimited))
    if any(by_project) or any(by_user):
        yield "setquota", "quota"
    for work in works:
        if type(work) in TOOLS:
            yield TOOLS[type(work)]
        if isinstance(work, FilesystemMade):
            yield f"mkfs.{work.filesystem}", FILESYSTEMS[work.filesystem].package
