"""A copy elsewhere that could stop unnoticed."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, changed
from kavrel.core.kinds import KINDS


def _find(view: View) -> Iterator[Finding]:
    for j in view.index.plan.jobs:
        kind = KINDS[j.kind]
        away = view.book.source(j).site(view.index) != view.book.place(j).site(view.index)
        if kind.copies and not kind.by_hand and away and j.alarm_days is None:
            yield (
                j.id,
                j.name,
                "Nothing says so when nothing arrives: mail on failure needs a job that runs.",
            )


NO_SILENCE_ALARM = Rule(
    "no_silence_alarm",
    "caution",
    "copies",
    "job",
    "Have something at home complain when no point has arrived for two intervals.",
    _find,
    could="Weeks later, when the copy is needed, it is weeks old.",
    fix=changed("alarm after two intervals", "jobs", alarm_days=3.0),
)
