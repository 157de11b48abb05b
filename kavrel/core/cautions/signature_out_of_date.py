"""A risk that was signed, and has changed since."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.proof.hazards import HAZARDS


def _find(view: View) -> Iterator[Finding]:
    titles = {h.id: h.title for h in HAZARDS.values()}
    for c in view.cells:
        if c.signed == "changed":
            d = view.index.datasets[c.dataset]
            yield d.id, d.name, f"What was signed for {titles[c.hazard]} is no longer what it was."


SIGNATURE_OUT_OF_DATE = Rule(
    "signature_out_of_date",
    "caution",
    "proof",
    "dataset",
    "Open the cell, look again, and sign it anew or mend it.",
    _find,
)
