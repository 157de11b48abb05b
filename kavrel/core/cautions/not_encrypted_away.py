"""A plain copy in somebody else's house."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.copies.keys import encrypted_at_source
from kavrel.core.kinds import KINDS


def _find(view: View) -> Iterator[Finding]:
    for j in view.index.plan.jobs:
        site = view.book.place(j).site(view.index)
        if KINDS[j.kind].target == "none" or not site or encrypted_at_source(view.index, j):
            continue
        if not view.index.sites[site].own:
            name = view.index.sites[site].name
            yield j.id, j.name, f"{name} is not in your hands, and the copy there is readable."


NOT_ENCRYPTED_AWAY = Rule(
    "not_encrypted_away",
    "caution",
    "copies",
    "job",
    "Encrypt at the source, and keep the key somewhere that does not burn with the box.",
    _find,
)
