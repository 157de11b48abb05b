"""A disk that a wanted pool waits for holds the only whole copy of something."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    index = view.index
    wanted = {d: p for p in index.plan.pools if not p.standing for d in p.disks}
    copies: dict[str, int] = {}
    for holding in index.plan.holdings:
        copies[holding.dataset] = copies.get(holding.dataset, 0) + 1
    for disk, datasets in index.held.items():
        only = [index.datasets[d].name for d in datasets if copies[d] == 1]
        if disk in wanted and only:
            why = (
                f"It holds the only whole copy of {', '.join(only)}, and making pool "
                f"{wanted[disk].name} wipes it."
            )
            yield disk, index.disks[disk].label, why


ONLY_COPY_ON_IT = Rule(
    "only_copy_on_it",
    "caution",
    "pools",
    "disk",
    "Follow the run sheet of the shuffle: it copies and verifies before it wipes.",
    _find,
)
