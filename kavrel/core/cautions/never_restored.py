"""Copies from which nothing was ever restored."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for item in view.due:
        if item.kind == "restore_test" and item.about_kind == "dataset" and item.overdue_days >= 0:
            dataset = view.index.datasets[item.about]
            if dataset.worth != "fetch_again":
                since = f"since {item.last}" if item.last else "ever"
                yield dataset.id, dataset.name, f"No restore was tried {since}: a copy is a hope."


NEVER_RESTORED = Rule(
    "never_restored",
    "caution",
    "log",
    "dataset",
    "Restore one item, start it, note how long it took, and log it.",
    _find,
)
