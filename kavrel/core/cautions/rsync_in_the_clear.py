"""An rsync module between sites."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan
    for export in plan.exports:
        host = view.index.hosts[view.index.pools[view.index.datasets[export.dataset].pool].host]
        if export.protocol == "rsync" and not host.vpn_address:
            yield (
                export.id,
                export.name,
                "The daemon encrypts nothing, and its box has no VPN address.",
            )


RSYNC_IN_THE_CLEAR = Rule(
    "rsync_in_the_clear",
    "advice",
    "shares",
    "export",
    "Inside the VPN, or over SSH.",
    _find,
    could="Data and the hash of its password can be read on the way.",
)
