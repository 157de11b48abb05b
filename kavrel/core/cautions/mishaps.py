"""Findings about runs of the week that do not keep to the plan: one for each job and trouble."""

from collections.abc import Callable, Iterator

from kavrel.core.cautions.caution import Finding, View
from kavrel.core.week.week import Trouble


def first_of_each(trouble: Trouble) -> Callable[[View], Iterator[Finding]]:
    """The first run of each job that has this trouble."""

    def find(view: View) -> Iterator[Finding]:
        told: set[str] = set()
        for mishap in view.week.misses:
            if mishap.trouble == trouble and mishap.job not in told:
                told.add(mishap.job)
                yield mishap.job, view.index.jobs[mishap.job].name, f"{mishap.why}."

    return find
