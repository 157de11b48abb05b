"""Passwords have to be changed by the calendar."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    days = view.index.assumptions["password_days"]
    if plan.accounts and days:
        yield "plan", plan.name, f"They have to be changed every {days:.0f} days."


FORCED_CHANGE = Rule(
    "forced_change",
    "advice",
    "shares",
    "plan",
    "No forced expiry: change them when something happened.",
    _find,
    could="People count upwards, and write the number on the screen.",
)
