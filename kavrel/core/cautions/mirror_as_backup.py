"""A copy without versions."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.kinds import KINDS


def _find(view: View) -> Iterator[Finding]:
    for j in view.index.plan.jobs:
        if not KINDS[j.kind].copies or KINDS[j.kind].target not in ("pool", "bucket"):
            continue
        versions = view.book.points_on(j, view.book.settled_day(j))
        if len(versions) <= 1 and not j.retention.trash_days:
            yield (
                j.id,
                j.name,
                (
                    "It keeps one point only, so what is deleted or encrypted is so in the copy after the "
                    "next run: a mirror, not a backup."
                ),
            )


MIRROR_AS_BACKUP = Rule(
    "mirror_as_backup",
    "caution",
    "copies",
    "job",
    "Keep more than the newest point: a deletion travels into the copy with the next run.",
    _find,
)
