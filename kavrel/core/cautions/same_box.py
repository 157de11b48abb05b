"""A copy in the same box counted as a copy."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    index = view.index
    for d in index.plan.datasets:
        home = index.pools[d.pool].host
        copies = [c for c in view.book.copies[d.id] if c.place.pool != d.pool]
        if copies and all(c.place.host(index) == home for c in copies):
            yield d.id, d.name, f"All its copies are in {index.hosts[home].name} too."


SAME_BOX = Rule(
    "same_box",
    "caution",
    "copies",
    "dataset",
    "Send it to another box.",
    _find,
)
