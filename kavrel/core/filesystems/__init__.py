"""The file systems. A new one is a new file here and a line in `FILESYSTEMS`."""

from kavrel.core.filesystems.apfs import APFS
from kavrel.core.filesystems.btrfs import BTRFS
from kavrel.core.filesystems.ext4 import EXT4
from kavrel.core.filesystems.filesystem import Filesystem
from kavrel.core.filesystems.none import NONE
from kavrel.core.filesystems.ntfs import NTFS
from kavrel.core.filesystems.xfs import XFS
from kavrel.core.filesystems.zfs import ZFS
from kavrel.core.registry import Registry

FILESYSTEMS: Registry[Filesystem] = Registry((ZFS, EXT4, XFS, BTRFS, NONE, NTFS, APFS))
