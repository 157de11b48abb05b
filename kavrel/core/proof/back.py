"""Can I have it back: written on, lost on, noticed on; which points still hold it, and where.

A point holds a file when it was taken after the file was written and before it was lost, and when
it is still there on the day on which the loss is noticed.
"""

from collections.abc import Sequence
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from pydantic import BaseModel, ConfigDict

from kavrel.core import schedule
from kavrel.core.copies import flow as flows
from kavrel.core.copies import rules
from kavrel.core.copies.book import Copy, CopyBook
from kavrel.core.copies.retention import FOREVER, Point, existing
from kavrel.core.plan import Dataset
from kavrel.core.proof.cell import StepView
from kavrel.core.proof.hazards.hazard import Scene, Strike
from kavrel.core.proof.restores import way_back
from kavrel.core.proof.working import step_working
from kavrel.core.working import Working, local, step

CURVE_DAYS = (
    0,
    1,
    2,
    3,
    5,
    7,
    10,
    14,
    21,
    28,
    30,
    35,
    45,
    60,
    75,
    90,
    120,
    150,
    180,
    240,
    300,
    365,
    540,
)


class _View(BaseModel):
    model_config = ConfigDict(frozen=True)


class CopyBack(_View):
    """What one copy still has: the points with the file in it, the newest good one, what it loses.

    Instants in the lab's time. `why` says why there is none; `steps` how it is fetched.
    """

    job: str
    place: str
    points: tuple[datetime, ...]
    newest: datetime | None
    loses_seconds: float | None
    hours: float | None
    steps: tuple[StepView, ...]
    why: str
    working: Working


class CurvePoint(_View):
    """Seconds lost when it is noticed after so many days, at worst; None: nothing comes back."""

    days: int
    seconds: float | None


class Curve(_View):
    """A copy's losses over all delays of notice."""

    job: str
    points: tuple[CurvePoint, ...]


class Back(_View):
    """The answer for one file of a dataset; `best` is the job to fetch it from."""

    dataset: str
    written_on: date
    lost_on: date
    noticed_on: date
    best: str | None
    copies: tuple[CopyBack, ...]
    curves: tuple[Curve, ...]


class BadDays(ValueError):
    """Days in an order in which nothing happens; `field` names the one that is wrong."""

    def __init__(self, field: str, message: str) -> None:
        super().__init__(message)
        self.field = field


def have_it_back(
    scene: Scene, dataset_id: str, written_on: date, lost_on: date, noticed_on: date
) -> Back:
    """Points of every copy that still hold a file, and the curve over all delays.

    Written, lost and noticed at noon of their days. Raises BadDays where they are out of order.
    """
    if lost_on < written_on:
        raise BadDays("lost_on", "a file is lost on or after the day on which it was written")
    if noticed_on < lost_on:
        raise BadDays("noticed_on", "a loss is noticed on or after the day on which it happened")
    book = scene.book
    dataset = scene.index.datasets[dataset_id]
    share = scene.index.assumptions["deleted_share"]
    strike = Strike(state="spoiled", why="a part is deleted", share_of_data=share)
    copies = [
        _copy_back(scene, dataset, strike, c, (written_on, lost_on, noticed_on))
        for c in book.copies[dataset_id]
    ]
    usable = [c for c in copies if c.hours is not None and c.loses_seconds is not None]
    best = min(usable, key=lambda c: (c.loses_seconds or 0.0, c.hours or 0.0), default=None)
    return Back(
        dataset=dataset_id,
        written_on=written_on,
        lost_on=lost_on,
        noticed_on=noticed_on,
        best=best.job if best else None,
        copies=tuple(copies),
        curves=tuple(_curve(book, c.job.id) for c in book.copies[dataset_id]),
    )


