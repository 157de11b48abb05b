"""A fast tier on one disk in front of a redundant pool."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for state in view.states.values():
        pool = state.pool
        if pool.tier and not pool.tier_mirrored and state.layout.survives_any:
            why = (
                f"New files are only as safe as the tier until the mover has run at {pool.mover_at}: up to "
                "a day of work goes with one disk, though the pool itself outlives it."
            )
            yield pool.id, pool.name, why


TIER_ALONE = Rule(
    "tier_alone",
    "caution",
    "pools",
    "pool",
    "Mirror the tier, or let the mover run more often.",
    _find,
)
