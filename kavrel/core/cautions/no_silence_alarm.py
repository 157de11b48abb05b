"""A copy elsewhere that could stop unnoticed."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Fix, Rule, View, changed
from kavrel.core.copies.carrier import heard_days, runs_on
from kavrel.core.kinds import KINDS

ALARM = 3.0  # days: two intervals of a nightly copy, and one to spare


def _find(view: View) -> Iterator[Finding]:
    for j in view.index.plan.jobs:
        kind = KINDS[j.kind]
        away = view.book.source(j).site(view.index) != view.book.place(j).site(view.index)
        if not kind.copies or kind.by_hand or not away or heard_days(view.index, j) is not None:
            continue
        why = "Nothing says so when nothing arrives: mail on failure needs a job that runs."
        box = view.index.hosts.get(runs_on(view.index, j) or "")
        if box and box.closed and j.alarm_days is not None:
            why = (
                f"{box.name} has firmware of its own: when it falls silent nobody says so, and no other box "
                "sees its runs. Look at the newest point each week."
            )
        yield j.id, j.name, why


def _fix(view: View, about: str) -> Fix | None:
    """The alarm, where some box can then hear it."""
    job = view.index.jobs[about]
    if heard_days(view.index, job.model_copy(update={"alarm_days": ALARM})) is None:
        return None
    return changed("alarm after two intervals", "jobs", alarm_days=ALARM)(view, about)


NO_SILENCE_ALARM = Rule(
    "no_silence_alarm",
    "caution",
    "copies",
    "job",
    "Have something at home complain when no point has arrived for two intervals.",
    _find,
    could="Weeks later, when the copy is needed, it is weeks old.",
    fix=_fix,
)
