"""Irreplaceable data without a copy at another site."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    index = view.index
    for d in index.plan.datasets:
        home = index.site_of_pool(d.pool)
        copies = [c for c in view.book.copies[d.id] if c.place.pool != d.pool]
        away = [c for c in copies if c.place.site(index) not in (home, None)]
        if d.worth == "irreplaceable" and copies and not away:
            site = index.sites[home].name
            yield d.id, d.name, f"All copies are at {site}: one fire or one theft takes them all."


NO_OFFSITE = Rule(
    "no_offsite",
    "serious",
    "copies",
    "dataset",
    "Replicate it to another site, or keep its shelf disk elsewhere.",
    _find,
)
