"""Two jobs on the same disks, LAN or link at once."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View


def _find(view: View) -> Iterator[Finding]:
    told: set[tuple[str, str]] = set()
    for clash in view.week.clashes:
        if clash.first != clash.second and (clash.first, clash.second) not in told:
            told.add((clash.first, clash.second))
            yield clash.first, view.index.jobs[clash.first].name, f"{clash.why}."


CLASH = Rule(
    "clash",
    "caution",
    "week",
    "job",
    "Move one of them; the Week sheet shows where there is room.",
    _find,
)
