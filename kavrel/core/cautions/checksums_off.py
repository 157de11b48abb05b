"""A dataset without checksums."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed
from kavrel.core.filesystems import FILESYSTEMS


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    for dataset in plan.datasets:
        able = FILESYSTEMS[view.index.pools[dataset.pool].filesystem].checksums
        if able and not dataset.checksums:
            yield dataset.id, dataset.name, "Nothing notices when a sector goes bad."


CHECKSUMS_OFF = Rule(
    "checksums_off",
    "caution",
    "shares",
    "dataset",
    "Switch them on: they cost next to nothing.",
    _find,
    could="Silent corruption stays silent, and goes into every copy.",
    fix=changed("checksums on", "datasets", checksums=True),
)
