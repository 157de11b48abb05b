"""A job that starts while what it reads is still being written."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    told: set[str] = set()
    for miss in view.week.misses:
        if miss.trouble == "order" and miss.job not in told:
            told.add(miss.job)
            yield miss.job, view.index.jobs[miss.job].name, f"{miss.why}."


READS_TOO_EARLY = Rule(
    "reads_too_early",
    "caution",
    "week",
    "job",
    "Let it start after the other job instead of at a time.",
    _find,
    could="The second copy is always a night older than it could be.",
)
