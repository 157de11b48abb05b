"""What a protocol declares: what it gives, to whom, over which ports, and what is wrong with it."""

import ipaddress
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Literal

from kavrel.core.index import Index
from kavrel.core.plan import Account, Export, Right
from kavrel.core.typed import typed

Gives = Literal["files", "disk", "objects"]
System = Literal["windows", "macos", "linux", "phone", "hypervisor", "box", "backup"]
Complaint = tuple[str, str]  # field, what would be right
Seen = tuple[str, str, Right, str]  # "account" or "machine", its id or name, right, because
PortUse = tuple[int, str, str]  # port, "tcp" or "udp", what listens there

HOST_NAME = re.compile(r"[A-Za-z0-9]([A-Za-z0-9-]*[A-Za-z0-9])?(\.[A-Za-z0-9-]+)*")


def no_complaint(export: Export, index: Index) -> Iterator[Complaint]:
    """Nothing beyond what holds for every export."""
    return iter(())


def by_account(export: Export, index: Index) -> Iterator[Seen]:
    """Whoever signs in has the export's right."""
    for account in export.accounts:
        yield "account", account, export.may, f"signs in to {export.name}"


def by_client(export: Export, index: Index) -> Iterator[Seen]:
    """Whoever comes from one of the addresses has the export's right."""
    for client in export.clients:
        yield "machine", client, export.may, f"its address is let in to {export.name}"


def looks_each_time(export: Export) -> str:
    """A server that opens the folder anew whenever somebody comes."""
    return ""


@dataclass(frozen=True)
class Service:
    """What serves it on Debian: package, files and where each goes, how to check them and to start.

    `minds`: what else has to be there. `before`: what is done to the files before they are used.
    `by_hand`: why no file is written, empty where there is one. `appended`: its file goes below what is
    there, not in its place. `asks`: the check asks the server itself, which has to run for it. `again`: the
    command by which it finds an export whose folder came after it had started, empty where it looks each
    time; it does not fail for that, so nothing names it.
    """

    package: str
    files: tuple[tuple[str, str], ...]
    check: str
    start: str
    minds: tuple[str, ...] = ()
    before: str = ""
    by_hand: str = ""
    appended: bool = False
    asks: bool = False
    again: Callable[[Export], str] = looks_each_time

    @property
    def tried(self) -> str:
        """How it is checked and started, in the order in which both can be done."""
        check, start = typed(self.check), typed(self.start)
        first = f"{self.before}; " if self.before else ""
        if self.asks:
            return f"{first}start it ({start}), see that it answers ({check})"
        return f"{first}check it ({check}), start it ({start})"

    @property
    def first(self) -> str:
        """The words before the files; packages have a line of their own, before all else."""
        return "" if self.appended else "put "

    def placed(self, name: str, place: str) -> str:
        """Where a file goes, in words."""
        return f"append {name} to {place}" if self.appended else f"{name} as {place}"


@dataclass(frozen=True)
class Certificate:
    """Where a server's certificate and key lie; `reader`: the account that reads the key, root where empty."""

    file: str
    key: str
    reader: str = ""


SET_UP_BY_HAND = Service(
    "", (), "", "", by_hand="no file is written for it: set its server up by hand"
)
Actor = Literal["", "account", "nobody", "anybody", "root"]  # empty: it gives no files
Hand = tuple[str | None, Right]  # an account's id, or None for nobody, and its right


def no_hand(export: Export) -> Iterator[Hand]:
    """The server touches files as root, or a client with its own numbers."""
    return iter(())


def as_who_signed_in(export: Export) -> Actor:
    """The server has no more on the disk than the account itself."""
    return "account"


def as_root(export: Export) -> str:
    """A server that starts as root, and has no account of its own."""
    return ""


def no_certificate(export: Export) -> Certificate | None:
    """A server that is not told to encrypt, or knows itself by another key."""
    return None


def own_hand(export: Export) -> Iterator[Hand]:
    """The server touches files as whoever signed in."""
    return ((account, export.may) for account in export.accounts)


@dataclass(frozen=True)
class Protocol:
    """A way of offering data. `fields`: which of an export's fields it uses beside the common ones.

    `many_writers`: several clients may write at once. `why`: when it is the right one. `hands`: as
    whom its server touches files, so that folders let them in. `acts_as`: the same in one word, for
    what lies below the folder; `crosses`: whether it goes into a file system mounted there.
    `needs_home`: who signs in needs a home folder that is there. `service`: what serves it, and how
    that is set up. `runs_as`: the server's own account, where it has one. `certificate`: what it is known
    by. `realm`: whether clients have to come with a ticket of Kerberos.
    """

    id: str
    title: str
    gives: Gives
    systems: frozenset[System]
    many_writers: bool
    clear_text: Callable[[Export], bool]
    fields: tuple[str, ...]
    ports: Callable[[Export], tuple[PortUse, ...]]
    why: str
    seen: Callable[[Export, Index], Iterator[Seen]]
    complaints: Callable[[Export, Index], Iterator[Complaint]] = no_complaint
    caution: str = ""
    hands: Callable[[Export], Iterator[Hand]] = no_hand
    acts_as: Callable[[Export], Actor] = lambda export: ""
    crosses: bool = True
    needs_home: bool = False
    service: Service = SET_UP_BY_HAND
    runs_as: Callable[[Export], str] = as_root
    certificate: Callable[[Export], Certificate | None] = no_certificate
    realm: Callable[[Export], bool] = lambda export: False

    def uses(self, field: str) -> bool:
        """Whether a field of an export means anything with it, beside the common ones."""
        return field in self.fields

    def allows(self, field: str, choice: str) -> bool:
        """Whether a field of an export may have a choice with it."""
        return True


def client_complaints(export: Export) -> Iterator[Complaint]:
    """Clients are addresses, networks or host names; at least one."""
    if not export.clients:
        yield "clients", "name at least one host or network: an empty list lets everybody in"
    for client in export.clients:
        if "/" in client:
            try:
                ipaddress.ip_network(client)
            except ValueError:
                yield "clients", f"{client} is no network: write it as 192.168.1.0/24"
        elif not _is_host(client):
            yield "clients", f"{client} is neither an address nor a host name"


def _is_host(text: str) -> bool:
    try:
        ipaddress.ip_address(text)
    except ValueError:
        # All digits and dots would be a mistyped address.
        return bool(HOST_NAME.fullmatch(text)) and not re.fullmatch(r"[0-9.]+", text)
    return True


def account_complaints(export: Export, what: str) -> Iterator[Complaint]:
    """Somebody has to sign in."""
    if not export.accounts:
        yield "accounts", f"name at least one account that signs in to the {what}"


def enabled(index: Index, export: Export) -> list[Account]:
    """The accounts of an export that are switched on."""
    return [index.accounts[a] for a in export.accounts if index.accounts[a].enabled]
