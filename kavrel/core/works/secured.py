"""What a server is known by and runs as: its certificate, its place in a realm of Kerberos, its own account.

A server that is told to encrypt and has no certificate does not start, and an export that asks for a ticket
lets nobody in while there is no realm: each is a work of its own.
Sources: openssl-req(1), vsftpd.conf(5), exports(5), rpc.gssd(8), rpc.svcgssd(8), useradd(8).
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace

from kavrel.core.index import Index
from kavrel.core.plan import Export, Host, Opening
from kavrel.core.shares.addresses import ftp_opened
from kavrel.core.shares.brought import brought
from kavrel.core.shares.names import SYSTEM_NAMES, slug
from kavrel.core.shares.protocols import PROTOCOLS
from kavrel.core.shares.protocols.protocol import HOST_NAME, Certificate
from kavrel.core.works.work import Work

DAYS = 3650
KEYTAB = "/etc/krb5.keytab"


@dataclass(frozen=True)
class ServerAccount(Work):
    """An account of the system's own kind that a server runs as: it signs in nowhere."""

    fields = ("exports.protocol", "exports.name")

    login: str
    title: str


@dataclass(frozen=True)
class CertificateThere(Work):
    """A server's certificate, signed by its own key where nobody brought another: `names` are in it.

    Whoever is not told its fingerprint cannot tell it from somebody else's.
    """

    fields = ("exports.secured", "hosts.name", "hosts.address", "hosts.vpn_address")

    certificate: Certificate
    subject: str
    names: tuple[str, ...]


@dataclass(frozen=True)
class KerberosThere(Work):
    """A box is in the realm that an export asks its clients to be in; the realm itself is of another making."""

    fields = ("exports.secured", "mounts.dataset")


@dataclass(frozen=True)
class OutsideTold(Work):
    """A server that tells its clients where to come knows the address that the internet reaches it by."""

    fields = ("openings.port", "openings.source", "openings.host")


def secured_works(index: Index, host: str) -> Iterator[Work]:
    """Those of a host's exports, and of what its applications have brought over."""
    box = index.hosts[host]
    if box.closed:  # its page says it
        return
    told = [o for o in index.plan.openings if o.host == host and ftp_outside(index, o)]
    if told:
        yield OutsideTold(
            "outside/ftp", f"FTP of {box.name} from the internet", tuple(("openings", o.id) for o in told), (),
            "grep ^pasv_address= /etc/vsftpd.conf", "put the # before pasv_address again",
            "put the name or address that the internet knows the router by into pasv_address of "
            "/etc/vsftpd.conf, and take the # away there and below; until then whoever comes from there is "
            "sent to an address of the LAN, and gets no list and no file",
        )  # fmt: skip
    kerberos = [e for e in _mine(index, host) if PROTOCOLS[e.protocol].realm(e)]
    if kerberos:
        yield _in_realm(box, "server", "nfs/", [("exports", e.id) for e in kerberos])
    asked = [b for b in brought(index, host) if PROTOCOLS[b.export.protocol].realm(b.export)]
    if asked:
        makes = [("mounts", m.id) for b in asked for m in b.mounts]
        yield _in_realm(box, "client", "nfs/ or host/", makes)
    made: set[str] = set()
    for export in _mine(index, host):
        certificate = PROTOCOLS[export.protocol].certificate(export)
        if certificate and certificate.file not in made:
            made.add(certificate.file)
            if taken(index, certificate.reader):  # the key would be that person's to read
                certificate = replace(certificate, reader="")
            yield _certificate(box, export, certificate)


def taken(index: Index, login: str) -> bool:
    """Whether the name of a server's account is somebody's, or the system's: then nothing is given to it."""
    return login in SYSTEM_NAMES or any(a.login == login for a in index.plan.accounts)


def server_accounts(index: Index, host: str) -> Iterator[ServerAccount]:
    """The accounts that servers of a host run as; they come with its people."""
    box = index.hosts[host]
    if box.closed:
        return
    for export in _mine(index, host):
        login = PROTOCOLS[export.protocol].runs_as(export)
        if login:
            title = f"{PROTOCOLS[export.protocol].title} {export.name}"
            yield ServerAccount(
                f"account/{login}", f"account {login}, which {title} runs as", (("exports", export.id),), (),
                f"id {login}", f"userdel {login}",
                f"{login} is somebody's login already, and a server would run as him: name {title} otherwise"
                if taken(index, login) else "",
                login=login, title=title,
            )  # fmt: skip


def ftp_outside(index: Index, opening: Opening) -> bool:
    """Whether an opening lets the internet in to the box's FTP server."""
    return opening.source == "internet" and ftp_opened(index, opening)


def _mine(index: Index, host: str) -> Iterator[Export]:
    for export in index.plan.exports:
        if index.pools[index.datasets[export.dataset].pool].host == host:
            yield export


def _in_realm(box: Host, side: str, principal: str, makes: list[tuple[str, str]]) -> KerberosThere:
    daemon = "rpc-svcgssd" if side == "server" else "rpc-gssd"
    return KerberosThere(
        f"kerberos/{side}", f"Kerberos on {box.name}, as a {side} of NFS", tuple(makes), (),
        f"klist -k {KEYTAB}; systemctl is-active {daemon}", f"take {KEYTAB} away",
        f"{box.name} has to be in the realm, with clocks that agree: /etc/krb5.conf names it, {KEYTAB}, mode "
        f"600, holds a key for {principal} and its full name, and {daemon} runs; without that nobody gets in",
    )  # fmt: skip


def _certificate(box: Host, export: Export, certificate: Certificate) -> CertificateThere:
    name = box.name.lower() if HOST_NAME.fullmatch(box.name) else slug(box.name, box.id)
    addresses = [a for a in (box.address, box.vpn_address) if a]
    title = PROTOCOLS[export.protocol].title
    return CertificateThere(
        f"certificate/{export.id}", f"certificate of {title} on {box.name}", (("exports", export.id),),
        (f"account/{certificate.reader}",) if certificate.reader else (),
        f"openssl x509 -noout -fingerprint -sha256 -enddate -in {certificate.file}",
        f"rm {certificate.file} {certificate.key}", "",
        certificate=certificate, subject=name,
        names=(f"DNS:{name}", *dict.fromkeys(f"IP:{a}" for a in addresses)),
    )  # fmt: skip
