"""A share of irreplaceable data without a recycle bin or snapshots."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed
from kavrel.core.kinds import snapped


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    kept_there = snapped(view.index)
    for share in plan.shares:
        dataset = view.index.datasets[share.dataset]
        if (
            dataset.worth == "irreplaceable"
            and not share.recycle_days
            and dataset.id not in kept_there
        ):
            yield share.id, share.name, "What is deleted there is gone at once."


NO_BIN = Rule(
    "no_bin",
    "advice",
    "shares",
    "share",
    "A recycle bin of 7 days, or snapshots of the dataset.",
    _find,
    could="A folder deleted by mistake at noon is gone until the copy of last night.",
    fix=changed("a bin of 7 days", "shares", recycle_days=7),
)
