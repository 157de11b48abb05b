"""What each setup.sh was to make and what it left, as figures that are compared."""

from collections.abc import Iterator

from kavrel.core.working import step
from kavrel.rig.lab import Lab
from kavrel.rig.report import Line


def set_up_lines(lab: Lab) -> Iterator[Line]:
    """A line for each box whose setup.sh was run: things that must be true there, and those that are."""
    for run in lab.made.set_up:
        name = lab.index.hosts[run.host].name
        how = (
            "each work that a script does: accounts, groups, pools layer by layer, folders, limits"
        )
        rows = [step(one, None, "", "not as the plan has it") for one in run.differs]
        rows += [step("left to the hand", one) for one in run.left]
        told = f"{run.holds} hold"
        if run.left:
            told += f", {len(run.left)} left to the hand"
        yield Line(
            f"{name}: what its setup.sh makes",
            f"{run.works} things",
            told,
            run.holds == run.works,
            step("things to be true", run.works, "things", how),
            step(
                "things that hold", run.holds, "things",
                "looked for on a bare stand-in of the box on which the script was run from nothing", *rows,
            ),
        )  # fmt: skip
