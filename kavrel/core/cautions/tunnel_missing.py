"""A copy that crosses the internet in the clear."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.copies.keys import encrypted_at_source
from kavrel.core.copies.resource import Resource


def _find(view: View) -> Iterator[Finding]:
    links = {Resource("link", x.id): x for x in view.index.plan.links}
    for j in view.index.plan.jobs:
        crossed = [links[r] for r in view.book.way(j).resources if r in links]
        if crossed and not crossed[0].encrypted and not encrypted_at_source(view.index, j):
            yield j.id, j.name, "Neither the link nor the job encrypts what travels."


TUNNEL_MISSING = Rule(
    "tunnel_missing",
    "serious",
    "copies",
    "job",
    "Put the link into a VPN, or encrypt at the source.",
    _find,
)
