"""A LUN for several clients."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan
    for export in plan.exports:
        if export.protocol == "iscsi" and len(export.clients) > 1:
            yield (
                export.id,
                export.name,
                f"{len(export.clients)} clients write one disk: their cluster file system must hold.",
            )


LUN_FOR_MANY = Rule(
    "lun_for_many",
    "caution",
    "shares",
    "export",
    "Only with a cluster file system that all of them know.",
    _find,
    could="One client without it, and the file system is destroyed.",
)
