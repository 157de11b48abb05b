"""Installation images that others than administrators can write."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.shares.writing import ways_to_write, who_writes


def _find(view: View) -> Iterator[Finding]:
    index = view.index
    for dataset in index.plan.datasets:
        if dataset.use != "isos":
            continue
        able = [
            a.login
            for a in index.plan.accounts
            if a.role != "administrator"
            and dataset.id
            in {d for *_, d in ways_to_write(index, a.id, view.by_account[a.id], view.today)}
        ]
        logins = {a.login for a in index.plan.accounts}
        others = who_writes(index, dataset.id, view.matrix, view.today)
        able += [w for w in others if w not in logins]
        if able:
            yield dataset.id, dataset.name, f"{', '.join(able)} can change them."


ISOS_WRITABLE = Rule(
    "isos_writable",
    "advice",
    "shares",
    "dataset",
    "Read for all, write for the administrator.",
    _find,
    could="A changed image installs the change everywhere.",
)
