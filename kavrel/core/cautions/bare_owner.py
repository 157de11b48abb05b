"""NFS without an owner for its files."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan
    for export in plan.exports:
        dataset = view.index.datasets[export.dataset]
        if export.protocol == "nfs" and dataset.owner is None:
            yield export.id, export.name, f"{dataset.name} has no owner in the plan."


BARE_OWNER = Rule(
    "bare_owner",
    "advice",
    "shares",
    "export",
    "Name the owner: NFS carries numbers, not names.",
    _find,
    could="Files belong to a number that is somebody else on the client.",
)
