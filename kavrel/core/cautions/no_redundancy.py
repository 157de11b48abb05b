"""A pool whose data is gone with any one disk."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for state in view.states.values():
        holds = [d for d in view.index.plan.datasets if d.pool == state.pool.id]
        dear = [d.name for d in holds if d.worth == "irreplaceable"]
        if dear and state.layout.survives_any == 0:
            yield (
                state.pool.id,
                state.pool.name,
                (f"A {state.layout.title} is lost with any one disk, and holds {', '.join(dear)}."),
            )


NO_REDUNDANCY = Rule(
    "no_redundancy",
    "caution",
    "pools",
    "pool",
    "Choose a layout that outlives a disk, or accept the restore time on the Proof sheet.",
    _find,
)
