"""An off-site box with a fixed address."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    for host in plan.hosts:
        if not view.index.sites[host.site].own and host.addressing == "static":
            yield (
                host.id,
                host.name,
                "It stands where somebody else runs the network, with a static address.",
            )


OFFSITE_FIXED = Rule(
    "offsite_fixed",
    "caution",
    "shares",
    "host",
    "Leave it on DHCP and reach it by its VPN address.",
    _find,
    could="The router there is changed, and the box is gone until somebody drives.",
    fix=changed("DHCP", "hosts", addressing="dhcp", address=None),
    whole=True,
)
