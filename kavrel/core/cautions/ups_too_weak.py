"""A UPS whose battery cannot carry its load until everything is shut down."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    names = {s.id: s.name for s in view.index.plan.supplies}
    for supply in view.power.supplies:
        if supply.overloaded or not supply.delay_carried:
            yield supply.id, names[supply.id], f"{supply.why[0].upper()}{supply.why[1:]}."


UPS_TOO_WEAK = Rule(
    "ups_too_weak",
    "serious",
    "bench",
    "supply",
    "Shorten the delay, take load off it, renew the battery, or take a larger one.",
    _find,
)
