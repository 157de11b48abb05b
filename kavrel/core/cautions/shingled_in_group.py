"""Shingled disks in a group that has to rebuild."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for state in view.states.values():
        disks = [view.index.disks[d] for d in state.pool.disks]
        shingled = [d.label for d in disks if d.recording == "smr"]
        if shingled and state.layout.survives_any:
            yield (
                state.pool.id,
                state.pool.name,
                (
                    f"{', '.join(shingled)}: shingled tracks are rewritten at a fraction of the speed, so a "
                    f"rebuild takes about {state.layout.rebuild_hours or 0:.0f} h, with the others read all "
                    "that time."
                ),
            )


SHINGLED_IN_GROUP = Rule(
    "shingled_in_group",
    "caution",
    "pools",
    "pool",
    "Use conventional (CMR) disks where there is redundancy; shingled ones are fine as shelf copies.",
    _find,
)
