"""An address that does not fit its network."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    from kavrel.core.shares.addresses import misplaced

    for host, why in misplaced(view.index):
        yield host.id, host.name, f"{why[0].upper()}{why[1:]}."


ADDRESS_MISPLACED = Rule(
    "address_misplaced",
    "serious",
    "shares",
    "host",
    "Outside the DHCP range, or a reservation in the router.",
    _find,
    could="Two machines with one address: both come and go, for hours, without a message.",
)
