"""A pool that no job scrubs."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.kinds import scrubbed


def _find(view: View) -> Iterator[Finding]:
    planned = scrubbed(view.index)
    for p in view.index.plan.pools:
        if p.standing and p.id not in planned and len(p.disks) > 1:
            yield (
                p.id,
                p.name,
                "No job reads all of it: a sector that has gone bad shows in the rebuild.",
            )


POOL_NOT_SCRUBBED = Rule(
    "pool_not_scrubbed",
    "advice",
    "week",
    "pool",
    "Plan a scrub or parity check every one to three months, in quiet hours.",
    _find,
    could="The rebuild after a dead disk meets the bad sector, and part of the pool is lost.",
)
