"""The protocols. A new one is a new file here and a line in `EXPORTS`."""

from collections.abc import Iterator, Mapping

from kavrel.core.registry import Registry
from kavrel.core.shares.protocols.ftp import FTP
from kavrel.core.shares.protocols.iscsi import ISCSI
from kavrel.core.shares.protocols.nfs import NFS
from kavrel.core.shares.protocols.protocol import Protocol
from kavrel.core.shares.protocols.rsync import RSYNC
from kavrel.core.shares.protocols.s3 import S3
from kavrel.core.shares.protocols.sftp import SFTP
from kavrel.core.shares.protocols.smb import SMB

# What exports go over: all but SMB, which shares of their own offer.
EXPORTS: Registry[Protocol] = Registry((NFS, ISCSI, RSYNC, SFTP, S3, FTP))


class _All(Mapping[str, Protocol]):
    def __getitem__(self, key: str) -> Protocol:
        return SMB if key == SMB.id else EXPORTS[key]

    def __iter__(self) -> Iterator[str]:
        return iter((SMB.id, *EXPORTS))

    def __len__(self) -> int:
        return len(EXPORTS) + 1


PROTOCOLS: Mapping[str, Protocol] = _All()
