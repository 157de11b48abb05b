"""A share that every account can write."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    people = [a.id for a in plan.accounts if a.enabled]
    for share in plan.shares:
        writes = [c for c in view.by_share[share.id] if c.right == "write"]
        if len(people) > 3 and len(writes) == len(people):
            yield share.id, share.name, f"All {len(people)} accounts can write it."


EVERYBODY_WRITES = Rule(
    "everybody_writes",
    "advice",
    "shares",
    "share",
    "Give write to those who need it, read to the others.",
    _find,
    could="One infected machine of anybody encrypts it.",
)
