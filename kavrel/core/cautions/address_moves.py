"""A server whose address may change."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    for host in plan.hosts:
        home = view.index.sites[host.site].own
        serves = any(one.host == host.id for one in view.listeners)
        if serves and home and host.addressing == "dhcp" and plan.networks:
            yield host.id, host.name, "It serves, and takes whatever address it is given."


ADDRESS_MOVES = Rule(
    "address_moves",
    "advice",
    "shares",
    "host",
    "A reservation in the router, or a static address outside the DHCP range.",
    _find,
    could="After a power cut nobody finds the shares.",
)
