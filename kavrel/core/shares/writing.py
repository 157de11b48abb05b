"""Who can write a dataset where people work: accounts over any protocol, guests, and machines.

Malware runs as whoever is at a desk, and has what the desk has: shares and modules that are signed in at,
trees that are mounted by address, and disks over the network. A box of the plan is no desk, unless it
is a PC; nor is what stands in a network without a router, beside one that has it: there only boxes
are put, by hand.
"""

import ipaddress
from collections.abc import Iterator, Sequence
from datetime import date

from kavrel.core.index import Index
from kavrel.core.plan import Export
from kavrel.core.shares.access import Access
from kavrel.core.shares.parts import offered_as
from kavrel.core.shares.protocols import PROTOCOLS

PEOPLE = ("everyday", "administrator")


def who_writes(index: Index, dataset: str, matrix: Sequence[Access], today: date) -> list[str]:
    """Logins of people, "guest", and machines at which they work, each once."""
    return list(dict.fromkeys(_who(index, dataset, matrix, today)))


def _who(index: Index, dataset: str, matrix: Sequence[Access], today: date) -> Iterator[str]:
    whole = offered_as(index, dataset)
    # In a folder of homes nobody sees more than his own.
    shares = [s for s in index.shares_of.get(whole, []) if whole == dataset or not s.home]
    wanted, width = {s.id for s in shares}, len(index.plan.accounts)
    able: set[str] = set()
    for n, share in enumerate(index.plan.shares):
        if share.id in wanted:
            row = matrix[n * width : (n + 1) * width]
            able |= {cell.account for cell in row if cell.right == "write"}
    exports = [e for e in index.plan.exports if e.dataset == whole and e.may == "write"]
    for export in exports:
        able |= {a for a in export.accounts if index.accounts[a].works_on(today)}
    yield from (a.login for a in index.plan.accounts if a.id in able and a.role in PEOPLE)
    if any(s.guest == "write" for s in shares):
        yield "guest"
    for export in exports:
        yield from _desks(index, export)


def ways_to_write(
    index: Index, account: str, row: Sequence[Access], today: date
) -> list[tuple[str, str, str]]:
    """What an account can write, and how: protocol, name of the share or export, dataset.

    `row`: the account's cells of the matrix.
    """
    shares = [index.shares[c.share] for c in row if c.right == "write"]
    ways = [("SMB", s.name, s.dataset) for s in shares]
    if index.accounts[account].works_on(today):
        mine = [e for e in index.plan.exports if e.may == "write" and account in e.accounts]
        ways += [(PROTOCOLS[e.protocol].title, e.name, e.dataset) for e in mine]
    return ways


def one_for_all(index: Index, matrix: Sequence[Access], today: date) -> str | None:
    """An administrator of all boxes whose password alone is enough, typed where people work."""
    for account in index.plan.accounts:
        if account.role == "administrator" and account.enabled and not account.second_factor:
            row = [c for c in matrix if c.account == account.id]
            if ways_to_write(index, account.id, row, today):
                return account.login
    return None


def _desks(index: Index, export: Export) -> Iterator[str]:
    """Clients that need no account: whoever is at one of them writes."""
    if PROTOCOLS[export.protocol].uses("accounts"):
        return
    for client in export.clients:
        if is_a_desk(index, client):
            yield f"whoever works at {client}"


def is_a_desk(index: Index, client: str) -> bool:
    """Whether people may work at an address, a network, a named host or an initiator."""
    plan = index.plan
    try:
        there = ipaddress.ip_network(client)
    except ValueError:
        name = client.rpartition(":")[2].lower().split(".")[0]
        return all(h.personal for h in plan.hosts if h.name.lower() == name)
    for host in plan.hosts:
        if there.num_addresses == 1 and str(there[0]) in (host.address, host.vpn_address):
            return host.personal
    routed = {n.site for n in plan.networks if n.gateway}
    for network in plan.networks:
        # Where no network of the site has a router, nobody wrote down which one has.
        if network.gateway is None and network.dhcp_from is None and network.site in routed:
            around = ipaddress.ip_network(network.range)
            if around.version == there.version and there.subnet_of(around):  # type: ignore[arg-type]
                return False
    return True
