"""What the plan predicts against what happened in the rig: points, bytes held, lengths of runs, room.

Every difference is a fault of ours, of the script or of the reckoning, and is shown as one.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from itertools import pairwise

from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.carrier import runs_on
from kavrel.core.copies.space import crowded_out, held_bytes
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Job
from kavrel.core.quantities import DAY, YEAR_DAYS
from kavrel.core.schedule import starts
from kavrel.core.shares.names import copy_folders, folders, job_names
from kavrel.core.week.fluid import TaskRun
from kavrel.core.week.nights import scheduled_book
from kavrel.core.working import Working, step
from kavrel.rig import line_working as how
from kavrel.rig.beside import runs_beside
from kavrel.rig.data import Data
from kavrel.rig.days import Days, Told
from kavrel.rig.files import worked_until
from kavrel.rig.lab import Lab

NEAR_SECONDS = (
    60.0  # by which a point may be off: cron starts on the minute, names go on by a second
)
FOLLOWS_SECONDS = 900.0  # the same of what follows another job and looks every ten minutes
NEAR_SHARE = 0.1  # by which bytes and lengths may be off: pieces of an hour against a smooth flow
FIRST_PERIOD = 7 * 86_400.0
NEARLY_ALWAYS = 0.75  # of the time between its starts: a run as long as that meets the next one
FEW_SHARE = 0.3  # the same of one or two runs
LEAST_BYTES = 5 * 10**9
LEAST_SECONDS = 120.0


@dataclass(frozen=True)
class Line:
    """One figure: what the plan says, what happened, whether that is the same, and how both came about."""

    what: str
    predicted: str
    happened: str
    agrees: bool
    by_plan: Working
    there: Working


def copies_of(lab: Lab, job: Job) -> dict[str, Data]:
    """What lies of each dataset of a job, where the rig keeps it; none of mirrors, which keep no points."""
    if job.id in lab.kept:
        return lab.kept[job.id]
    kind = KINDS[job.kind]
    if not kind.snapshots:
        return {}
    place = lab.book.place(job)
    if not place.pool:
        return {}
    box = lab.boxes[lab.index.pools[place.pool].host]
    homes, copies = folders(lab.plan), copy_folders(lab.plan)
    by_dataset = {}
    for dataset in job.datasets:
        at = homes[dataset] if kind.in_place else copies[job.id, dataset]
        data = next((d for d in box.datas.values() if d.at == at), None)
        if data is not None:
            by_dataset[dataset] = data
    return by_dataset


def points_words(count: int) -> str:
    """So many points."""
    return f"{count} point{'' if count == 1 else 's'}"


def moments(lab: Lab, job: Job, data: Data) -> list[float]:
    """When the points of a job are from, oldest first."""
    if job.id in lab.kept and job.reads_from:  # a copy of a copy is of when that one was made
        return [until for p in data.points.values() if (until := worked_until(p.files)) is not None]
    if job.id in lab.kept:
        return [float(name) for name in data.points]
    start = f"lab-{job_names(lab.plan)[job.id]}-"
    return [p.created for n, p in data.points.items() if n.startswith(start)]


def compared(days: Days) -> Iterator[Line]:
    """Each job's points and bytes, then lengths of runs, then what failed."""
    lab = days.lab
    book = CopyBook(lab.index, lab.states, _day(lab))
    worst = scheduled_book(lab.index, lab.states, _day(lab))
    for job in lab.plan.jobs:
        kind = KINDS[job.kind]
        if not kind.copies or _is_full(book, job):
            continue  # of one that has no room the plan counts no copy, however far it gets
        if kind.target != "none" and not kind.snapshots and job.id not in lab.kept:
            continue
        yield from _points(lab, book, worst, job)
    beside = runs_beside(lab, book)
    for job in lab.plan.jobs:
        line = _length(days, worst, job, beside)
        if line:
            yield line
            yield from _longest(days, worst, job)
    yield from _failed(days, book)


def _day(lab: Lab) -> date:
    """The day whose end is now, or the day that it is: points of a day are those at its end."""
    return datetime.fromtimestamp(lab.now - 1, lab.zone).date()


