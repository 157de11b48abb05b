"""A host on a UPS that is not told of the power cut."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    names = {s.id: s.name for s in view.index.plan.supplies}
    for supply in view.power.supplies:
        if supply.without_signal:
            why = (
                f"{', '.join(supply.without_signal)} runs on until the battery is empty and then goes "
                "down hard: it only ends the power cut later, not better."
            )
            yield supply.id, names[supply.id], why


UPS_SIGNAL = Rule(
    "ups_signal",
    "caution",
    "bench",
    "supply",
    "Connect the signal cable, or let the host that has it tell the others over the network.",
    _find,
)
