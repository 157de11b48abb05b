"""A rig from beginning to end: built, lived through, looked at; and the proof tried on it."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager, nullcontext
from dataclasses import dataclass
from datetime import datetime, time, timedelta
from zoneinfo import ZoneInfo

from kavrel.core.copies.book import CopyBook
from kavrel.core.plan import Plan
from kavrel.rig import own
from kavrel.rig.days import Days
from kavrel.rig.found import found
from kavrel.rig.lab import Lab, Mail
from kavrel.rig.made import Made, as_made, made_by_scripts
from kavrel.rig.real.parts import real_parts
from kavrel.rig.real_lines import real_lines
from kavrel.rig.report import Line, compared
from kavrel.rig.set_up_lines import set_up_lines, shared_lines
from kavrel.rig.supplies import supply_lines
from kavrel.rig.tools import TOOLS
from kavrel.rig.trial import Compared, Trial
from kavrel.rig.workspace import workspace

SETTLED_DAYS = 45  # until the shorter retentions have run full
TRIED_DAYS = 8  # so that what runs once a week has a turn
MOMENTS = 12
LATE_EVERY = 6  # moments after which what is noticed late is tried too
Tell = Callable[[str], None]


@dataclass(frozen=True)
class Lived:
    """How a lab fared: so many days, what was predicted against what happened, and the mails.

    `taken_as_made`: names of the jobs whose first copy the plan has yet to make: here it was there.
    `pools_made`: of the pools that it has yet to make and that were here; `pools_left`: of those that
    were not, each with why. `not_set_up`: why no setup.sh was run; empty where each was. `not_real`: what
    was asked to run here as itself and could not, each with why.
    """

    days: float
    lines: tuple[Line, ...]
    mails: tuple[Mail, ...]
    taken_as_made: tuple[str, ...] = ()
    pools_made: tuple[str, ...] = ()
    pools_left: tuple[str, ...] = ()
    not_set_up: str = ""
    not_real: tuple[str, ...] = ()


@contextmanager
def rig(
    plan: Plan,
    began: datetime,
    seed: int = 1,
    made: bool = True,
    real: bool = False,
    scripts: bool = False,
) -> Iterator[Days]:
    """A lab that stands, with its first copies made, in a folder that goes when it is done.

    It begins with that day, at the midnight of its own zone: so its days end as the plan reckons them.
    What is predicted of it is predicted with them, too. `made`: pools that the plan still wants stand
    there as well; `scripts`: each box is set up by its own setup.sh first, and they stand as that leaves
    them. `real`: what runs on this machine as itself does so here, over small files that stand for those
    of the rig: rsync, SSH, Btrfs.
    Raises CannotBuild.
    """
    ahead = as_made(plan) if made else Made(plan)
    if made and scripts:
        ahead = made_by_scripts(plan, began.date())
    plan = ahead.plan
    midnight = datetime.combine(began.date(), time(), ZoneInfo(plan.zone))
    waiting = tuple(j.name for j in plan.jobs if j.first_copy != "done")
    jobs = tuple(j.model_copy(update={"first_copy": "done", "first_on": None}) for j in plan.jobs)
    with workspace(programs=real) as folder:
        lab = Lab.built(plan.model_copy(update={"jobs": jobs}), folder / "lab", midnight, seed)
        lab.taken_as_made, lab.made = waiting, ahead
        own.install(lab)
        days = Days(lab)
        with real_parts(lab, folder, sorted(TOOLS)) if real else nullcontext() as lab.real:
            days.first_copies()
            yield days


def lived(days: Days, many: float) -> Lived:
    """Lives through so many days more."""
    lab = days.lab
    days.until(_later(lab, many))
    day = datetime.fromtimestamp(lab.now - 1, lab.zone).date()
    book = CopyBook(lab.index, lab.states, day)
    lines = (
        *set_up_lines(lab),
        *shared_lines(lab),
        *supply_lines(lab),
        *real_lines(lab),
        *compared(days),
        *found(days, book),
    )
    span, made = (lab.now - lab.began) / 86_400, lab.made
    return Lived(
        span,
        lines,
        tuple(lab.mail),
        lab.taken_as_made,
        made.pools,
        made.left,
        made.not_set_up,
        lab.real.left if lab.real else (),
    )


def _later(lab: Lab, many: float) -> float:
    """So many days on; whole days end at midnight, however long one of them was."""
    if many % 1:
        return lab.now + many * 86_400
    here = datetime.fromtimestamp(lab.now, lab.zone)
    return (here + timedelta(days=many)).timestamp()  # by the clock on the wall


def tried(days: Days, tell: Tell = lambda words: None) -> tuple[Compared, ...]:
    """The proof tried, once points are as many as they will be."""
    lab = days.lab
    days.until(lab.now + SETTLED_DAYS * 86_400)
    trial = Trial(days, lab.folder.parent)
    moments = trial.moments(TRIED_DAYS, MOMENTS)
    for number, moment in enumerate(moments):
        tell(f"moment {number + 1} of {len(moments)}: {lab.local(moment)}")
        trial.at(moment, late=number % LATE_EVERY == 0)
    return tuple(trial.compared())