def _points(lab: Lab, book: CopyBook, worst: CopyBook, job: Job) -> Iterator[Line]:
    there = {
        dataset: [m for m in moments(lab, job, data) if m > lab.began + 1]
        for dataset, data in copies_of(lab, job).items()
    }
    going = _going(lab)
    length = book.run_seconds(job, book.mean_interval_days(job))
    sure = _is_sure(lab, worst, job)
    if not sure:
        book = worst
    name = job_names(lab.plan)[job.id]
    planned = [
        p.data_time
        for p in book.points(job)
        if p.data_time > lab.began + 1 and p.available_at <= lab.now < p.expires_at
    ]
    if job.retention.of_period == "first":
        # The first copy, of the rig's first day, is the first of its periods too.
        later = lab.began + FIRST_PERIOD
        planned = [m for m in planned if m > later]
        there = {d: [m for m in some if m > later] for d, some in there.items()}
    near = NEAR_SECONDS
    if job.after:  # and of what it follows the length is reckoned with all that meets in the night
        first = lab.index.jobs[job.after]
        near = FOLLOWS_SECONDS + 2 * book.run_seconds(first, book.mean_interval_days(first))
    for dataset in job.datasets:
        times = there.get(dataset, [])
        off = _unmatched(planned, times, near)
        # The one that is just being written pushes another out once it is there.
        near_its_end = job.after is not None and len(off) == 1  # it may be about to prune
        fine = (
            not off
            or near_its_end
            or (len(off) <= 2 and (name in going or lab.now - max(off) < 1.5 * length))
        )
        if not sure:
            # Which starts are left out hangs on minutes, and the plan takes every run to be as long as in
            # the worst night: it may have fewer, and not more. What is under way is among those there.
            fine = len(planned) - len(times) <= 1 + (name in going)
        said = ", ".join(lab.local(m) for m in off[:3])
        yield Line(
            f"{job.name}: points of {lab.index.datasets[dataset].name}",
            points_words(len(planned)),
            points_words(len(times)) + (f"; not on both sides: {said}" if off else ""),
            fine,
            how.points_predicted(lab, job, planned),
            how.points_there(lab, times),
        )
    yield from _held(lab, book, job, sure)


def _held(lab: Lab, book: CopyBook, job: Job, sure: bool) -> Iterator[Line]:
    """Bytes that its points hold, where the plan reckons with the same points."""
    copies, name = copies_of(lab, job), job_names(lab.plan)[job.id]
    held = sum(d.held() for d in copies.values())
    reckoned = _held_since(lab, book, job, _day(lab))
    begun_with = any(m <= lab.began + 1 for d in copies.values() for m in moments(lab, job, d))
    if KINDS[job.kind].whole_points(job) and (name in _going(lab) or begun_with):
        return  # what is half there is held too, and so is the first copy, which the plan knows nothing of
    if sure and reckoned is not None and held and max(held, reckoned) > LEAST_BYTES:
        yield Line(
            f"{job.name}: held by points",
            f"{reckoned / 1e9:.1f} GB",
            f"{held / 1e9:.1f} GB",
            abs(held - reckoned) <= NEAR_SHARE * max(held, reckoned) + LEAST_BYTES,
            how.held_predicted(lab, book, job, _day(lab), reckoned),
            how.held_there(lab, copies),
        )


def _going(lab: Lab) -> set[str]:
    """Jobs that are at it now, by their names on the boxes."""
    return {job for r in lab.going for job, until in r.until.items() if until > lab.now}


def _is_sure(lab: Lab, book: CopyBook, job: Job) -> bool:
    """Whether every start of a job, and of what it follows, finds the last run ended."""
    interval = book.mean_interval_days(job)
    least, longest = _gaps(lab, job)
    # The run that has most to carry: on Saturday what came since last Sunday.
    takes = book.run_seconds(job, max(interval, longest / DAY))
    if takes > NEARLY_ALWAYS * min(interval * DAY, least):
        return False
    return not job.after or _is_sure(lab, book, lab.index.jobs[job.after])


def _gaps(lab: Lab, job: Job) -> tuple[float, float]:
    """Seconds between two starts of a job: the least and the most of a month."""
    if job.schedule.kind == "after":
        return float("inf"), 0.0
    first = _day(lab)
    told = list(starts(job.schedule, lab.plan.zone, first, first + timedelta(days=31)))
    between = [b - a for a, b in pairwise(told)]
    return min(between, default=float("inf")), max(between, default=0.0)


def _held_since(lab: Lab, book: CopyBook, job: Job, day: date) -> float | None:
    """Bytes reckoned for the points, where the plan's own points have all come since the rig began."""
    if any(p.data_time < lab.began for p in book.points_on(job, day)):
        return None  # the plan has older points than the rig can have
    others = [
        j
        for j in lab.plan.jobs
        if j.id != job.id and set(j.datasets) & set(job.datasets) and KINDS[j.kind].snapshots
    ]
    if KINDS[job.kind].in_place and others:
        return None  # points of several jobs on one dataset share what they hold
    reckoned = held_bytes(book, job, day)
    if KINDS[job.kind].whole_points(job):
        # The plan reckons with today's sizes; in the rig the data has grown since.
        told = [lab.index.datasets[d] for d in job.datasets]
        years = (lab.now - lab.began) / (YEAR_DAYS * DAY)
        size = sum(d.size_bytes for d in told)
        reckoned *= 1 + sum(d.growth_bytes_per_year for d in told) * years / max(size, 1)
    return reckoned


