"""A copy that lies on disks which are counted already."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.kinds import KINDS


def _find(view: View) -> Iterator[Finding]:
    for d, ladder in zip(view.index.plan.datasets, view.ladders, strict=True):
        twice = [
            r
            for r in ladder.rungs
            if r.not_counted and r.job and not KINDS[view.index.jobs[r.job].kind].in_place
        ]
        if twice and d.worth != "fetch_again":
            job = view.index.jobs[twice[0].job or ""].name
            yield d.id, d.name, f"{job} counts for nothing: it is {twice[0].not_counted}."


COUNTED_TWICE = Rule(
    "counted_twice",
    "caution",
    "copies",
    "dataset",
    "Send one of the two to other disks, best in another box.",
    _find,
    could="One dead pool takes what looked like two copies.",
)
