"""A grant that has run out and still stands in the plan."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, removed


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    for grant in plan.grants:
        if grant.expires_on and grant.expires_on <= view.today:
            share = view.index.shares[grant.share].name
            yield grant.id, share, f"A grant on it ran out on {grant.expires_on}."


GRANT_RAN_OUT = Rule(
    "grant_ran_out",
    "advice",
    "shares",
    "grant",
    "Take it out; the log remembers it.",
    _find,
    could="Someone sets a new date without asking whether it is still wanted.",
    fix=removed("take the grant out", "grants"),
)
