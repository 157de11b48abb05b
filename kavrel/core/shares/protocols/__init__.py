"""The protocols. A new one is a new file here and a line in `PROTOCOLS`."""

from collections.abc import Mapping

from kavrel.core.shares.protocols.ftp import FTP
from kavrel.core.shares.protocols.iscsi import ISCSI
from kavrel.core.shares.protocols.nfs import NFS
from kavrel.core.shares.protocols.protocol import Protocol
from kavrel.core.shares.protocols.rsync import RSYNC
from kavrel.core.shares.protocols.s3 import S3
from kavrel.core.shares.protocols.sftp import SFTP
from kavrel.core.shares.protocols.smb import SMB

PROTOCOLS: Mapping[str, Protocol] = {p.id: p for p in (SMB, NFS, ISCSI, RSYNC, SFTP, S3, FTP)}
