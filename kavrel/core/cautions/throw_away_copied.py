"""Throw-away data in a backup."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for d in view.index.plan.datasets:
        names = [c.job.name for c in view.book.copies[d.id] if c.place.pool != d.pool]
        if d.throw_away and names:
            yield d.id, d.name, f"Throw-away data is copied by {', '.join(names)}."


THROW_AWAY_COPIED = Rule(
    "throw_away_copied",
    "advice",
    "copies",
    "dataset",
    "Exclude it: it costs room and time every night.",
    _find,
)
