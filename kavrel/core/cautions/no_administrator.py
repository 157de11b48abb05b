"""No account administers."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    if plan.accounts and not any(a.role == "administrator" and a.enabled for a in plan.accounts):
        yield "plan", plan.name, "No enabled account has the administrator's role."


NO_ADMINISTRATOR = Rule(
    "no_administrator",
    "caution",
    "shares",
    "plan",
    "Name the account that administers, apart from the everyday ones.",
    _find,
    could="Everything is done as root, and nobody can say who did what.",
)
