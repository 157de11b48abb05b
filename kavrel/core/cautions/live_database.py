"""A live database copied file by file."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.kinds import KINDS


def _find(view: View) -> Iterator[Finding]:
    for d in view.index.plan.datasets:
        copies = view.book.copies[d.id]
        snapshot = any(KINDS[c.job.kind].consistent for c in copies)
        if d.live_database and copies and not snapshot:
            yield d.id, d.name, "Its files change while they are copied: the copy may not open."


LIVE_DATABASE = Rule(
    "live_database",
    "caution",
    "copies",
    "dataset",
    "Snapshot it, or dump it first and copy the dump.",
    _find,
)
