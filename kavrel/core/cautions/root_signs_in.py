"""An account called root or admin for people."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    for account in plan.accounts:
        if account.login in ("root", "admin", "administrator", "nobody") and account.enabled:
            yield account.id, account.login, "This name is the system's own."


ROOT_SIGNS_IN = Rule(
    "root_signs_in",
    "caution",
    "shares",
    "account",
    "Give people accounts of their own name.",
    _find,
    could="It is tried first, and the log cannot say who it was.",
)
