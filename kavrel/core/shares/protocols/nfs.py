"""NFS: files for Unix hosts and hypervisors, by client address. Source: exports(5), RFC 8881."""

import ipaddress
from collections.abc import Iterator

from kavrel.core.index import Index
from kavrel.core.plan import Export
from kavrel.core.shares.protocols.protocol import (
    Actor,
    Complaint,
    Hand,
    Protocol,
    Service,
    by_client,
    client_complaints,
)


def _complaints(export: Export, index: Index) -> Iterator[Complaint]:
    yield from client_complaints(export)
    if export.accounts:
        yield "accounts", "NFS lets in by address, not by account: leave the accounts empty"


def _hands(export: Export) -> Iterator[Hand]:
    """Clients come with their own numbers; where all are squashed they are nobody."""
    if export.squash == "all":
        yield None, export.may


def _acts_as(export: Export) -> Actor:
    """Clients say themselves which number they have, unless all are taken for nobody."""
    if export.squash == "all":
        return "nobody"
    return "root" if export.squash == "none" else "anybody"


def root_is_let_in(export: Export) -> bool:
    """Whether a client's root is root on what it gives, and may write."""
    return export.protocol == "nfs" and export.squash == "none" and export.may == "write"


def fixed_client(export: Export) -> str | None:
    """The one address that it is for, where it is for one alone."""
    if len(export.clients) != 1:
        return None
    try:
        return str(ipaddress.ip_address(export.clients[0]))
    except ValueError:
        return None


NFS = Protocol(
    id="nfs",
    title="NFS",
    gives="files",
    systems=frozenset({"linux", "macos", "hypervisor"}),
    many_writers=True,
    clear_text=lambda export: not export.secured,
    fields=("clients", "squash", "secured"),
    ports=lambda export: ((2049, "tcp", "NFS"),),
    service=Service(
        package="nfs-kernel-server",
        files=(("exports", "/etc/exports"),),
        check="exportfs -ra && exportfs -v",
        start="systemctl enable --now nfs-server",
        again=lambda export: "exportfs -ra",
    ),
    why="Unix hosts and hypervisors mount it by address, with the numeric owner of each file",
    seen=by_client,
    hands=_hands,
    acts_as=_acts_as,
    realm=lambda export: export.secured,
    crosses=False,  # without crossmnt, which exports here do not have
    complaints=_complaints,
    caution="Whoever takes the address takes the right: use Kerberos, or keep it to a trusted network.",
)
