"""A job that has not ended when it is due again."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for j in view.index.plan.jobs:
        days = view.book.mean_interval_days(j)
        seconds = view.book.run_seconds(j, days)
        if seconds > days * 86_400:
            yield (
                j.id,
                j.name,
                (
                    f"A usual run takes {seconds / 3600:.1f} h and it starts every {days * 24:.1f} h."
                ),
            )


RUNS_INTO_NEXT = Rule(
    "runs_into_next",
    "serious",
    "week",
    "job",
    "Run it less often, copy less, or make the way faster.",
    _find,
)
