"""Commands that works are made with, each with the package of Debian that brings it."""

from collections.abc import Iterator, Sequence

from kavrel.core.filesystems import FILESYSTEMS
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
)
from kavrel.core.works.secured import CertificateThere
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
