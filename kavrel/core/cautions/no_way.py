"""A job between sites that have no link."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for j in view.index.plan.jobs:
        if view.book.way(j).missing_link:
            yield j.id, j.name, "No link joins the two sites: it can never run."


NO_WAY = Rule(
    "no_way",
    "serious",
    "copies",
    "job",
    "Draw the link with its speeds on the Bench, or copy by hand.",
    _find,
)
