"""Nights over a month or a year: which are the worst, and how much longer a job takes in them."""

from collections import defaultdict
from collections.abc import Sequence
from datetime import date, datetime, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

from pydantic import BaseModel, ConfigDict

from kavrel.core.copies.book import CopyBook
from kavrel.core.index import Index
from kavrel.core.pools.pool import PoolState
from kavrel.core.quantities import DAY
from kavrel.core.schedule import starts
from kavrel.core.week.fluid import TaskRun
from kavrel.core.week.tasks import CapKey, Held, prepared, simulated, slowed
from kavrel.core.working import Working, local, step

# The span in which every usual rhythm meets every other: five weeks hold each day of a month.
MONTH_DAYS = 35
# Shorter runs make no night long.
LEAST_SECONDS = 60
MOST_SHOWN = 12
# What is slowed by less than a hundredth is not slowed.
SLOWED_TIMES = 1.01


class Night(BaseModel):
    """From noon of `day` to the next noon.

    The last end, the hours that anything ran, how many runs were slowed by others, and the worst.
    `working` is there for the longest of each month.
    """

    model_config = ConfigDict(frozen=True)

    day: date
    runs: int
    busy_hours: float
    ends_at: datetime
    slowed: int
    worst_job: str
    worst_slowdown: float
    working: Working | None = None


def scheduled_book(index: Index, states: dict[str, PoolState], as_of: date) -> CopyBook:
    """The copy book in which every run takes as long as in the worst night of the coming month."""
    plain = CopyBook(index, states, as_of)
    slower = _slower(*month(plain, as_of))
    return plain.slowed(dict(slower)) if slower else plain


def month(book: CopyBook, day: date) -> tuple[Held, CapKey, float]:
    """What `flowed` is asked for the week of a day and the five after it."""
    monday = day - timedelta(days=day.weekday())
    return prepared(book, monday, monday + timedelta(days=7 + MONTH_DAYS - 1))


@lru_cache(maxsize=24)
def _slower(held: Held, caps: CapKey, until: float) -> tuple[tuple[str, float], ...]:
    """Jobs that are slowed, and how much at worst; remembered while no job changes."""
    slower = slowed(held, caps, until)
    return tuple((k, round(v, 4)) for k, v in slower.items() if v > 1.0001)


def nights(book: CopyBook, first: date, days: int) -> list[Night]:
    """Every night of so many days from `first`, in order; the longest of each month is explained."""
    zone = ZoneInfo(book.index.plan.zone)
    by_night: dict[date, list[TaskRun]] = defaultdict(list)
    for run in simulated(book, first, first + timedelta(days=days - 1)):
        noon = datetime.fromtimestamp(run.begin - DAY / 2, zone).date()
        if run.alone > LEAST_SECONDS:
            by_night[noon].append(run)
    ahead = [_night(day, runs, zone) for day, runs in sorted(by_night.items()) if day >= first]
    explained = {
        n.day: n.model_copy(update={"working": night_working(book.index, n, by_night[n.day])})
        for n in worst_of_months(ahead)
    }
    return [explained.get(n.day, n) for n in ahead]


def worst_of_months(given: Sequence[Night]) -> list[Night]:
    """The longest night of each month, in order."""
    worst: dict[tuple[int, int], Night] = {}
    for night in given:
        month = (night.day.year, night.day.month)
        if month not in worst or night.busy_hours > worst[month].busy_hours:
            worst[month] = night
    return list(worst.values())


def night_working(index: Index, night: Night, runs: Sequence[TaskRun]) -> Working:
    """The runs that make a night as long as it is, the longest first, each beside what it takes alone."""
    longest = sorted(runs, key=lambda r: r.begin - r.end)[:MOST_SHOWN]
    parts = [run_step(index, r) for r in longest]
    if len(runs) > len(longest):
        parts.append(step("shorter runs not shown", len(runs) - len(longest), "runs"))
    return step(
        f"at work in the night from {night.day}",
        night.busy_hours,
        "h",
        "the time in which anything runs, overlaps counted once",
        step("runs", night.runs, "runs", f"those that take over {LEAST_SECONDS} s alone"),
        step("slowed", night.slowed, "runs", f"{SLOWED_TIMES:g} times as long as alone, or longer"),
        *parts,
        source="simulated: jobs that share disks, LAN or links get fair shares, max-min over what each "
        "needs most (Bertsekas and Gallager 1992; Ghodsi et al. 2011); seeks count in each one's own load",
    )


def run_step(index: Index, run: TaskRun) -> Working:
    """How long a run takes, beside what it takes alone."""
    zone = index.plan.zone
    return step(
        index.jobs[run.task].name,
        run.end - run.begin,
        "s",
        f"{local(run.begin, zone)} to {local(run.end, zone)}",
        step("with everything to itself", run.alone, "s", "as on Copies, a usual run"),
        *_slowed(run),
    )


def _night(day: date, runs: list[TaskRun], zone: ZoneInfo) -> Night:
    busy, reached = 0.0, 0.0
    for run in sorted(runs, key=lambda r: r.begin):
        busy += max(run.end - max(run.begin, reached), 0.0)
        reached = max(reached, run.end)
    slower = [((r.end - r.begin) / r.alone, r.task) for r in runs]
    times, task = max(slower)
    return Night(
        day=day,
        runs=len(runs),
        busy_hours=busy / 3600,
        ends_at=datetime.fromtimestamp(reached, zone),
        slowed=sum(1 for t, _ in slower if t > SLOWED_TIMES),
        worst_job=task,
        worst_slowdown=times,
    )


def _slowed(run: TaskRun) -> list[Working]:
    """By how much others and limits by day slowed a run; nothing where they did not."""
    times = (run.end - run.begin) / run.alone
    if times <= SLOWED_TIMES:
        return []
    return [step("takes", times, "times as long", "others, and limits by day, leave it less")]


def next_start(book: CopyBook, job_id: str, after: float) -> float | None:
    """The first start of a job after an instant."""
    job = book.index.jobs[job_id]
    zone = book.index.plan.zone
    day = datetime.fromtimestamp(after, ZoneInfo(zone)).date()
    ahead = int(2 * book.step_days(job)) + 2
    times = starts(job.schedule, zone, day, day + timedelta(days=ahead))
    return next((t for t in times if t > after), None)
