"""A pool that cannot hold what the plan puts on it."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.quantities import sizes_apart


def _find(view: View) -> Iterator[Finding]:
    for state in view.states.values():
        stored = view.stored_bytes(state.pool.id)
        need = state.taken_bytes + stored
        if need > state.layout.usable_bytes:
            taken, copies, room = sizes_apart(state.taken_bytes, stored, state.layout.usable_bytes)
            why = (
                f"Datasets with what is kept for them of {taken} and copies of {copies} do not fit "
                f"into {room}."
            )
            yield state.pool.id, state.pool.name, why


POOL_TOO_SMALL = Rule(
    "pool_too_small",
    "serious",
    "pools",
    "pool",
    "Move a dataset or a copy elsewhere, or choose a larger layout.",
    _find,
)
