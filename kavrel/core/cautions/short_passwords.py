"""Passwords may be short."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    length = view.index.assumptions["password_length"]
    if plan.accounts and length < 12:
        yield "plan", plan.name, f"{length:.0f} characters are enough by the plan's rule."


SHORT_PASSWORDS = Rule(
    "short_passwords",
    "caution",
    "shares",
    "plan",
    "Ask for 14 characters or more, and give people a password manager.",
    _find,
    could="Short ones are tried out in an evening.",
)
