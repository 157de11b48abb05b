"""How the figures of a judged drill came about: hours by the steps, work lost by the states that are there."""

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING

from kavrel.core.proof.cell import Cell
from kavrel.core.working import Working, step

if TYPE_CHECKING:
    from kavrel.rig.drilling import Done
    from kavrel.rig.lab import Lab

NOTHING = "no time is counted for it"
TYPED = "typed at a console, and what the machine takes for it"
TAKEN = "what the machine takes, by the speeds of the plan"


def hours_worked(lab: "Lab", done: Sequence["Done"]) -> Working:
    """Hours of a drill: what hands take by the plan's assumptions, and what machines take."""
    steps, before = [], 0.0
    for one in done:
        took = one.hours - before
        hands = [lab.index.assumptions.step(key) for key in one.hands]
        rest = took - sum(lab.index.assumptions[key] for key in one.hands)
        if hands and rest > 1e-6:
            hands.append(step(TAKEN, rest, "h"))
        how = "" if hands else TYPED if took > 1e-6 else NOTHING
        steps.append(step(one.says, took, "h", how, *hands))
        before = one.hours
    return step("time of the drill", before, "h", "the sum of its steps", *steps)


def planned_worked(lab: "Lab", cells: Iterable[Cell]) -> Working | None:
    """The longest time to be back that the proof has for what the drill is about; None where it has none."""
    back = [c for c in cells if c.rto_seconds]
    if not back:
        return None
    slowest = max(back, key=lambda c: c.rto_seconds or 0.0)
    parts = [step(s.text, s.hours, "h", assumption=s.assumption) for s in slowest.steps]
    name = lab.index.datasets[slowest.dataset].name
    hours = (slowest.rto_seconds or 0.0) / 3600
    return step(
        f"planned for {name}", hours, "h", "the sum of its steps, as the proof has them", *parts
    )


def lost_worked(lab: "Lab", moment: float, ways: Sequence[tuple[str, float]], what: str) -> Working:
    """Work that is lost: from the newest whole state to the moment; without a state, all of it.

    `ways`: where a state is, and up to when it has people's work.
    """
    struck = step("the moment at which it happened", lab.local(moment))
    states = [step(f"newest state {where}", lab.local(until)) for where, until in ways]
    if not ways:
        return step(what, "all of it", "", "no state of it is there", struck)
    seconds = max(moment - max(until for _, until in ways), 0.0)
    formula = "the moment less the newest of the states; nothing where that is later"
    return step(what, seconds, "s", formula, struck, *states)
