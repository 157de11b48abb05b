"""What each setup.sh was to make and what it left, as figures that are compared."""

from collections.abc import Iterator
from datetime import datetime

from kavrel.core.shares.access import access_matrix
from kavrel.core.working import step
from kavrel.rig.lab import Lab
from kavrel.rig.report import Line


def shared_lines(lab: Lab) -> Iterator[Line]:
    """Lines for each box that serves shares: whom they let do what, by its file and the folders as left."""
    day = datetime.fromtimestamp(lab.began, lab.zone).date()
    accounts = {a.id: a.login for a in lab.plan.accounts if a.works_on(day)}
    planned = {
        (accounts[c.account], c.share): c.right
        for c in access_matrix(lab.index, day)
        if c.account in accounts
    }
    planned |= {("", s.id): s.guest for s in lab.plan.shares if not s.home}
    for run in lab.made.set_up:
        if run.anew or not run.shared:
            continue
        box = run.shared
        cells = list(box.cells([n for n in accounts.values() if n in box.people]))
        wrong = [(*c, planned[c[0], c[1]]) for c in cells if c[2] != planned[c[0], c[1]]]
        rows = [
            step(f"{login or 'a guest'} in {box.shares[share]}", may, "", f"by the plan: {said}")
            for login, share, may, said in wrong
        ]
        what = "by its file for the server, and by the folders as its setup.sh left them"
        yield Line(
            f"{lab.index.hosts[run.host].name}: who may do what in its shares",
            f"{len(cells)} cells",
            f"{len(cells) - len(wrong)} as planned",
            not wrong,
            step("cells of the access matrix", len(cells), "cells", "each account, and a guest, in each share"),
            step("as planned", len(cells) - len(wrong), "cells", what, *rows),
        )  # fmt: skip


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
