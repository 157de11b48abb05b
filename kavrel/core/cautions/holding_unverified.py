"""A copy of old data that nobody has read back."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    index = view.index
    for holding in index.plan.holdings:
        if not holding.verified:
            why = (
                f"Its copy of {index.datasets[holding.dataset].name} was never read back: it does not "
                "count as a whole copy until it was."
            )
            yield holding.disk, index.disks[holding.disk].label, why


HOLDING_UNVERIFIED = Rule(
    "holding_unverified",
    "caution",
    "pools",
    "disk",
    "Read it back and compare (checksums), then tick that it is verified.",
    _find,
)
