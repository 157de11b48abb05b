"""An administrator without a second factor."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    for account in plan.accounts:
        if account.role == "administrator" and account.enabled and not account.second_factor:
            yield account.id, account.login, "It administers with a password alone."


ADMIN_ONE_FACTOR = Rule(
    "admin_one_factor",
    "caution",
    "shares",
    "account",
    "Add a second factor to every administrator.",
    _find,
    could="A password read over a shoulder gives everything.",
    fix=changed("has a second factor", "accounts", second_factor=True),
)
