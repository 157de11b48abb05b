"""A pool that cannot hold what the plan puts on it."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for state in view.states.values():
        stored = view.stored_bytes(state.pool.id)
        need = state.taken_bytes + stored
        if need > state.layout.usable_bytes:
            yield (
                state.pool.id,
                state.pool.name,
                (
                    f"Datasets with what is kept for them of {state.taken_bytes / 1e12:.2f} TB and copies "
                    f"of {stored / 1e12:.2f} TB do not fit into {state.layout.usable_bytes / 1e12:.2f} TB."
                ),
            )


POOL_TOO_SMALL = Rule(
    "pool_too_small",
    "serious",
    "pools",
    "pool",
    "Move a dataset or a copy elsewhere, or choose a larger layout.",
    _find,
)
