"""Addresses and ports: what listens where, what clashes, what the firewall lets in, what is exposed."""

import ipaddress
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass

from pydantic import BaseModel, ConfigDict

from kavrel.core.bench.meeting import meeting
from kavrel.core.bench.stopping import cable
from kavrel.core.index import Index
from kavrel.core.plan import Host, Network, Opening
from kavrel.core.shares.protocols import PROTOCOLS
from kavrel.core.shares.protocols.ftp import PASSIVE

SSH = 22


class Listener(BaseModel):
    """A port of a host that something listens on, and from where it is let in."""

    model_config = ConfigDict(frozen=True)

    host: str
    port: int
    transport: str
    what: str
    from_networks: tuple[str, ...]  # the LAN's ranges
    from_clients: tuple[str, ...]  # only these, where the service names them


@dataclass(frozen=True)
class PortClash:
    """Two things that want the same port of a host."""

    host: str
    port: int
    what: tuple[str, ...]


def networks_of(index: Index, host: Host) -> list[Network]:
    """The subnets of a host's site."""
    return [n for n in index.plan.networks if n.site == host.site]


def opened_ports(index: Index, opening: Opening) -> tuple[tuple[int, int], ...]:
    """From and to which ports an opening lets in: where FTP listens, those of its data too.

    Whoever signed in there would get no list and no file without. Source: RFC 959, PASV; RFC 2428, EPSV.
    """
    whole = ((opening.port, opening.port),)
    return (*whole, PASSIVE) if ftp_opened(index, opening) else whole


def ftp_opened(index: Index, opening: Opening) -> bool:
    """Whether it is the FTP server of the box that an opening leads to."""
    return opening.transport == "tcp" and any(
        e.protocol == "ftp"
        and (e.port or 21) == opening.port
        and index.pools[index.datasets[e.dataset].pool].host == opening.host
        for e in index.plan.exports
    )


def listeners(index: Index) -> list[Listener]:
    """Everything that listens, host by host, in the order of ports."""
    plan = index.plan
    wanted: list[tuple[str, int, str, str, tuple[str, ...]]] = []
    serving = {index.pools[index.datasets[s.dataset].pool].host for s in plan.shares}
    wanted += [(h, 445, "tcp", "SMB", ()) for h in sorted(serving)]
    for export in plan.exports:
        host = index.pools[index.datasets[export.dataset].pool].host
        # Initiators are let in by name, not by address.
        clients = export.clients if export.protocol in ("nfs", "rsync") else ()
        for port, transport, what in PROTOCOLS[export.protocol].ports(export):
            wanted.append((host, port, transport, what, clients))
        if export.protocol == "ftp":
            wanted += [(host, PASSIVE[0], "tcp", "FTP, passive from here to 40050", ())]
    for app in plan.apps:
        if app.address:
            continue  # it listens there, and its host's firewall does not see it
        wanted += [(app.host, port, "tcp", app.name, ()) for port in app.ports]
    for supply in plan.supplies:
        # The host with the cable tells the others over the network, and nobody else has to hear it.
        keeper = cable(index, supply)
        told = [index.hosts[h] for h in supply.signals if h != keeper]
        if keeper and told:
            seen = [meeting(h, index.hosts[keeper]).seen for h in told]
            them = tuple(s for s in seen if s) if all(seen) else ()
            wanted.append((keeper, 3493, "tcp", f"UPS {supply.name}", them))
    merged: dict[tuple[str, int, str, str], set[str]] = {}
    open_to_all: set[tuple[str, int, str, str]] = set()
    for host, port, transport, what, clients in wanted:
        key = (host, port, transport, what)
        merged.setdefault(key, set()).update(clients)
        if not clients:
            open_to_all.add(key)
    listening = []
    for key in sorted(merged, key=lambda k: (k[0], k[1], k[3])):
        host, port, transport, what = key
        ranges = tuple(n.range for n in networks_of(index, index.hosts[host]))
        only = () if key in open_to_all else tuple(sorted(merged[key]))
        listening.append(
            Listener(
                host=host,
                port=port,
                transport=transport,
                what=what,
                from_networks=ranges,
                from_clients=only,
            )
        )
    return listening


def clashes(index: Index, heard: Sequence[Listener]) -> list[PortClash]:
    """Ports of a host that two different things want, of all that listens."""
    by_port: dict[tuple[str, int], list[str]] = {}
    for one in heard:
        by_port.setdefault((one.host, one.port), []).append(one.what)
    # Two applications of one name are two things all the same.
    for app in index.plan.apps:
        twins = [
            a for a in index.plan.apps if a is not app and a.host == app.host and not a.address
        ]
        if app.address:
            continue
        for port in app.ports:
            if any(port in t.ports and t.name == app.name for t in twins):
                by_port[app.host, port].append(app.name)
    return [PortClash(h, p, tuple(w)) for (h, p), w in by_port.items() if len(w) > 1]


def misplaced(index: Index) -> Iterator[tuple[Host, str]]:
    """Hosts whose address does not fit their site's networks, and why."""
    taken: dict[str, str] = {}
    for host in index.plan.hosts:
        if host.address:
            if host.address in taken:
                yield host, f"{taken[host.address]} already has {host.address}"
            taken.setdefault(host.address, host.name)
        nets = networks_of(index, host)
        if not host.address or not nets:
            continue
        address = ipaddress.ip_address(host.address)
        home = next((n for n in nets if address in ipaddress.ip_network(n.range)), None)
        if home is None:
            yield host, f"{host.address} is in no network of its site"
        elif host.addressing == "static" and in_dhcp_range(home, address):
            yield (
                host,
                f"{host.address} is static inside the DHCP range {home.dhcp_from} to {home.dhcp_to}: "
                "sooner or later another machine is given it",
            )
        elif home.gateway == host.address and host.kind != "router":
            yield host, f"{host.address} is the router's own address"
    yield from _apps_misplaced(index, taken)


def _apps_misplaced(index: Index, taken: dict[str, str]) -> Iterator[tuple[Host, str]]:
    """Applications whose own address is taken, in no network of their site, or given out by the router."""
    for app in index.plan.apps:
        if not app.address:
            continue
        host = index.hosts[app.host]
        if app.address in taken:
            yield host, f"{app.name} wants {app.address}, which {taken[app.address]} has"
        taken.setdefault(app.address, app.name)
        nets = networks_of(index, host)
        address = ipaddress.ip_address(app.address)
        home = next((n for n in nets if address in ipaddress.ip_network(n.range)), None)
        if nets and home is None:
            yield host, f"{app.name} wants {app.address}, which is in no network of its site"
        elif home and in_dhcp_range(home, address):
            said = f"{app.name} has {app.address} inside the DHCP range {home.dhcp_from} to {home.dhcp_to}"
            yield host, f"{said}: sooner or later another machine is given it"


def in_dhcp_range(network: Network, address: ipaddress.IPv4Address | ipaddress.IPv6Address) -> bool:
    """Whether the router gives this address out."""
    if not network.dhcp_from or not network.dhcp_to:
        return False
    low, high = ipaddress.ip_address(network.dhcp_from), ipaddress.ip_address(network.dhcp_to)
    return int(low) <= int(address) <= int(high) and low.version == address.version


def is_among(address: str, clients: Collection[str]) -> bool:
    """Whether an address is one of these clients, or in one of their networks."""
    for client in clients:
        try:
            if ipaddress.ip_address(address) in ipaddress.ip_network(client):
                return True
        except ValueError:
            continue  # a name
    return False
