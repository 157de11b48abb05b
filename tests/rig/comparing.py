"""A lab lived through, and its proof tried: what both say has to be what happens."""

from datetime import UTC, datetime

from kavrel.core.plan import Plan
from kavrel.rig.live import lived, rig
from kavrel.rig.trial import Compared, Trial

BEGAN = datetime(2026, 11, 24, tzinfo=UTC)


def compare(plan: Plan, moments: int) -> tuple[Compared, ...]:
    """All cells that were tried at so many moments; none differs, and no figure of the days before."""
    with rig(plan, BEGAN) as days:
        found = lived(days, 16)
        assert [line for line in found.lines if not line.agrees] == [], plan.name
        trial = Trial(days, days.lab.folder.parent)
        for number, moment in enumerate(trial.moments(4, moments)):
            trial.at(moment, late=number == 0)
        cells = tuple(trial.compared())
    assert [c for c in cells if not c.agrees] == [], plan.name
    return tuple(c for c in cells if c.happened != "not tried")
