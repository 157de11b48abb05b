"""More shares than people can keep apart."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    count = len(view.index.plan.shares)
    wanted = view.index.assumptions["shares_wanted"]
    if count > wanted:
        yield (
            "shares",
            "all shares",
            (f"{count} shares; past {wanted:.0f} people no longer know which is which."),
        )


MANY_SHARES = Rule(
    "many_shares",
    "advice",
    "shares",
    "plan",
    "Keep five or six and use folder permissions inside one.",
    _find,
)
