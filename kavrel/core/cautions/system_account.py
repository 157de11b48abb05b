"""A planned account whose login is one of the system's own."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.shares.names import SYSTEM_NAMES


def _find(view: View) -> Iterator[Finding]:
    for account in view.index.plan.accounts:
        if account.login in SYSTEM_NAMES:
            why = f"Every box has an account {account.login} that its own services run as."
            yield account.id, account.login, why


SYSTEM_ACCOUNT = Rule(
    "system_account",
    "serious",
    "shares",
    "account",
    "Give it another login; setup.sh leaves this one alone.",
    _find,
    could="A password for it opens what a service of the system may do.",
)
