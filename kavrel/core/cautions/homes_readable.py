"""The administrator can read every home folder."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for s in view.index.plan.shares:
        if s.home:
            yield s.id, s.name, "Whoever administers the box can read all home folders: say so."


HOMES_READABLE = Rule(
    "homes_readable",
    "advice",
    "shares",
    "share",
    "Say so to those who use it; what must stay private is encrypted by its owner.",
    _find,
)
