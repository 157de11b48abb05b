"""Two share names that differ by their letters' case alone."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    seen: dict[str, str] = {}
    for share in plan.shares:
        key = share.name.casefold()
        if key in seen and seen[key] != share.name:
            yield share.id, share.name, f"It differs from {seen[key]} by case alone."
        seen.setdefault(key, share.name)


NAMES_ALIKE = Rule(
    "names_alike",
    "caution",
    "shares",
    "share",
    "Rename one of them.",
    _find,
    could="Some clients see one of the two, and not the same one.",
)
