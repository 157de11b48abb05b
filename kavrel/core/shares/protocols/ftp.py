"""FTP: the last resort for an old scanner or camera. Source: vsftpd.conf(5), RFC 959, RFC 4217."""

from collections.abc import Iterator

from kavrel.core.index import Index
from kavrel.core.plan import Export
from kavrel.core.shares.protocols.protocol import (
    Certificate,
    Complaint,
    Protocol,
    Service,
    account_complaints,
    as_who_signed_in,
    by_account,
    own_hand,
)

PASSIVE = (40_000, 40_050)
CERTIFICATE = Certificate("/etc/ssl/certs/vsftpd.pem", "/etc/ssl/private/vsftpd.key")


def _complaints(export: Export, index: Index) -> Iterator[Complaint]:
    yield from account_complaints(export, "folder")
    home = index.pools[index.datasets[export.dataset].pool].host
    for other in index.plan.exports:
        there = index.pools[index.datasets[other.dataset].pool].host
        if other.protocol == "ftp" and other.id < export.id and there == home:
            yield "dataset", f"this host already offers {other.name} over FTP: one folder a host"


FTP = Protocol(
    id="ftp",
    title="FTP",
    gives="files",
    systems=frozenset({"windows", "linux"}),
    many_writers=True,
    clear_text=lambda export: not export.secured,
    fields=("accounts", "secured", "port", "idle_minutes"),
    ports=lambda export: ((export.port or 21, "tcp", "FTP"),),
    service=Service(
        package="vsftpd",
        files=(
            ("vsftpd.conf", "/etc/vsftpd.conf"),
            ("vsftpd.userlist", "/etc/vsftpd.userlist"),
            ("kavrel-ftp.pam", "/etc/pam.d/kavrel-ftp"),
        ),
        check="systemctl status vsftpd",
        start="systemctl restart vsftpd",
        asks=True,
        minds=("The password is that of the system: `passwd LOGIN`.",),
    ),
    why="only where a device can do nothing else",
    seen=by_account,
    hands=own_hand,
    acts_as=as_who_signed_in,
    needs_home=True,
    certificate=lambda export: CERTIFICATE if export.secured else None,
    complaints=_complaints,
    caution="Passwords and files go over the wire in the clear: use SFTP or a VPN where you can.",
)
