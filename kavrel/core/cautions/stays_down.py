"""A host with a pool that does not come back by itself after a power cut."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    with_pools = {p.host for p in view.index.plan.pools}
    for host in view.index.plan.hosts:
        site = view.index.sites[host.site]
        if host.id in with_pools and host.after_power_cut == "by_hand" and not site.own:
            why = f"Somebody has to go to {site.name} and press a button after every power cut."
            yield host.id, host.name, why


STAYS_DOWN = Rule(
    "stays_down",
    "advice",
    "bench",
    "host",
    "Set it to start when power returns (in its firmware), and say in which order hosts start.",
    _find,
)
