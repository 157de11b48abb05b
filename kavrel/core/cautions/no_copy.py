"""RAID is not a copy: data that cannot be replaced lives in one place only."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for d in view.index.plan.datasets:
        elsewhere = [c for c in view.book.copies[d.id] if c.place.pool != d.pool]
        if view.index.lost_for_good(d) and not elsewhere:
            snapshots = " Snapshots are on the same disks." if view.book.copies[d.id] else ""
            yield (
                d.id,
                d.name,
                (
                    "There is no copy off its pool. RAID does nothing against deletion, malware, "
                    f"theft, fire or a bad controller.{snapshots}"
                ),
            )


NO_COPY = Rule(
    "no_copy",
    "serious",
    "copies",
    "dataset",
    "Add a backup or replication to another box.",
    _find,
)
