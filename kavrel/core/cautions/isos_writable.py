"""Installation images that everyday accounts can write."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    for share in plan.shares:
        if view.index.datasets[share.dataset].use != "isos":
            continue
        able = [
            view.index.accounts[c.account].login
            for c in view.by_share[share.id]
            if c.right == "write" and view.index.accounts[c.account].role != "administrator"
        ]
        if able:
            yield share.id, share.name, f"{', '.join(able)} can change them."


ISOS_WRITABLE = Rule(
    "isos_writable",
    "advice",
    "shares",
    "share",
    "Read for all, write for the administrator.",
    _find,
    could="A changed image installs the change everywhere.",
)
