"""The commands of a box in the rig. A new one is a function and a line here."""

from collections.abc import Mapping

from kavrel.rig.box import Tool
from kavrel.rig.tools import folders, machine
from kavrel.rig.tools.btrfs import btrfs
from kavrel.rig.tools.rsync import rsync
from kavrel.rig.tools.sh import sh
from kavrel.rig.tools.ssh import ssh
from kavrel.rig.tools.zfs import zfs
from kavrel.rig.tools.zpool import zpool

TOOLS: Mapping[str, Tool] = {
    "apt-get": machine.nothing,
    "btrfs": btrfs,
    "cat": folders.cat,
    "date": folders.date,
    "findmnt": machine.findmnt,
    "gzip": folders.gzip,
    "hostname": machine.hostname,
    "journalctl": machine.nothing,
    "ls": folders.ls,
    "lsblk": machine.lsblk,
    "mkdir": folders.mkdir,
    "mv": folders.mv,
    "pv": machine.pv,
    "rm": folders.rm,
    "rsync": rsync,
    "sendmail": machine.mail,
    "sh": sh,
    "sha256sum": folders.sha256sum,
    "smartctl": machine.smartctl,
    "smbpasswd": machine.nothing,
    "ssh": ssh,
    "stat": folders.stat,
    "systemctl": machine.systemctl,
    "tar": folders.tar,
    "test": folders.test,
    "touch": folders.touch,
    "true": machine.nothing,
    "usermod": machine.nothing,
    "zfs": zfs,
    "zpool": zpool,
}
