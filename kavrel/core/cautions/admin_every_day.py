"""An administrator account that is used for everyday work."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for a in view.index.plan.accounts:
        if a.role != "administrator":
            continue
        own = [g for g in view.index.plan.grants if g.account == a.id and g.right == "write"]
        if a.enabled and own:
            names = ", ".join(view.index.shares[g.share].name for g in own)
            yield (
                a.id,
                a.login,
                (
                    f"It is granted write on {names}: malware that runs under it is the administrator."
                ),
            )


ADMIN_EVERY_DAY = Rule(
    "admin_every_day",
    "caution",
    "shares",
    "account",
    "Give the person an everyday account and keep this one for administration.",
    _find,
)
