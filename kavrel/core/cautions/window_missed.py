"""A run outside its window."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    told: set[str] = set()
    for miss in view.week.misses:
        if miss.trouble == "window" and miss.job not in told:
            told.add(miss.job)
            yield miss.job, view.index.jobs[miss.job].name, f"{miss.why}."


WINDOW_MISSED = Rule(
    "window_missed",
    "caution",
    "week",
    "job",
    "Give it a longer window, start it earlier, or let Arrange find a place.",
    _find,
)
