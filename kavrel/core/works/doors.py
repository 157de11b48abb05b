"""Doors: the ports that a host's firewall lets in, from where, and for whom of the plan.

Nothing of the plan is shut out by its own firewall: administrators, clients of what is served, jobs
that come from another box, what is opened on purpose, and what an address and discovery on the LAN
need. Nobody else gets in. Sources: the protocols' own ports; RFC 2131 and 8415 for DHCP, RFC 6762
for mDNS, WS-Discovery 1.1 for port 3702; link-local addresses never leave a LAN (RFC 4291).
"""

import ipaddress
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from kavrel.core.bench.meeting import meeting
from kavrel.core.bench.stopping import cable
from kavrel.core.copies.carrier import root_ways, runs_on
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Host
from kavrel.core.shares.addresses import listeners, networks_of, opened_ports
from kavrel.core.shares.protocols import PROTOCOLS
from kavrel.core.shares.protocols.ftp import PASSIVE
from kavrel.core.works.ups import PORT as UPS
from kavrel.core.works.work import Work

SSH = 22
PRIVATE = ("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "fd00::/8")  # RFC 1918, RFC 4193
LINK_LOCAL = "fe80::/10"


@dataclass(frozen=True)
class DoorOpen(Work):
    """Ports from `first` to `last` that are let in.

    `sources`: networks and addresses, none: anybody. `to`: only what is sent to this address of the
    host, empty: to any; `past`: not what is sent to this one. `who` says for whom, in words.
    """

    fields = (
        "openings.port",
        "openings.transport",
        "openings.source",
        "openings.purpose",
        "exports.clients",
        "exports.port",
        "apps.kind",
        "apps.ports",
        "apps.address",
        "hosts.addressing",
    )

    transport: str
    first: int
    last: int
    sources: tuple[str, ...]
    to: str
    who: str
    past: str = ""


def forwards(index: Index, host: str) -> bool:
    """Whether packets go through it to others: containers, virtual machines, a network behind it."""
    kind = index.hosts[host].kind
    behind = any(a.host == host and a.kind != "app" for a in index.plan.apps)
    return behind or kind in ("router", "hypervisor")


def door_works(index: Index, host: str) -> Iterator[DoorOpen]:
    """All doors of a host, each once."""
    seen: set[tuple[object, ...]] = set()
    for door in _doors(index, index.hosts[host]):
        key = (door.transport, door.first, door.last, door.sources, door.to, door.past)
        if key not in seen:
            seen.add(key)
            yield door


def _door(
    host: Host,
    transport: str,
    ports: tuple[int, int],
    sources: Sequence[str],
    who: str,
    makes: tuple[tuple[str, str], ...] = (),
    to: str = "",
    by_hand: str = "",
    past: str = "",
) -> DoorOpen:
    first, last = ports
    said = f"{first}" if first == last else f"{first}-{last}"
    at = f"-{to}" if to else ""
    return DoorOpen(
        key=f"door/{transport}-{said}{at}/{','.join(sources) or 'anybody'}",
        what=f"port {said} ({transport}) is let in: {who}",
        makes=makes or (("hosts", host.id),),
        needs=(),
        see=f"nft list chain inet kavrel input | grep 'dport {said} '",
        back="take its line out of /etc/nftables.conf and load it again",
        by_hand=by_hand,
        transport=transport,
        first=first,
        last=last,
        sources=tuple(sources),
        to=to,
        who=who,
        past=past,
    )


def _doors(index: Index, host: Host) -> Iterator[DoorOpen]:
    known = [n.range for n in networks_of(index, host)]
    here, lan = known or list(PRIVATE), [*(known or PRIVATE), LINK_LOCAL]
    # Where nobody wrote down which range the LAN has, the overlay's may be private, too: what comes
    # for this box's address in it is not from the LAN.
    past = "" if known else host.vpn_address or ""
    yield _door(host, "tcp", (SSH, SSH), lan, "SSH for administrators on the LAN", past=past)
    if host.vpn_address:
        # What is sent to that address comes in over the VPN, from whichever machine is in it.
        over = "SSH for administrators over the VPN"
        yield _door(host, "tcp", (SSH, SSH), (), over, to=host.vpn_address)
    if host.addressing != "static":
        yield _door(host, "udp", (68, 68), here, "DHCP: answers of the router")
    yield _door(host, "udp", (546, 546), (LINK_LOCAL,), "DHCPv6: answers of the router")
    yield _door(host, "udp", (5353, 5353), lan, "mDNS: found by name on the LAN")
    heard = [one for one in listeners(index) if one.host == host.id]
    if any(one.what == "SMB" for one in heard):
        yield _door(host, "udp", (3702, 3702), lan, "WS-Discovery: Windows finds it")
        asks = "WS-Discovery: Windows asks what it is"
        yield _door(host, "tcp", (5357, 5357), lan, asks, past=past)
    for one in heard:
        ports = PASSIVE if one.port == PASSIVE[0] else (one.port, one.port)
        named = [c for c in one.from_clients if _is_address(c)]
        if named:
            yield _door(host, one.transport, ports, named, one.what)
        # A client by its name would have to be looked up: the LAN instead.
        if len(named) < len(one.from_clients) or not one.from_clients:
            yield _door(host, one.transport, ports, lan, one.what, past=past)
    for supply in index.plan.supplies:
        if cable(index, supply) == host.id:
            for other in (h for h in supply.signals if h != host.id):
                told = f"{supply.name} tells {index.hosts[other].name} of a cut"
                yield _coming(index, host, other, (UPS, "tcp"), told, (("supplies", supply.id),))
    yield from _of_jobs(index, host)
    for opening in index.plan.openings:
        if opening.host != host.id:
            continue
        makes, transport = (("openings", opening.id),), opening.transport
        for ports in opened_ports(index, opening):
            if opening.source == "internet":
                who = f"from the internet, for {opening.purpose}"
                yield _door(host, transport, ports, (), who, makes)
                continue
            who = f"over the VPN, for {opening.purpose}"
            unknown = (
                "" if host.vpn_address else f"{host.name} has no address in the VPN: give it one"
            )
            yield _door(host, transport, ports, (), who, makes, host.vpn_address or "", unknown)


def _is_address(text: str) -> bool:
    try:
        ipaddress.ip_network(text)
    except ValueError:
        return False
    return True


def _of_jobs(index: Index, host: Host) -> Iterator[DoorOpen]:
    """For whom a job brings here: boxes that sign in as root, and those that write to an export."""
    for runner, other in sorted(root_ways(index.plan)):
        if other == host.id:
            who = f"SSH for the jobs that run on {index.hosts[runner].name}"
            yield _coming(index, host, runner, (SSH, "tcp"), who, (("hosts", runner),))
    exports = {e.id: e for e in index.plan.exports}
    for job in index.plan.jobs:
        comes, export = runs_on(index, job), exports.get(job.lands_in or "")
        if comes is None or export is None or comes == host.id:
            continue
        if index.pools[index.datasets[export.dataset].pool].host != host.id:
            continue
        for port, transport, what in PROTOCOLS[export.protocol].ports(export):
            who = f"{what} for {KINDS[job.kind].title} {job.name}"
            yield _coming(index, host, comes, (port, transport), who, (("jobs", job.id),))


def _coming(
    index: Index,
    host: Host,
    runner: str,
    door: tuple[int, str],
    who: str,
    makes: tuple[tuple[str, str], ...],
) -> DoorOpen:
    """A door for another box: by its own addresses, else by those of the networks that it is in."""
    box = index.hosts[runner]
    known = [a for a in (box.vpn_address, box.address) if a]
    if not meeting(box, host).seen:  # it comes from an address that nobody knows
        known += [n.range for n in networks_of(index, box)]
    port, transport = door
    left = "" if known else f"nothing says from which address {box.name} comes: give it one"
    return _door(host, transport, (port, port), known, who, makes, by_hand=left)
