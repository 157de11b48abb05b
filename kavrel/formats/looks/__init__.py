"""Looks: what machines print about themselves, read into one `Machine`. A reader is one line in `LISTINGS`."""

from kavrel.core.registry import Registry
from kavrel.formats.looks.btrfs import (
    BTRFS_QUOTAS,
    BTRFS_SHOW,
    BTRFS_SNAPSHOTS,
    BTRFS_STATS,
    BTRFS_SUBVOLUMES,
    BTRFS_USAGE,
)
from kavrel.formats.looks.files import (
    ACL,
    DONE,
    EXPORTS,
    FSTAB,
    GROUP,
    JOBS,
    LINKS,
    NFT,
    PASSWD,
    RSYNCD,
    SCRIPTS,
    TARGETS,
    TESTPARM,
)
from kavrel.formats.looks.joined import MERGERFS, SNAPRAID
from kavrel.formats.looks.limits import PROJECT_QUOTAS, USER_QUOTAS, USERSPACE
from kavrel.formats.looks.listing import ListingReader
from kavrel.formats.looks.lsblk import LSBLK, LSBLK_TABLE
from kavrel.formats.looks.lvm import LVS, PVS, VGS
from kavrel.formats.looks.md import MD_COUNTS, MDADM, MDSTAT
from kavrel.formats.looks.mounts import DF, DU, FINDMNT
from kavrel.formats.looks.points import OURS, REPOSITORY, RUN
from kavrel.formats.looks.smartctl import SMARTCTL, SMARTCTL_TEXT
from kavrel.formats.looks.system import (
    IP_ADDR,
    IP_ROUTE,
    LINK_SPEED,
    MEMINFO,
    OS_RELEASE,
    PORTS,
    UNAME,
    UPS,
    UPS_NAMES,
)
from kavrel.formats.looks.tasks import CRON_SCRIPTS, CRONTAB, SERVICES, STARTED, TIMERS
from kavrel.formats.looks.zfs import ZFS_LIST, ZFS_SNAPSHOTS
from kavrel.formats.looks.zpool import ZPOOL_GET, ZPOOL_LIST, ZPOOL_STATUS

LISTINGS: Registry[ListingReader] = Registry(
    (
        UNAME,
        OS_RELEASE,
        LSBLK,
        LSBLK_TABLE,
        LINKS,
        SMARTCTL,
        SMARTCTL_TEXT,
        ZPOOL_STATUS,
        ZPOOL_LIST,
        ZPOOL_GET,
        ZFS_LIST,
        ZFS_SNAPSHOTS,
        MDSTAT,
        MDADM,
        MD_COUNTS,
        PVS,
        VGS,
        LVS,
        BTRFS_SHOW,
        BTRFS_USAGE,
        BTRFS_SUBVOLUMES,
        BTRFS_SNAPSHOTS,
        BTRFS_QUOTAS,
        BTRFS_STATS,
        PROJECT_QUOTAS,
        USER_QUOTAS,
        USERSPACE,
        FINDMNT,
        DF,
        DU,
        TESTPARM,
        EXPORTS,
        RSYNCD,
        JOBS,
        NFT,
        SCRIPTS,
        TARGETS,
        FSTAB,
        SNAPRAID,
        MERGERFS,
        PASSWD,
        GROUP,
        ACL,
        IP_ADDR,
        IP_ROUTE,
        LINK_SPEED,
        MEMINFO,
        UPS_NAMES,
        UPS,
        PORTS,
        TIMERS,
        SERVICES,
        STARTED,
        CRONTAB,
        CRON_SCRIPTS,
        OURS,
        REPOSITORY,
        RUN,
        DONE,
    )
)

__all__ = ["LISTINGS", "ListingReader"]
