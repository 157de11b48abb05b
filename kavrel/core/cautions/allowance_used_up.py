"""More travels than the contract carries."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.copies.travel import bytes_a_month


def _find(view: View) -> Iterator[Finding]:
    for link in view.index.plan.links:
        if link.allowance_bytes_per_month is None:
            continue
        monthly = bytes_a_month(view.book, link)
        if monthly > link.allowance_bytes_per_month:
            sites = view.index.sites
            name = f"{sites[link.a].name} - {sites[link.b].name}"
            have = link.allowance_bytes_per_month / 1e9
            why = (
                f"Usual runs carry {monthly / 1e9:.0f} GB a month, the allowance is {have:.0f} GB."
            )
            yield link.id, name, why


ALLOWANCE_USED_UP = Rule(
    "allowance_used_up",
    "serious",
    "copies",
    "link",
    "Send less, less often, or from a compressing job; or carry a disk.",
    _find,
    could="The line is throttled or billed in the middle of the month.",
)
