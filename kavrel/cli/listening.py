"""Where the server listens, under which names, and by which certificate."""

import socket
from collections.abc import Iterator
from dataclasses import dataclass
from ipaddress import ip_address
from pathlib import Path

import click

from kavrel.core.loopback import is_loopback

EVERYWHERE = {"0.0.0.0", "::"}  # noqa: S104 (what was asked for by --lan)
# Addresses kept for documentation (RFC 5737, RFC 3849): a way towards them is looked up, nothing is sent.
OUTWARD = ((socket.AF_INET, "192.0.2.1"), (socket.AF_INET6, "2001:db8::1"))


@dataclass(frozen=True)
class Listening:
    """How the server is reached. `proxy`: a trusted one, whose word on addresses is taken."""

    host: str = "127.0.0.1"
    port: int = 8321
    names: tuple[str, ...] = ()
    certificate: tuple[Path, Path] | None = None
    own_certificate: bool = False
    proxy: str = ""
    prefix: str = ""
    fd: int | None = None

    @property
    def beyond_loopback(self) -> bool:
        """Whether anybody but the machine itself gets at it, straight or through a proxy."""
        return not is_loopback(self.host) or bool(self.proxy)

    @property
    def reached_as(self) -> tuple[str, ...]:
        """Names and addresses of this machine, the best to type first."""
        own = own_addresses() if self.host in EVERYWHERE else ()
        at = () if self.host in EVERYWHERE else (self.host,)
        name = socket.gethostname().lower()
        local = (name, f"{name}.local") if self.host in EVERYWHERE and "." not in name else ()
        return tuple(dict.fromkeys((*self.names, *at, *own, *local, "localhost", "127.0.0.1")))


def own_addresses() -> tuple[str, ...]:
    """Addresses by which this machine would speak to others; none where it has no way out."""
    return tuple(dict.fromkeys(_outward()))


def _outward() -> Iterator[str]:
    for family, far in OUTWARD:
        with socket.socket(family, socket.SOCK_DGRAM) as probe:
            try:
                probe.connect((far, 9))  # UDP: only looks the way up
            except OSError:
                continue
            address = probe.getsockname()[0]
        if not ip_address(address).is_loopback:
            yield address


def bound(listening: Listening) -> socket.socket:
    """The socket to listen on; raises a click error that says what stands in the way."""
    if listening.fd is not None:
        return socket.socket(fileno=listening.fd)
    try:
        family = socket.AF_INET6 if ":" in listening.host else socket.AF_INET
        return socket.create_server((listening.host, listening.port), family=family)
    except OSError as error:
        raise click.ClickException(
            f"port {listening.port} on {listening.host} cannot be had ({error.strerror}): "
            "name another with --port"
        ) from error