def _copy_back(
    scene: Scene, dataset: Dataset, strike: Strike, copy: Copy, days: tuple[date, date, date]
) -> CopyBack:
    """One copy's points that hold the file; `days`: written, lost and noticed."""
    book = scene.book
    zone = ZoneInfo(scene.index.plan.zone)
    written, lost, noticed = (datetime.combine(d, time(12), zone).timestamp() for d in days)
    written_on, lost_on, noticed_on = days
    back = timedelta(days=book.look_back_days(copy.job))
    points = flows.points(book.flow(copy.job), noticed_on - back, noticed_on + timedelta(days=1))
    there = existing(points, noticed)
    # What ran before the loss, kept or not: the newest such runs are enough to know.
    since = max(written_on, lost_on - timedelta(days=int(2 * book.step_days(copy.job)) + 2))
    ran = flows.points(book.flow(copy.job), since, lost_on)
    good = [p.data_time for p in there if written <= p.data_time <= lost]
    way = way_back(scene, dataset, strike, copy)
    steps = (*way.before, *((way.transfer,) if way.transfer else ()), *way.after)
    newest = max(good, default=None)
    fetched = [step_working(scene, dataset, strike, way, s) for s in steps]
    return CopyBack(
        job=copy.job.id,
        place=copy.place.name(scene.index),
        points=tuple(datetime.fromtimestamp(t, zone) for t in good),
        newest=datetime.fromtimestamp(newest, zone) if newest is not None else None,
        loses_seconds=lost - newest if newest is not None else None,
        hours=way.hours if newest is not None and way.hours < FOREVER else None,
        steps=tuple(
            StepView(text=s.text, hours=s.hours, assumption=s.assumption, phase=s.phase)
            for s in (steps if newest is not None else ())
            if s.hours < FOREVER
        ),
        why=_why(ran, [p.data_time for p in there], good, written, lost),
        working=_working(scene, copy, newest, (lost, noticed), len(there), fetched),
    )


def _working(
    scene: Scene,
    copy: Copy,
    newest: float | None,
    days: tuple[float, float],
    there: int,
    fetched: list[Working],
) -> Working:
    """Work lost and time to be back from one copy, for a file lost and noticed (epoch s)."""
    zone = scene.index.plan.zone
    lost, noticed = days
    back = []
    if newest is not None:
        parts = [float(f.value) for f in fetched if isinstance(f.value, int | float)]
        hours = sum(parts) if len(parts) == len(fetched) else None
        formula = "one step after another, with nobody else on the way"
        back = [step("time to be back", hours, "h", formula, *fetched)]
    return step(
        f"from {copy.job.name}",
        lost - newest if newest is not None else None,
        "s",
        "lost - state of the newest point that has it",
        step("lost, at noon", local(lost, zone)),
        step("newest point that has it", local(newest, zone) if newest is not None else None),
        step(
            "points there when it is noticed",
            there,
            "point" if there == 1 else "points",
            f"runs {schedule.in_words(copy.job.schedule)}, keeps "
            f"{rules.in_words(copy.job.retention)}, as of {local(noticed, zone)}",
        ),
        *back,
        scene.index.assumptions.step("deleted_share"),
    )


def _why(
    ran: Sequence[Point], there: list[float], good: list[float], written: float, lost: float
) -> str:
    if good:
        return f"{len(good)} of its {len(there)} points have it"
    if not there:
        return "it has no point at all on that day"
    if any(written <= p.data_time <= lost for p in ran):
        return "the points that had it are pruned"
    if min(there) > lost:
        return "its oldest point is from after the loss"
    if max(there) < written:
        return "its newest point is from before the file was written"
    return "no run fell between writing and loss"


def _curve(book: CopyBook, job_id: str) -> Curve:
    job = book.index.jobs[job_id]
    points = []
    for days in CURVE_DAYS:
        ages = book.losses(job, float(days))
        worst = ages.worst if ages and ages.worst < FOREVER else None
        points.append(CurvePoint(days=days, seconds=worst))
    return Curve(job=job_id, points=tuple(points))
