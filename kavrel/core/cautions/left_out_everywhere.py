"""Files that every copy of a dataset leaves out, so that they come back from nowhere."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for dataset in view.index.plan.datasets:
        if not view.index.lost_for_good(dataset):
            continue
        off_pool = [c.job for c in view.book.copies[dataset.id] if c.place.pool != dataset.pool]
        left = [set(j.left_out) for j in off_pool]
        everywhere = set.intersection(*left) if left else set()
        if everywhere:
            named = ", ".join(sorted(everywhere))
            why = f"What matches {named} is in no copy off its pool: once lost, it stays lost."
            yield dataset.id, dataset.name, why


LEFT_OUT_EVERYWHERE = Rule(
    "left_out_everywhere",
    "advice",
    "copies",
    "dataset",
    "Be sure that it is thrown away anyway; else take the pattern out of one job.",
    _find,
)
