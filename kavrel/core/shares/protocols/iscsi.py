"""iSCSI: a disk over the network, one LUN for one initiator. Source: RFC 7143, LIO."""

import re
from collections.abc import Iterator

from kavrel.core.index import Index
from kavrel.core.plan import Export
from kavrel.core.shares.protocols.protocol import Complaint, Protocol, Seen, Service

SAVED = "/etc/rtslib-fb-target/saveconfig.json"
# RFC 7143 4.2.7: iqn.YYYY-MM.domain[:rest], eui. with 16 hex digits, naa. with 16 or 32.
INITIATOR = re.compile(
    r"iqn\.[0-9]{4}-(0[1-9]|1[0-2])\.[a-z0-9.-]+(:[\x21-\x7e]+)?|eui\.[0-9a-fA-F]{16}"
    r"|naa\.([0-9a-fA-F]{16}|[0-9a-fA-F]{32})"
)


def _complaints(export: Export, index: Index) -> Iterator[Complaint]:
    if not export.size_bytes:
        yield "size_bytes", "give the size of the disk that the client sees"
    if not export.clients:
        yield "clients", "name the initiator that may have it, as iqn.2026-01.home.lab:desk"
    for client in export.clients:
        if not INITIATOR.fullmatch(client):
            yield "clients", f"{client} is no initiator name: write iqn.YYYY-MM.domain:name"
    if len(export.clients) > 1 and not export.cluster_filesystem:
        yield (
            "clients",
            "two clients on one LUN destroy its file system: make a LUN for each, or say that a "
            "cluster file system is on it",
        )


def _seen(export: Export, index: Index) -> Iterator[Seen]:
    for client in export.clients:
        yield "machine", client, export.may, f"its initiator name has the disk {export.name}"


def target_name(export: Export) -> str:
    """The target's qualified name."""
    return f"iqn.2026-01.lab.kavrel:{export.name}"


ISCSI = Protocol(
    id="iscsi",
    title="iSCSI",
    gives="disk",
    systems=frozenset({"windows", "linux", "hypervisor"}),
    many_writers=False,
    clear_text=lambda export: True,
    fields=("clients", "size_bytes", "thick", "secured", "many_sessions", "cluster_filesystem"),
    ports=lambda export: ((3260, "tcp", "iSCSI"),),
    service=Service(
        package="targetcli-fb",
        files=(("target.json", SAVED),),
        check="targetctl restore && targetcli ls",
        start="systemctl enable --now rtslib-fb-targetctl",
        # What it cannot find it says and leaves out, and ends well. Source: targetctl of rtslib-fb 2.1 itself.
        again=lambda export: "systemctl restart rtslib-fb-targetctl",
        before="fill in each CHAP secret, the empty `chap_password`, for until then nobody signs in there; "
        f"make the file root's alone: `chmod 600 {SAVED}`",
        minds=("A disk or an initiator that is not listed is not there.",),
    ),
    why="the client must see a disk: it formats it itself and has it alone",
    seen=_seen,
    complaints=_complaints,
    caution="CHAP says who it is, and encrypts nothing: keep it to a network of its own.",
)
