"""An account that has run out and is still on."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    for account in plan.accounts:
        if account.enabled and account.expires_on and account.expires_on <= view.today:
            yield account.id, account.login, f"It ran out on {account.expires_on} and is still on."


ACCOUNT_RAN_OUT = Rule(
    "account_ran_out",
    "caution",
    "shares",
    "account",
    "Switch it off on the servers too.",
    _find,
    could="The servers do not know the date unless somebody tells them.",
    fix=changed("switch it off", "accounts", enabled=False),
)
