"""The commands of a box in the rig. A new one is a function and a line here."""

from collections.abc import Mapping

from kavrel.rig.box import Tool
from kavrel.rig.tools import below_dev, blocks, folders, machine, mending, spread
from kavrel.rig.tools.btrfs import btrfs
from kavrel.rig.tools.cryptsetup import cryptsetup
from kavrel.rig.tools.rsync import rsync
from kavrel.rig.tools.sh import sh
from kavrel.rig.tools.ssh import ssh
from kavrel.rig.tools.zfs import zfs
from kavrel.rig.tools.zpool import zpool

TOOLS: Mapping[str, Tool] = {
    "apt-get": machine.nothing,
    "btrfs": btrfs,
    "cat": below_dev.cat,
    "chmod": machine.nothing,
    "chown": machine.nothing,
    "cryptsetup": cryptsetup,
    "date": folders.date,
    "dd": machine.dd,
    "echo": mending.echo,
    "findmnt": blocks.findmnt,
    "getfacl": machine.getfacl,
    "gzip": folders.gzip,
    "hostname": machine.hostname,
    "ip": machine.ip,
    "journalctl": machine.nothing,
    "ls": below_dev.ls,
    "lsblk": blocks.lsblk,
    "lvs": blocks.lvs,
    "mdadm": blocks.mdadm,
    "mkdir": folders.mkdir,
    "mkfs.ext4": spread.mkfs,
    "mkfs.xfs": spread.mkfs,
    "mount": spread.mount,
    "mv": folders.mv,
    "pv": machine.pv,
    "pvs": blocks.pvs,
    "rm": folders.rm,
    "rsync": rsync,
    "sendmail": machine.mail,
    "setfacl": machine.nothing,
    "sfdisk": mending.sfdisk,
    "sh": sh,
    "sha256sum": folders.sha256sum,
    "smartctl": machine.smartctl,
    "smbpasswd": machine.nothing,
    "snapraid": spread.snapraid,
    "ss": machine.ss,
    "ssh": ssh,
    "stat": folders.stat,
    "systemctl": machine.systemctl,
    "tar": folders.tar,
    "test": folders.test,
    "timedatectl": machine.timedatectl,
    "touch": folders.touch,
    "true": machine.nothing,
    "uname": machine.uname,
    "upsc": machine.upsc,
    "usermod": machine.nothing,
    "vgs": blocks.vgs,
    "wipefs": mending.wipefs,
    "zfs": zfs,
    "zpool": zpool,
}
