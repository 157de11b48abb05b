"""Nothing reaches back as far as a loss may go unnoticed."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    days = view.index.assumptions["deleted_notice_days"]
    for d in view.index.plan.datasets:
        cell = view.by_dataset[d.id]["deleted"]
        if cell.fate == "lost" and view.book.copies[d.id]:
            yield d.id, d.name, f"A deletion missed {days:.0f} days later is past every point kept."


NOTICED_TOO_LATE = Rule(
    "noticed_too_late",
    "caution",
    "copies",
    "dataset",
    "Keep weekly and monthly points somewhere.",
    _find,
)
