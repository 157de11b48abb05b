"""An opened port behind which nothing listens."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View, removed


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan

    heard = {(one.host, one.port) for one in view.listeners} | {(h.id, 22) for h in plan.hosts}
    for opening in plan.openings:
        if (opening.host, opening.port) not in heard:
            host = view.index.hosts[opening.host].name
            yield opening.id, host, f"Nothing of the plan listens on port {opening.port}."


OPENING_TO_NOTHING = Rule(
    "opening_to_nothing",
    "advice",
    "shares",
    "opening",
    "Close it.",
    _find,
    could="The next thing that listens there is open without anybody noticing.",
    fix=removed("close it", "openings"),
)
