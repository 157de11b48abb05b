"""How boxes reach one another: on one site by the LAN, between sites over the overlay network.

An overlay's address stays when a box is carried elsewhere, and both ends have to be in it.
"""

from dataclasses import dataclass

from kavrel.core.plan import Host


def addresses(host: Host) -> str:
    """All that a person may reach it by: empty where nothing is written down."""
    over = f"{host.vpn_address} over the VPN" if host.vpn_address else ""
    return ", ".join(a for a in (host.address, over) if a)


@dataclass(frozen=True)
class Meeting:
    """How one box reaches another: `at` this address, and there it is `seen` as that one of its own.

    `seen` is None where nothing says what the other end will see.
    """

    at: str
    seen: str | None


def meeting(here: Host, there: Host) -> Meeting:
    """How one box reaches another.

    On one site by the LAN, where neither the overlay nor the line has to be up; between sites over the
    overlay, whose addresses both ends use and which stay when a box is carried elsewhere.
    """
    if here.site == there.site:
        if there.address:
            return Meeting(there.address, here.address)
        if not (here.vpn_address and there.vpn_address):
            return Meeting(there.name, here.address)
    if there.vpn_address:
        return Meeting(there.vpn_address, here.vpn_address)
    return Meeting(there.address or there.name, here.address)
