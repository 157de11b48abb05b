"""A disk that still holds data is part of a pool: creating the pool wipes it."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    pools = view.index.disks_in_pools
    for d in view.index.plan.disks:
        if d.holds_data and d.id in pools:
            pool = view.index.pools[pools[d.id]].name
            yield (
                d.id,
                d.label,
                (f"Marked as holding data that must survive, and creating pool {pool} wipes it."),
            )
        elif d.holds_data and d.id in view.index.shelf_targets:
            yield d.id, d.label, "Marked as holding data, and a shelf job will write over it."


HOLDS_DATA = Rule(
    "holds_data",
    "serious",
    "pools",
    "disk",
    "Copy its data away and check the copy first; then untick that it holds data.",
    _find,
)
