"""One dataset behind two shares."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    first: dict[str, str] = {}
    for share in plan.shares:
        if share.dataset in first:
            yield share.id, share.name, f"It shows the same data as {first[share.dataset]}."
        first.setdefault(share.dataset, share.name)


TWICE_SHARED = Rule(
    "twice_shared",
    "advice",
    "shares",
    "share",
    "Keep one share a dataset, with folder permissions inside.",
    _find,
    could="People save into one and look into the other, and rights differ by the way in.",
)
