"""A disk for a client in a dataset that is shared as files."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    shared = {s.dataset for s in plan.shares}
    for export in plan.exports:
        if export.protocol == "iscsi" and export.dataset in shared:
            name = view.index.datasets[export.dataset].name
            yield export.dataset, name, f"LUN {export.name} lies in it, and it is shared as files."


LUN_IN_A_SHARE = Rule(
    "lun_in_a_share",
    "caution",
    "shares",
    "dataset",
    "Give LUNs a dataset of their own.",
    _find,
    could="Somebody deletes the file that is somebody else's disk.",
)
