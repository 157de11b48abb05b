"""A first copy that takes weeks over the link."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    limit = view.index.assumptions["carry_instead_hours"]
    for j in view.index.plan.jobs:
        hours = view.book.first_copy(j).value
        if isinstance(hours, float) and hours > limit:
            yield j.id, j.name, f"The first copy over the link takes {hours / 24:.0f} days."


CARRY_FIRST_COPY = Rule(
    "carry_first_copy",
    "advice",
    "copies",
    "job",
    "Make the first copy side by side on the LAN, or carry it over on a disk.",
    _find,
)
