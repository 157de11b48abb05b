"""More is reserved than there is."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for promise in view.promises:
        if promise.short_bytes:
            thick, has = promise.thick_bytes / 1e12, promise.has_bytes / 1e12
            why = f"{thick:.2f} TB are reserved, {has:.2f} TB are there."
            yield promise.id, promise.name, why


RESERVED_TOO_MUCH = Rule(
    "reserved_too_much",
    "serious",
    "shares",
    "promise",
    "Lower the reservations, or make disks thin.",
    _find,
    could="The server refuses the last of them, or the pool is full with nothing on it.",
)
