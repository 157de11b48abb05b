"""A folder that every account on the box may write."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    for dataset in plan.datasets:
        if int(dataset.mode[-1], 8) & 2:
            yield dataset.id, dataset.name, f"Mode {dataset.mode}: others may write."


MODE_FOR_ALL = Rule(
    "mode_for_all",
    "caution",
    "shares",
    "dataset",
    "Mode 2770: owner and group.",
    _find,
    could="Any application that gets out of its cage writes there.",
    fix=changed("mode 2770", "datasets", mode="2770"),
)
