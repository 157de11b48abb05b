"""A box with a pool and no UPS."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    with_pools = {p.host for p in view.index.plan.pools}
    for h in view.index.plan.hosts:
        if h.id in with_pools and h.id not in view.index.on_ups:
            yield (
                h.id,
                h.name,
                (
                    "A short power cut in a long copy leaves a hung box and doubt about the data. UPS "
                    "batteries are lead and can short: follow the maker's and local rules for disposal."
                ),
            )


NO_UPS = Rule(
    "no_ups",
    "caution",
    "bench",
    "host",
    "A UPS with its signal cable: the host is told, waits, unmounts and shuts down.",
    _find,
)
