"""An account that reaches nothing."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    used = {c.account for c in view.matrix if c.right != "none"}
    used |= {a for e in plan.exports for a in e.accounts} | {
        a.account for a in plan.apps if a.account
    }
    used |= {d.owner for d in plan.datasets if d.owner}
    for account in plan.accounts:
        if account.enabled and account.id not in used and account.role != "administrator":
            yield account.id, account.login, "It can reach no share, export or application."


UNUSED_ACCOUNT = Rule(
    "unused_account",
    "advice",
    "shares",
    "account",
    "Switch it off.",
    _find,
    could="A forgotten account keeps an old password.",
    fix=changed("switch it off", "accounts", enabled=False),
)