def _unmatched(planned: list[float], there: list[float], near: float) -> list[float]:
    """Moments on one side that have none near on the other."""
    left, off = sorted(there), []
    for moment in sorted(planned):
        match = next((m for m in left if abs(m - moment) <= near), None)
        if match is None:
            off.append(moment)
        else:
            left.remove(match)
    return [*off, *left]


def _length(
    days: Days, book: CopyBook, job: Job, beside: Mapping[str, list[TaskRun]]
) -> Line | None:
    told = days.told.get(job_names(days.lab.plan)[job.id])
    kind = KINDS[job.kind]
    if told is None or not told.seconds or not kind.copies or kind.in_place:
        return None
    if runs_on(days.lab.index, job) is None:
        return None
    if (job.after and len(told.seconds) < 2) or not _is_sure(days.lab, book, job):
        return None  # when it starts hangs on the first, whose first run is shorter, or is skipped
    later = told.seconds[1:] or told.seconds
    mean = sum(later) / len(later)
    planned_runs = beside.get(job.id, [])[-len(later) :]
    if not planned_runs:
        return None
    begins = book.flow(job).looks_every_s  # it has begun when it has seen what it waits for
    planned = sum(r.end - r.begin - begins for r in planned_runs) / len(planned_runs)
    return Line(
        f"{job.name}: length of a run",
        f"{planned / 60:.1f} min",
        f"{mean / 60:.1f} min",
        abs(mean - planned)
        <= (NEAR_SHARE if len(later) > 2 else FEW_SHARE) * planned + LEAST_SECONDS,
        how.length_predicted(days.lab, book, job, planned_runs, planned),
        how.length_there(later, len(told.seconds) - len(later)),
    )


def _longest(days: Days, book: CopyBook, job: Job) -> Iterator[Line]:
    """The longest run against what the proof reckons with, that of the worst night."""
    lab, seconds = days.lab, days.told[job_names(days.lab.plan)[job.id]].seconds
    mine = set(book.way(job).resources)
    beside = [j for j in lab.plan.jobs if mine & set(book.way(j).resources)]
    if book.flow(job).slowdown <= 1 or not all(_is_sure(lab, book, j) for j in beside):
        return  # whom it meets hangs on minutes where another does not end before it is due again
    gap = max(_gaps(lab, job)[1] / DAY, book.mean_interval_days(job))
    most = book.run_seconds(job, gap)
    yield Line(
        f"{job.name}: longest run, at most",
        f"{most / 60:.1f} min",
        f"{max(seconds) / 60:.1f} min",
        max(seconds) <= (1 + NEAR_SHARE) * most + LEAST_SECONDS,
        how.longest_predicted(book, job, gap, most),
        how.longest_there(seconds),
    )


def _failed(days: Days, book: CopyBook) -> Iterator[Line]:
    jobs = {name: days.lab.index.jobs[key] for key, name in job_names(days.lab.plan).items()}
    for name, told in days.told.items():
        wrong, job = _wrong(told), jobs.get(name)
        late = (_overdue_by_plan(book, j) or _is_full(book, j) for j in jobs.values())
        if name == "overdue" and any(late):
            continue  # it is right to complain of what cannot come in time, or does not fit
        if job and KINDS[job.kind].copies and (book.ages(job) is None or _is_full(book, job)):
            continue  # the plan says itself that no run of it ever completes, or that it does not fit
        if wrong:
            yield Line(
                f"{name}: runs that failed",
                "0",
                f"{wrong}: {told.said[:160]}",
                False,
                step("runs that fail", 0, "runs", "nothing of the plan makes one fail"),
                step("runs that failed", wrong, "runs", "", step("the last said", told.said)),
            )


def _is_full(book: CopyBook, job: Job) -> bool:
    room = book.room_for(job)
    return (room is not None and room[0] > room[1]) or crowded_out(book, job) is not None


def _overdue_by_plan(book: CopyBook, job: Job) -> bool:
    """Whether a job's alarm says something though all goes as planned."""
    if not job.alarm_days or not KINDS[job.kind].copies:
        return False
    ages = book.ages(job)
    return ages is None or ages.worst > job.alarm_days * DAY


def _wrong(told: Told) -> int:
    """Failed runs; one that finds its last still running is skipped, and the plan says so of its points."""
    return told.ended["failed"]
