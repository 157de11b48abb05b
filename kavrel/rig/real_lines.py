"""Real components beside their stand-ins, as figures that are compared."""

from collections.abc import Iterator

from kavrel.core.working import step
from kavrel.rig.lab import Lab
from kavrel.rig.report import Line


def real_lines(lab: Lab) -> Iterator[Line]:
    """A line for each component that ran here as itself: how often its stand-in says the same."""
    for one in (c for c in lab.real.compared if c.asked) if lab.real else ():
        same = one.asked - one.differed
        yield Line(
            f"{one.name} of this machine and its stand-in",
            f"{one.asked} answers",
            f"{same} the same",
            not one.differed,
            step("asked of both", one.asked, "", "commands, and what lies there after them"),
            step("the same", same, "", "", *(step(why, "differs") for why in one.differs)),
        )
