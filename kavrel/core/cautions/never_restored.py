"""Copies from which nothing was ever restored."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.kinds import KINDS


def _find(view: View) -> Iterator[Finding]:
    for item in view.due:
        job = view.index.jobs.get(item.about) if item.kind == "restore_test" else None
        if job is None or not KINDS[job.kind].copies or item.overdue_days < 0:
            continue
        if any(view.index.datasets[d].worth != "fetch_again" for d in job.datasets):
            since = f"since {item.last}" if item.last else "ever"
            yield job.id, job.name, f"No restore was tried from it {since}: a copy is a hope."


NEVER_RESTORED = Rule(
    "never_restored",
    "caution",
    "log",
    "job",
    "Restore one item, start it, note how long it took, and log it.",
    _find,
)
