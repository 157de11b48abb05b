"""A pool that passes its mark within a year."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    from kavrel.core.pools.growth import need_of

    mark = view.index.assumptions["fill_warn_share"]
    for state in view.states.values():
        need = need_of(view.index, state.pool, view.stored(state.pool.id))
        room = state.layout.usable_bytes * mark
        # When that is takes a search: only where it is within the year.
        if need.at(0.0) < room <= need.at(1.0):
            months = (need.until(room) or 0.0) * 12
            why = f"At its growth it passes {mark:.0%} in {months:.0f} months."
            yield state.pool.id, state.pool.name, why


FULL_WITHIN_A_YEAR = Rule(
    "full_within_a_year",
    "advice",
    "pools",
    "pool",
    "See Years ahead on the Pools sheet for what to add, when, and what it costs then.",
    _find,
)
