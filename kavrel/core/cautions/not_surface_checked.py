"""A disk that carries data and was never surface-checked."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.log.last import last_good
from kavrel.core.quantities import span_words


def _find(view: View) -> Iterator[Finding]:
    carrying = set(view.index.disks_in_pools) | view.index.shelf_targets
    for d in view.index.plan.disks:
        if d.id in carrying and last_good(view.index, "disk_check", "disk", d.id) is None:
            hours = d.capacity_bytes / (d.mb_per_s * 1e6) / 3600
            yield (
                d.id,
                d.label,
                f"It carries data unchecked; a check takes about {span_words(hours * 3600)}.",
            )


NOT_SURFACE_CHECKED = Rule(
    "not_surface_checked",
    "caution",
    "bench",
    "disk",
    "Run a surface check before it carries data, and log it.",
    _find,
    whole=True,
)
