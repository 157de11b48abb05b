"""A pool that no box makes as the plan has it: allowed once, refused in new edits."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    for problem in view.impossible:
        if problem.collection == "pools":
            name = view.index.pools[problem.item].name
            yield problem.item, name, f"{problem.message[:1].upper()}{problem.message[1:]}."


NO_BOX_MAKES_IT = Rule(
    "no_box_makes_it",
    "serious",
    "pools",
    "pool",
    "Choose a layout and a file system that go together, or take the spare out.",
    _find,
    could="The script stops in the middle, and jobs that count on it never run.",
)
