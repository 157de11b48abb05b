"""A trash can that is emptied before anybody looks."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.kinds import KINDS


def _find(view: View) -> Iterator[Finding]:
    days = view.index.assumptions["deleted_notice_days"]
    for j in view.index.plan.jobs:
        if KINDS[j.kind].trash and j.retention.trash_days < days:
            why = f"Its trash can keeps {j.retention.trash_days} days; a deletion is missed after {days:.0f}."
            yield j.id, j.name, why


TRASH_CAN_TOO_SHORT = Rule(
    "trash_can_too_short",
    "caution",
    "copies",
    "job",
    "Keep what is deleted as long as it takes to notice, or make versions.",
    _find,
)
