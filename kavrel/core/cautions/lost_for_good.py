"""A hazard after which irreplaceable data does not come back."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.proof.hazards import HAZARDS
from kavrel.core.proof.hazards.never_tried import NEVER_TRIED


def _find(view: View) -> Iterator[Finding]:
    titles = {h.id: h.title for h in HAZARDS.values()}
    for d in view.index.plan.datasets:
        cells = view.by_dataset[d.id].values()
        # What was never tried has a caution of its own, and its way out: try it.
        lost = [
            titles[c.hazard]
            for c in cells
            if c.fate == "lost" and c.signed != "yes" and c.hazard != NEVER_TRIED.id
        ]
        if d.worth == "irreplaceable" and lost:
            yield d.id, d.name, f"Lost for good after: {'; '.join(lost)}."


LOST_FOR_GOOD = Rule(
    "lost_for_good",
    "serious",
    "proof",
    "dataset",
    "Open the cell on the Proof sheet and see which copies fail, and why.",
    _find,
)
