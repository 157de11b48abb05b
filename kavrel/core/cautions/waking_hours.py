"""A job on the link in waking hours."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.schedule import within


def _find(view: View) -> Iterator[Finding]:
    quiet_from, quiet_to = view.week.quiet_from_hour, view.week.quiet_to_hour
    told: set[str] = set()
    for run in view.week.runs:
        if run.seconds < 600 or run.job in told or not any(r.kind == "link" for r in run.resources):
            continue
        job = view.index.jobs[run.job]
        if job.limit_mbit:
            continue
        middle = [run.from_minute, run.to_minute]
        if any(not within(m % 1440 / 60, quiet_from, quiet_to) for m in middle):
            told.add(run.job)
            yield (
                job.id,
                job.name,
                (
                    "It fills the uplink while people are awake, from "
                    f"{run.starts_at:%H:%M} to {run.ends_at:%H:%M}, and has no limit."
                ),
            )


WAKING_HOURS = Rule(
    "waking_hours",
    "advice",
    "week",
    "job",
    "Start it earlier at night, or limit its bandwidth.",
    _find,
)
