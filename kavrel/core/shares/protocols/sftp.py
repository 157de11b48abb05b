"""SFTP: files over SSH, each account shut in. Source: sshd_config(5)."""

from collections.abc import Iterator

from kavrel.core.index import Index
from kavrel.core.plan import Export
from kavrel.core.shares.protocols.protocol import (
    Complaint,
    Protocol,
    Service,
    account_complaints,
    as_who_signed_in,
    by_account,
    own_hand,
)

PORT = 22


def _complaints(export: Export, index: Index) -> Iterator[Complaint]:
    yield from account_complaints(export, "folder")
    for account in export.accounts:
        if index.accounts[account].login == "root":
            yield "accounts", "root is never shut in: name another account"
        for other in index.plan.exports:
            if other.protocol == "sftp" and other.id < export.id and account in other.accounts:
                login = index.accounts[account].login
                yield "accounts", f"{login} is already shut in {other.name}: one folder an account"


SFTP = Protocol(
    id="sftp",
    title="SFTP",
    gives="files",
    systems=frozenset({"windows", "macos", "linux", "phone", "backup"}),
    many_writers=True,
    clear_text=lambda export: False,
    fields=("accounts",),
    ports=lambda export: ((PORT, "tcp", "SSH"),),
    service=Service(
        package="openssh-server",
        files=(("50-kavrel-sftp.conf", "/etc/ssh/sshd_config.d/50-kavrel-sftp.conf"),),
        check="sshd -t",
        start="systemctl reload ssh",
        minds=(
            "Each key lies at /etc/ssh/keys/LOGIN, root's, mode 644; without it nobody signs in.",
        ),
    ),
    why="one person or program from elsewhere, encrypted, with one port and a key",
    seen=by_account,
    hands=own_hand,
    acts_as=as_who_signed_in,
    complaints=_complaints,
)
