"""A connection over a relay."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.copies.travel import link_of


def _find(view: View) -> Iterator[Finding]:
    used = {over.id for j in view.index.plan.jobs if (over := link_of(view.book, j))}
    for link in view.index.plan.links:
        if link.relayed and link.id in used:
            sites = view.index.sites
            name = f"{sites[link.a].name} - {sites[link.b].name}"
            mbit = view.index.assumptions["relay_mbit"]
            yield link.id, name, f"It goes over a relay: {mbit:g} Mbit/s instead of its own rate."


RELAYED_LINK = Rule(
    "relayed_link",
    "caution",
    "copies",
    "link",
    "Open a direct path: fix both addresses, or forward one port for the VPN.",
    _find,
    could="Runs take many times as long, and every restore too.",
)
