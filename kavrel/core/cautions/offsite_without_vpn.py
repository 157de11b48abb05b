"""A job between two sites whose ends are not both in the VPN."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    for job in plan.jobs:
        if not job.target_pool or not job.datasets:
            continue
        there = view.index.pools[job.target_pool].host
        here = view.index.pools[view.index.datasets[job.datasets[0]].pool].host
        a, b = view.index.hosts[here], view.index.hosts[there]
        if a.site == b.site or not plan.networks:
            continue
        for end in (a, b):
            if not end.vpn_address:
                yield end.id, end.name, f"{job.name} goes over the line between the sites."


OFFSITE_WITHOUT_VPN = Rule(
    "offsite_without_vpn",
    "caution",
    "shares",
    "host",
    "An overlay VPN on both ends; both use its addresses.",
    _find,
    could="A forwarded port is found within hours; a new line changes the address.",
)
