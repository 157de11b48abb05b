"""Paid-for space that the layout cannot use."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.quantities import currency_minor, size_words


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan
    for state in view.states.values():
        layout = state.layout
        share = layout.stranded_bytes / layout.raw_bytes
        if share > 0.05 and layout.stranded_bytes >= 5e10:
            paid = layout.cost_minor * share / currency_minor(plan.currency)
            yield (
                state.pool.id,
                state.pool.name,
                (
                    f"{size_words(layout.stranded_bytes)} cannot be used because the smallest disk of a "
                    f"group rules: about {paid:.0f} {plan.currency} of what the disks cost."
                ),
            )


STRANDED_SPACE = Rule(
    "stranded_space",
    "advice",
    "pools",
    "pool",
    "Group disks of like size, or put the larger ones into a pool of their own.",
    _find,
    whole=True,
)
