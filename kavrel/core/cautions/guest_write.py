"""A share that anybody on the network can write."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for s in view.index.plan.shares:
        if s.guest == "write":
            yield (
                s.id,
                s.name,
                (
                    "Anybody on the network, and anything that runs on their machines, can change or "
                    "encrypt what is in it."
                ),
            )


GUEST_WRITE = Rule(
    "guest_write",
    "serious",
    "shares",
    "share",
    "Give the guests an account of their own, or let them read only.",
    _find,
)
