"""A rebuild that will probably meet an unreadable sector."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for state in view.states.values():
        odds = state.layout.read_error_odds
        if state.layout.survives_any == 1 and odds is not None and odds > 0.5:
            yield (
                state.pool.id,
                state.pool.name,
                (
                    f"With one disk gone, reading everything back meets an unrecoverable error with "
                    f"{odds:.0%} by the disks' rated error rate."
                ),
            )


READ_ERROR_IN_REBUILD = Rule(
    "read_error_in_rebuild",
    "caution",
    "pools",
    "pool",
    "Choose two parity disks, use disks with a better rated error rate, and scrub before trouble.",
    _find,
)
