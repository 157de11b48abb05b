"""The commands of a bare machine. A new one is a function and a line here."""

from collections.abc import Callable, Mapping

from kavrel.rig.bare import disks, filesystems, layers, people, rights
from kavrel.rig.bare.machine import Machine
from kavrel.rig.bare.openssl import openssl
from kavrel.rig.bare.said import Reader
from kavrel.rig.bare.zfs import zfs, zpool
from kavrel.rig.said import FINE, Said, lines

Tool = Callable[[Machine, list[str], Reader], Said]


def date(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Date +%F."""
    return lines(machine.today.isoformat())


def nothing(machine: Machine, words: list[str], reader: Reader) -> Said:
    """What is asked for and never called, or changes nothing here."""
    return FINE


COMMANDS: Mapping[str, Tool] = {
    "blkid": disks.blkid,
    "blockdev": disks.blockdev,
    "btrfs": filesystems.btrfs,
    "chattr": filesystems.chattr,
    "chgrp": rights.chgrp,
    "chown": rights.chown,
    "cryptsetup": layers.cryptsetup,
    "date": date,
    "fallocate": filesystems.fallocate,
    "findmnt": filesystems.findmnt,
    "getent": people.getent,
    "getfacl": rights.getfacl,
    "groupadd": people.groupadd,
    "id": people.identity,
    "lsblk": disks.lsblk,
    "lvchange": layers.changed,
    "lvcreate": layers.lvcreate,
    "lvs": layers.lvs,
    "mdadm": layers.mdadm,
    "mergerfs": nothing,
    "mkfs.btrfs": filesystems.mkfs_btrfs,
    "mkfs.ext4": filesystems.mkfs_ext4,
    "mkfs.xfs": filesystems.mkfs_xfs,
    "mount": filesystems.mount,
    "mountpoint": filesystems.mountpoint,
    "openssl": openssl,
    "partx": disks.partx,
    "pvcreate": layers.pvcreate,
    "pvs": layers.pvs,
    "setfacl": rights.setfacl,
    "setquota": filesystems.setquota,
    "sfdisk": disks.sfdisk,
    "snapraid": nothing,
    "stat": rights.stat,
    "stty": nothing,
    "udevadm": disks.udevadm,
    "useradd": people.useradd,
    "usermod": people.usermod,
    "vgchange": layers.changed,
    "vgcreate": layers.vgcreate,
    "wipefs": disks.wipefs,
    "zfs": zfs,
    "zpool": zpool,
}
