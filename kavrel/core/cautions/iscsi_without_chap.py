"""A LUN without CHAP."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan
    for export in plan.exports:
        if export.protocol == "iscsi" and not export.secured:
            yield export.id, export.name, "Whoever says the initiator's name has the disk."


ISCSI_WITHOUT_CHAP = Rule(
    "iscsi_without_chap",
    "caution",
    "shares",
    "export",
    "Use CHAP; its secret is set on both ends.",
    _find,
    could="Another machine takes the name of the initiator and overwrites the disk.",
    fix=changed("ask for CHAP", "exports", secured=True),
)
