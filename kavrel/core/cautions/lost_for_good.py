"""A hazard after which irreplaceable data does not come back."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.proof.hazards import HAZARDS


def _find(view: View) -> Iterator[Finding]:
    titles = {h.id: h.title for h in HAZARDS.values()}
    for d in view.index.plan.datasets:
        cells = view.by_dataset[d.id].values()
        lost = [titles[c.hazard] for c in cells if c.fate == "lost" and c.signed != "yes"]
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
