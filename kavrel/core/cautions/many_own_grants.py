"""A share with grants person by person."""

from collections import Counter
from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    own = Counter(g.share for g in plan.grants if g.account)
    for share in plan.shares:
        if own[share.id] > 4:
            yield share.id, share.name, f"{own[share.id]} people have a grant of their own on it."


MANY_OWN_GRANTS = Rule(
    "many_own_grants",
    "advice",
    "shares",
    "share",
    "Make a group and grant to it; own grants are for exceptions.",
    _find,
    could="Somebody who left keeps a right that nobody remembers.",
)
