"""Guests can read what cannot be replaced."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    for share in plan.shares:
        dataset = view.index.datasets[share.dataset]
        if share.guest == "read" and dataset.worth == "irreplaceable":
            why = f"{dataset.name} is irreplaceable, and everybody on the network can read it."
            yield share.id, share.name, why


GUEST_SEES = Rule(
    "guest_sees",
    "caution",
    "shares",
    "share",
    "Switch guests off and give those people an account that only reads.",
    _find,
    could="Anybody in the Wi-Fi, visitors and televisions too, can copy it.",
    fix=changed("no guests", "shares", guest="none"),
)
