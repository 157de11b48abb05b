"""Certificates of a bare machine, made in earnest: what openssl is asked by setup.sh, and nothing else.

Sources: openssl-req(1), openssl-x509(1), openssl-pkey(1); each answer is held against openssl itself.
"""

from datetime import UTC, datetime, time, timedelta
from ipaddress import ip_address
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import rsa
from cryptography.hazmat.primitives.serialization import (
    Encoding,
    NoEncryption,
    PrivateFormat,
    PublicFormat,
    load_pem_private_key,
)
from cryptography.x509.oid import NameOID

from kavrel.rig.bare.machine import Machine
from kavrel.rig.bare.said import Reader, Refused, Words
from kavrel.rig.said import FINE, Said, lines


def openssl(machine: Machine, words: list[str], reader: Reader) -> Said:
    """Its request for a certificate that signs itself, a look at one, and the public part of a key."""
    asked = {"req": _req, "x509": _x509, "pkey": _pkey}.get(words[0] if words else "")
    if asked is None:
        raise Refused(f"Invalid command '{' '.join(words[:1])}'; type \"help\" for a list.")
    return asked(machine, words[1:])


def _req(machine: Machine, words: list[str]) -> Said:
    valued = "-newkey -days -subj -addext -keyout -out"
    told = Words(words, valued, "-x509 -nodes -sha256")
    key = rsa.generate_private_key(65537, int(told.one("-newkey").removeprefix("rsa:")))
    name = x509.Name(
        [x509.NameAttribute(NameOID.COMMON_NAME, told.one("-subj").removeprefix("/CN="))]
    )
    names = [_name(n) for n in told.one("-addext").removeprefix("subjectAltName=").split(",")]
    begun = datetime.combine(machine.today, time(), UTC)
    public = key.public_key()
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(public)
        .serial_number(x509.random_serial_number())
        .not_valid_before(begun)
        .not_valid_after(begun + timedelta(days=int(told.one("-days"))))
        .add_extension(x509.SubjectKeyIdentifier.from_public_key(public), critical=False)
        .add_extension(x509.BasicConstraints(ca=True, path_length=None), critical=True)
        .add_extension(x509.SubjectAlternativeName(names), critical=False)
        .sign(key, hashes.SHA256())
    )
    secret = _file(machine, told.one("-keyout"))
    secret.touch(0o600)
    secret.write_bytes(key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption()))
    _file(machine, told.one("-out")).write_bytes(made.public_bytes(Encoding.PEM))
    return FINE


def _name(text: str) -> x509.GeneralName:
    kind, _, name = text.partition(":")
    if kind == "IP":
        try:
            return x509.IPAddress(ip_address(name))
        except ValueError:
            raise Refused(f"Error adding request extensions: bad ip address: {name}") from None
    return x509.DNSName(name)


def _file(machine: Machine, path: str) -> Path:
    there = machine.inside(path)
    if not there.parent.is_dir():
        raise Refused(f'Can\'t open "{path}" for writing, No such file or directory')
    return there


def _x509(machine: Machine, words: list[str]) -> Said:
    told = Words(words, "-in -checkend -checkip -checkhost", "-noout -pubkey -fingerprint -sha256")
    try:
        found = x509.load_pem_x509_certificate(machine.inside(told.one("-in")).read_bytes())
    except (OSError, ValueError):
        raise Refused(f"Could not read certificate from {told.one('-in')}") from None
    rows: list[str] = []
    if "-pubkey" in told:
        rows += _public(
            found.public_key().public_bytes(Encoding.PEM, PublicFormat.SubjectPublicKeyInfo)
        )
    if "-fingerprint" in told:
        rows.append(f"sha256 Fingerprint={found.fingerprint(hashes.SHA256()).hex(':').upper()}")
    code = 0
    if "-checkend" in told:
        now = datetime.combine(machine.today, time(), UTC)
        ends = found.not_valid_after_utc - now <= timedelta(seconds=int(told.one("-checkend")))
        rows.append("Certificate will expire" if ends else "Certificate will not expire")
        code = int(ends)
    its = found.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    for flag, what, known in (
        ("-checkhost", "Hostname", its.get_values_for_type(x509.DNSName)),
        ("-checkip", "IP", [str(a) for a in its.get_values_for_type(x509.IPAddress)]),
    ):
        if flag in told:
            does = "does match" if told.one(flag) in known else "does NOT match"
            rows.append(f"{what} {told.one(flag)} {does} certificate")
    return Said(code, lines(*rows).out)


def _pkey(machine: Machine, words: list[str]) -> Said:
    told = Words(words, "-in", "-pubout")
    try:
        key = load_pem_private_key(machine.inside(told.one("-in")).read_bytes(), None)
    except (OSError, ValueError):
        raise Refused(f"Could not read key from {told.one('-in')}") from None
    return lines(
        *_public(key.public_key().public_bytes(Encoding.PEM, PublicFormat.SubjectPublicKeyInfo))
    )


def _public(pem: bytes) -> list[str]:
    return pem.decode().splitlines()
