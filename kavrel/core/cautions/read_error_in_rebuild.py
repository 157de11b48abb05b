"""A rebuild that may meet an unreadable sector with nothing left to compute it from."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for state in view.states.values():
        layout = state.layout
        seen, most = layout.read_error_odds, layout.read_error_at_most
        if layout.survives_any == 1 and seen is not None and most is not None and most > 0.5:
            yield (
                state.pool.id,
                state.pool.name,
                (
                    f"With one disk gone, reading everything back meets an unreadable sector in {seen:.1%} "
                    f"of cases by what scrubs see, and in {most:.0%} at most by the data sheet: the file "
                    "that lies there comes from a copy, or not at all."
                ),
            )


READ_ERROR_IN_REBUILD = Rule(
    "read_error_in_rebuild",
    "caution",
    "pools",
    "pool",
    "Scrub before trouble, choose two parity disks, or disks of a better rated class.",
    _find,
)
