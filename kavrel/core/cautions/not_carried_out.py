"""Something that the plan says and no box would do: allowed once, refused in new edits."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    seen = set()
    for problem in view.impossible:
        if problem.collection == "jobs" and problem.item not in seen:
            seen.add(problem.item)
            name = view.index.jobs[problem.item].name
            yield problem.item, name, f"{problem.message[:1].upper()}{problem.message[1:]}."


NOT_CARRIED_OUT = Rule(
    "not_carried_out",
    "serious",
    "copies",
    "job",
    "Open the job and choose what a box can do; until then nothing counts on it.",
    _find,
    could="The night passes and nothing has run, or what went off is readable.",
)
