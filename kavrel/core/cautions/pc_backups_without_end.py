"""A share for PCs' own backups that nothing limits."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for share in view.index.plan.shares:
        if share.pc_backups and not view.index.datasets[share.dataset].quota_bytes:
            yield (
                share.id,
                share.name,
                "A PC's backup program keeps versions until the place is full, and its dataset has no quota.",
            )


PC_BACKUPS_WITHOUT_END = Rule(
    "pc_backups_without_end",
    "caution",
    "shares",
    "share",
    "Give its dataset a quota: about twice what lies on the PCs.",
    _find,
    could="The pool is full one night, and everything else on it stands still.",
)
