"""A certificate of one's own making: an authority of the house, and what it signs for this server.

The authority is what a telephone is told to trust; it can speak for names and addresses of a home
network alone (RFC 5280, name constraints), so that a key that was stolen opens nothing else. What it
signs runs for a year at most and is made anew by itself. Both keys are their owner's alone.
"""

import os
from datetime import UTC, datetime, timedelta
from ipaddress import IPv4Address, IPv6Address, ip_address, ip_network
from pathlib import Path

from cryptography import x509
from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.serialization import (
    Encoding,
    NoEncryption,
    PrivateFormat,
    load_pem_private_key,
)
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

AUTHORITY_DAYS, SERVER_DAYS, RENEW_DAYS = 3650, 365, 30
# RFC 1918, RFC 4193, RFC 3927, RFC 4291; names by RFC 6762, RFC 8375, RFC 9476 and by common practice.
NETWORKS = (
    *("127.0.0.0/8", "10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "169.254.0.0/16"),
    *("100.64.0.0/10", "::1/128", "fc00::/7", "fe80::/10"),
)
DOMAINS = ("local", "lan", "home", "home.arpa", "internal", "localdomain", "localhost", "ts.net")
ORGANIZATION = "Kavrel of this house"
Address = IPv4Address | IPv6Address


class NotOfAHome(ValueError):
    """A name or address that the authority of a house may not speak for."""


class Certificate:
    """Where certificate and key lie, and the fingerprint to compare by eye (SHA-256)."""

    def __init__(self, folder: Path) -> None:
        self.authority = folder / "authority.pem"
        self.file = folder / "server.pem"
        self.key = folder / "server.key"
        self._authority_key = folder / "authority.key"

    @property
    def fingerprint(self) -> str:
        """Of the authority, as browsers and telephones show it."""
        certificate = x509.load_pem_x509_certificate(self.authority.read_bytes())
        return certificate.fingerprint(hashes.SHA256()).hex(":").upper()

    def ready(self, names: list[str], now: datetime | None = None) -> None:
        """Makes what is missing, runs out soon, or does not hold all names; raises NotOfAHome."""
        now = now or datetime.now(UTC)
        self.file.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        short = [n for n in names if _address(n) is None and "." not in n]
        authority, key = self._the_authority(short, now)
        wanted = [_general(n, short) for n in names]
        if self._good(wanted, authority, now):
            return
        mine = ec.generate_private_key(ec.SECP256R1())
        built = (
            _begun(_name(names[0]), authority.subject, mine, now, SERVER_DAYS)
            .add_extension(x509.SubjectAlternativeName(wanted), critical=False)
            .add_extension(x509.BasicConstraints(False, None), critical=True)
            .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
            .add_extension(
                x509.AuthorityKeyIdentifier.from_issuer_public_key(key.public_key()), critical=False
            )
            .sign(key, hashes.SHA256())
        )
        _write(self.key, _pem(mine))
        _write(self.file, built.public_bytes(Encoding.PEM) + authority.public_bytes(Encoding.PEM))

    def _the_authority(
        self, short: list[str], now: datetime
    ) -> tuple[x509.Certificate, ec.EllipticCurvePrivateKey]:
        if self.authority.is_file() and self._authority_key.is_file():
            certificate = x509.load_pem_x509_certificate(self.authority.read_bytes())
            key = load_pem_private_key(self._authority_key.read_bytes(), None)
            lasts = certificate.not_valid_after_utc - now > timedelta(days=SERVER_DAYS)
            if (
                lasts
                and isinstance(key, ec.EllipticCurvePrivateKey)
                and _speaks(certificate, short)
            ):
                return certificate, key
        key = ec.generate_private_key(ec.SECP256R1())
        name = _name(f"{ORGANIZATION}, {now:%Y}")
        limits = x509.NameConstraints(
            [
                *(x509.DNSName(d) for d in (*DOMAINS, *short)),
                *(x509.IPAddress(ip_network(n)) for n in NETWORKS),
            ],
            None,
        )
        built = (
            _begun(name, name, key, now, AUTHORITY_DAYS)
            .add_extension(x509.BasicConstraints(True, 0), critical=True)
            .add_extension(limits, critical=True)
            .add_extension(
                x509.KeyUsage(False, False, False, False, False, True, True, False, False),
                critical=True,
            )
            .add_extension(
                x509.SubjectKeyIdentifier.from_public_key(key.public_key()), critical=False
            )
            .sign(key, hashes.SHA256())
        )
        _write(self._authority_key, _pem(key))
        _write(self.authority, built.public_bytes(Encoding.PEM))
        return built, key

    def _good(
        self, wanted: list[x509.GeneralName], authority: x509.Certificate, now: datetime
    ) -> bool:
        if not (self.file.is_file() and self.key.is_file()):
            return False
        certificate = x509.load_pem_x509_certificate(self.file.read_bytes())
        names = certificate.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
        lasts = certificate.not_valid_after_utc - now > timedelta(days=RENEW_DAYS)
        try:
            certificate.verify_directly_issued_by(authority)
        except (ValueError, TypeError, InvalidSignature):
            return False
        return lasts and set(wanted) <= set(names)


def _speaks(authority: x509.Certificate, short: list[str]) -> bool:
    limits = authority.extensions.get_extension_for_class(x509.NameConstraints).value
    return set(short) <= {
        n.value for n in limits.permitted_subtrees or () if isinstance(n, x509.DNSName)
    }


def of_a_home(name: str) -> bool:
    """Whether the authority of a house may speak for an address or name with a dot."""
    address = _address(name)
    if address is not None:
        return any(address in ip_network(n) for n in NETWORKS)
    return "." not in name or name.endswith(tuple(f".{d}" for d in DOMAINS))


def _address(name: str) -> Address | None:
    try:
        return ip_address(name)
    except ValueError:
        return None


def _general(name: str, short: list[str]) -> x509.GeneralName:
    address = _address(name)
    if address is not None:
        if not any(address in ip_network(n) for n in NETWORKS):
            raise NotOfAHome(f"{name} is no address of a home network: bring a certificate")
        return x509.IPAddress(address)
    if name not in short and not name.endswith(tuple(f".{d}" for d in DOMAINS)):
        raise NotOfAHome(f"{name} is a name of the wide world: bring a certificate for it")
    return x509.DNSName(name)


def _name(text: str) -> x509.Name:
    return x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, text[:64])])


def _begun(
    subject: x509.Name,
    issuer: x509.Name,
    key: ec.EllipticCurvePrivateKey,
    now: datetime,
    days: int,
) -> x509.CertificateBuilder:
    return (
        x509.CertificateBuilder()
        .subject_name(subject)
        .issuer_name(issuer)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))  # a telephone's clock may be behind
        .not_valid_after(now + timedelta(days=days))
    )


def _pem(key: ec.EllipticCurvePrivateKey) -> bytes:
    return key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption())


def _write(path: Path, content: bytes) -> None:
    """Whole or not at all, and its owner's alone from the first byte on."""
    part = path.with_name(path.name + ".part")
    part.unlink(missing_ok=True)
    handle = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(handle, "wb") as file:
        file.write(content)
        file.flush()
        os.fsync(file.fileno())
    part.replace(path)
