"""A first copy that ends after the hardware is dead."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.copies.first import first_ways

HARDWARE_YEARS = 5.0


def _find(view: View) -> Iterator[Finding]:
    for j in view.index.plan.jobs:
        if j.first_copy != "over_link":
            continue
        over_link = next(w for w in first_ways(view.book, j) if w.way == "over_link")
        if over_link.hours is None:
            yield j.id, j.name, f"Over the link the first copy is {over_link.why}."
        elif over_link.hours > HARDWARE_YEARS * 8766:
            why = f"Over the link the first copy takes {over_link.hours / 8766:.1f} years: disks die before."
            yield j.id, j.name, why


FIRST_COPY_NEVER_ENDS = Rule(
    "first_copy_never_ends",
    "serious",
    "copies",
    "job",
    "Make the first copy side by side, or carry it over on a disk.",
    _find,
)
