"""Disks of one batch in one group."""

from collections import Counter
from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for pool in view.index.plan.pools:
        for number, group in enumerate(pool.groups, 1):
            batches = Counter(view.index.disks[d].batch for d in group)
            for batch, count in batches.items():
                if batch and count > max(1, view.states[pool.id].layout.survives_any):
                    yield (
                        pool.id,
                        pool.name,
                        (
                            f"Group {number} has {count} disks of batch {batch}. Disks of one batch fail "
                            "together more often than chance: the chain's odds do not know that, the lifetimes "
                            "beside them do."
                        ),
                    )


SAME_BATCH = Rule(
    "same_batch",
    "caution",
    "pools",
    "pool",
    "Spread the batch over groups, or swap one disk with another pool.",
    _find,
)
