"""More administrators than a household needs."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    admins = [a.login for a in plan.accounts if a.role == "administrator" and a.enabled]
    if len(admins) > 2:
        yield "plan", plan.name, f"{', '.join(admins)} all administer."


MANY_ADMINISTRATORS = Rule(
    "many_administrators",
    "advice",
    "shares",
    "plan",
    "One, and one more for when that one is away.",
    _find,
    could="Each is a door.",
)
