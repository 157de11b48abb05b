"""What each setup.sh was to make and what it left, as figures that are compared."""

from collections.abc import Iterator

from kavrel.core.working import step
from kavrel.rig.lab import Lab
from kavrel.rig.report import Line


def set_up_lines(lab: Lab) -> Iterator[Line]:
    """Lines for each box whose setup.sh was run: works that must hold there, and those that do."""
    for run in lab.made.set_up:
        name, held = lab.index.hosts[run.host].name, len(run.works) - len(run.differs)
        mine = {d.label for d in lab.plan.disks if d.host == run.host} & set(lab.made.no_serial)
        rows = [step(what, why or "holds") for what, why in run.works]
        rows += [step("left to the hand", one) for one in run.left]
        rows += [step("done by hand, and the script run once more", one) for one in run.by_hand]
        where = " once its system is installed anew" if run.anew else ""
        if mine:
            rows.append(step("disks that have a serial number only here", ", ".join(sorted(mine))))
        yield Line(
            f"{name}: what its setup.sh makes{where}",
            f"{len(run.works)} works",
            f"{held} hold" + (f", {len(run.left)} left to the hand" if run.left else ""),
            held == len(run.works),
            step(
                "works of this box", len(run.works), "works",
                "each that a script makes: accounts, groups, pools layer by layer, folders, limits",
            ),
            step(
                "works that hold", held, "works",
                "looked for on a bare stand-in of the box, after the script was run on it "
                + ("with the pools as the first run left them" if run.anew else "from nothing"),
                *rows,
            ),
        )  # fmt: skip
