"""rsync modules: whole trees between boxes. Source: rsyncd.conf(5)."""

from collections.abc import Iterator

from kavrel.core.index import Index
from kavrel.core.plan import Export
from kavrel.core.shares.protocols.protocol import (
    Complaint,
    Protocol,
    Service,
    account_complaints,
    by_account,
    client_complaints,
)

PORT = 873


def _complaints(export: Export, index: Index) -> Iterator[Complaint]:
    yield from account_complaints(export, "module")
    yield from client_complaints(export)
    if export.name == "global":
        yield "name", "global means something else to the daemon: choose another name"


RSYNC = Protocol(
    id="rsync",
    title="rsync module",
    gives="files",
    systems=frozenset({"linux", "box", "backup"}),
    many_writers=True,
    clear_text=lambda export: True,
    fields=("clients", "accounts"),
    ports=lambda export: ((PORT, "tcp", "rsync"),),
    service=Service(
        package="rsync",
        files=(("rsyncd.conf", "/etc/rsyncd.conf"), ("rsyncd.secrets", "/etc/rsyncd.secrets")),
        check="rsync rsync://localhost/",
        start="systemctl enable --now rsync",
        asks=True,
        before="in the secrets take the # before each login away and put its password in the place of SET-ME, "
        "but keep the lines that are there already; make them root's alone, or every login fails: "
        "`chown root /etc/rsyncd.secrets; chmod 600 /etc/rsyncd.secrets`",
    ),
    why="another box fetches or sends whole trees, and only what changed travels",
    seen=by_account,
    acts_as=lambda export: "root",
    complaints=_complaints,
    caution="The daemon encrypts nothing: inside a VPN, or over SSH instead.",
)
