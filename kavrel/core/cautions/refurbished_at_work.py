"""A refurbished disk in a working pool."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    pools = view.index.disks_in_pools
    for d in view.index.plan.disks:
        if d.condition == "refurbished" and d.id in pools:
            pool = view.index.pools[pools[d.id]].name
            yield (
                d.id,
                d.label,
                (
                    f"Refurbished, and in pool {pool}: fine on the shelf as a copy, not as the working set."
                ),
            )


REFURBISHED_AT_WORK = Rule(
    "refurbished_at_work",
    "advice",
    "pools",
    "disk",
    "Use it for shelf copies and put a new disk in its place.",
    _find,
)
