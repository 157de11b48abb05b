"""A copy-on-write pool for surveillance footage."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.filesystems import FILESYSTEMS


def _find(view: View) -> Iterator[Finding]:
    for pool in view.index.plan.pools:
        if pool.purpose == "footage" and FILESYSTEMS[pool.filesystem].copy_on_write:
            why = (
                "Footage is written all the time and thrown away: copy-on-write scatters it and snapshots "
                "hold what should be gone."
            )
            yield pool.id, pool.name, why


FOOTAGE_COPY_ON_WRITE = Rule(
    "footage_copy_on_write",
    "advice",
    "pools",
    "pool",
    "A pool of its own with ext4 or XFS, and no snapshots.",
    _find,
)
