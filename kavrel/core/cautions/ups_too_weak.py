"""A UPS whose battery cannot carry its load until everything is shut down."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    names = {s.id: s.name for s in view.index.plan.supplies}
    # Where nobody is told, that is the finding, and another one's.
    heard = {s.id for s in view.index.plan.supplies if set(s.signals) & set(s.hosts)}
    for supply in view.power.supplies:
        if supply.overloaded or (supply.id in heard and not supply.delay_carried):
            yield supply.id, names[supply.id], f"{supply.why[0].upper()}{supply.why[1:]}."


UPS_TOO_WEAK = Rule(
    "ups_too_weak",
    "serious",
    "bench",
    "supply",
    "Shorten the delay, take load off it, renew the battery, or take a larger one.",
    _find,
)
