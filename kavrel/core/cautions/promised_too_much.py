"""More is promised than there is."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.quantities import sizes_apart


def _find(view: View) -> Iterator[Finding]:
    factor = view.index.assumptions["thin_promise_factor"]
    for promise in view.promises:
        promised = promise.thick_bytes + promise.thin_bytes
        if not promise.short_bytes and promised > factor * promise.has_bytes:
            much, there = sizes_apart(promised, promise.has_bytes)
            why = f"{much} are promised, {there} are there."
            yield promise.id, promise.name, why


PROMISED_TOO_MUCH = Rule(
    "promised_too_much",
    "caution",
    "shares",
    "promise",
    "Lower quotas or thin disks, or plan growth in time.",
    _find,
    could="Everything fills at once, and every client sees its disk fail.",
)
