"""A password that was reset and not yet changed by its owner."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    for account in plan.accounts:
        if account.must_change and account.enabled:
            yield (
                account.id,
                account.login,
                "Its password was reset, and somebody else knows it still.",
            )


RESET_PENDING = Rule(
    "reset_pending",
    "advice",
    "shares",
    "account",
    "Ask for the change at the next sign-in.",
    _find,
    could="Two people know it.",
    fix=changed("it was changed", "accounts", must_change=False),
)
