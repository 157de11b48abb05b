"""A shelf copy that is overdue by the log."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for item in view.due:
        if item.kind == "shelf_copy" and item.overdue_days > 7:
            last = f"last done {item.last}" if item.last else "never done"
            yield item.about, item.name, f"{item.overdue_days} days overdue, {last}."


SHELF_OVERDUE = Rule(
    "shelf_overdue",
    "caution",
    "log",
    "job",
    "Take the disk down, copy, check, put it back, and log it.",
    _find,
)
