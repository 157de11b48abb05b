"""Points that take more room than there is."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for state in view.states.values():
        held = view.stored_bytes(state.pool.id)
        usable = state.layout.usable_bytes
        live = state.taken_bytes
        if live < usable < live + held:
            over = (live + held - usable) / 1e12
            yield (
                state.pool.id,
                state.pool.name,
                f"Points and copies need {over:.2f} TB more than it has.",
            )


POINTS_FILL_THE_POOL = Rule(
    "points_fill_the_pool",
    "serious",
    "copies",
    "pool",
    "Keep fewer points, or for a shorter time; see Space on the Copies sheet.",
    _find,
)
