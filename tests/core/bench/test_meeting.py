"""How one box reaches another. Common practice, no source."""

import pytest

from kavrel.core.bench.meeting import Meeting, addresses, meeting
from kavrel.core.plan import Host


def host(site: str, lan: str | None = None, vpn: str | None = None) -> Host:
    return Host(id="x", name=f"box at {site}", site=site, bays_35=1, address=lan, vpn_address=vpn)


@pytest.mark.parametrize(
    ("here", "there", "met"),
    [
        # On one LAN: it works while the line is down, and for a box that never joined the VPN.
        (host("a", "192.168.1.2"), host("a", "192.168.1.3", "10.9.0.3"), ("192.168.1.3", "192.168.1.2")),
        (host("a", vpn="10.9.0.2"), host("a", "192.168.1.3", "10.9.0.3"), ("192.168.1.3", None)),
        (host("a", vpn="10.9.0.2"), host("a", vpn="10.9.0.3"), ("10.9.0.3", "10.9.0.2")),
        (host("a", "192.168.1.2"), host("a", vpn="10.9.0.3"), ("box at a", "192.168.1.2")),
        # Between sites: both ends use the VPN's addresses.
        (host("a", "192.168.1.2", "10.9.0.2"), host("b", "192.168.2.3", "10.9.0.3"), ("10.9.0.3", "10.9.0.2")),
        (host("a", "192.168.1.2"), host("b", vpn="10.9.0.3"), ("10.9.0.3", None)),
        (host("a", "192.168.1.2"), host("b", "203.0.113.9"), ("203.0.113.9", "192.168.1.2")),
        (host("a"), host("b"), ("box at b", None)),
    ],
)  # fmt: skip
def test_by_which_address_and_as_which(
    here: Host, there: Host, met: tuple[str, str | None]
) -> None:
    assert meeting(here, there) == Meeting(*met)


def test_a_person_is_told_both() -> None:
    assert addresses(host("a", "192.168.1.2", "10.9.0.2")) == "192.168.1.2, 10.9.0.2 over the VPN"
    assert addresses(host("a")) == ""
