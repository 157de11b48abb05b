"""The plan's jobs as tasks of the fluid, and the caps of its links as steps of capacity."""

from collections.abc import Sequence
from datetime import date, datetime, time, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.first import first_loads
from kavrel.core.copies.path import link_mb_per_s
from kavrel.core.copies.resource import Resource
from kavrel.core.kept import Kept
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Job
from kavrel.core.schedule import starts, within
from kavrel.core.week.fluid import Steps, Task, TaskRun, apart, in_order, together
from kavrel.core.week.sharing import Demand

# A run that took longer than this to come round changes nothing in the days looked at.
MOST_BACK_DAYS = 62


def tasks(book: CopyBook, first: date, last: date) -> list[Task]:
    """Tasks of all jobs that take a time of their own, due on local days `first` to `last`.

    They begin early enough for what reaches into `first`, and for the run before, whose distance
    decides how much has changed. Without slowdowns: a task asks what it would ask alone. Restore
    tests wait for a person and are left out.
    """
    return [
        task
        for job in book.index.plan.jobs
        if not KINDS[job.kind].tries and (task := _task(book, job, _back(book, job, first), last))
    ]


def _back(book: CopyBook, job: Job, first: date) -> date:
    step = book.step_days(job)
    flow = book.flow(job)
    quick = flow.run_seconds(step) < 1800
    back = first - timedelta(days=int(min(2 * step, MOST_BACK_DAYS)) + (1 if quick else 8))
    if flow.first and flow.first[1] < float("inf"):
        opens, seconds = flow.first
        if opens <= first <= opens + timedelta(seconds=seconds):
            return min(back, opens)  # the first copy is still going
    return back


def _task(book: CopyBook, job: Job, first: date, last: date) -> Task | None:
    flow = book.flow(job)
    if flow.never or (flow.parts and flow.seconds_per_byte == float("inf")):
        return None
    due = () if job.after else starts(job.schedule, book.index.plan.zone, first, last)
    seed = None
    if flow.first:
        zone = ZoneInfo(book.index.plan.zone)
        opens = datetime.combine(flow.first[0], time(), zone).timestamp()
        due = tuple(t for t in due if t >= opens)
        if first <= flow.first[0]:
            loads = first_loads(book, job)
            slowest = max([s for _, s in loads], default=0.0)
            # Caps slow the link itself: what it takes alone is reckoned without them.
            seed = Demand(loads, max(slowest, 1.0)) if flow.first[1] < float("inf") else None
            if seed is None:
                return None

    # Nearly every run follows the one before it after as many days.
    @lru_cache(maxsize=32)
    def demand(days: float) -> Demand:
        loads = tuple((x.resource, x.seconds) for x in book.loads(job, days))
        return Demand(loads, max([flow.work_seconds(days), *(s for _, s in loads)], default=0.0))

    # A follower on another box looks only now and then whether what it waits for has come.
    begins = flow.fixed_seconds + flow.looks_every_s
    return Task(job.id, due, flow.usual_days, begins, demand, job.after, seed, flow.waits)


def cap_steps(book: CopyBook, first: date, last: date) -> Steps:
    """For each capped link, when its capacity changes over these days, and to which share."""
    index = book.index
    steps: dict[Resource, tuple[tuple[float, float], ...]] = {}
    for link in index.plan.links:
        caps = [c for c in index.plan.caps if c.link == link.id]
        if not caps:
            continue
        speeds = [
            s
            for job in index.plan.jobs
            for r, s in book.way(job).loads
            if r == Resource("link", link.id)
        ]
        full = max(speeds, default=0.0)
        if full:
            shares = tuple(
                (c.from_at, c.to_at, min(link_mb_per_s(index, link, c.mbit) / full, 1.0))
                for c in caps
            )
            steps[Resource("link", link.id)] = _steps(shares, index.plan.zone, first, last)
    return steps


@lru_cache(maxsize=128)
def _steps(
    caps: tuple[tuple[str, str, float], ...], zone: str, first: date, last: date
) -> tuple[tuple[float, float], ...]:
    """Times (epoch s) at which a capacity changes, and the share that is left from then on."""
    spans = [(time.fromisoformat(a), time.fromisoformat(b), share) for a, b, share in caps]
    edges = {edge for low, high, _ in spans for edge in (low, high)}
    left = {
        edge: min([share for low, high, share in spans if within(edge, low, high)], default=1.0)
        for edge in edges
    }
    place = ZoneInfo(zone)
    days = [first + timedelta(days=n) for n in range((last - first).days + 1)]
    return tuple(
        sorted(
            (datetime.combine(day, edge, place).timestamp(), left[edge])
            for day in days
            for edge in edges
        )
    )


class Held:
    """Tasks that hash by what they are, so that an edit elsewhere does not run them again."""

    def __init__(self, book: CopyBook, timed: list[Task]) -> None:
        self.tasks = timed
        self.flows = {t.id: book.flow(book.index.jobs[t.id]) for t in timed}
        self.keys = {
            task.id: (
                task.id,
                task.due,
                task.after,
                task.first,
                self.flows[task.id],
                book.byte_loads(book.index.jobs[task.id]),
                book.index.jobs[task.id].pool,
            )
            for task in timed
        }
        self.key = tuple(self.keys.values())
        self._hash = hash(self.key)

    def __hash__(self) -> int:
        return self._hash

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Held) and self.key == other.key


CapKey = tuple[tuple[str, tuple[tuple[float, float], ...]], ...]
# Runs of tasks that share something, by all that they are.
_runs: Kept[tuple[object, ...], tuple[list[TaskRun], dict[str, float]]] = Kept(400)


@lru_cache(maxsize=24)
def flowed(held: Held, caps: CapKey, until: float) -> tuple[TaskRun, ...]:
    """What `flow_through` finds; of tasks that share nothing with one that changed it is known."""
    return tuple(in_order([r for runs, _ in _groups(held, caps, until) for r in runs]))


def slowed(held: Held, caps: CapKey, until: float) -> dict[str, float]:
    """How many times longer than alone each job's slowest run takes."""
    return {k: v for _, slower in _groups(held, caps, until) for k, v in slower.items()}


@lru_cache(maxsize=4)
def _groups(held: Held, caps: CapKey, until: float) -> list[tuple[list[TaskRun], dict[str, float]]]:
    groups = []
    steps = dict(caps)
    for group in apart(held.tasks):
        key = (*[held.keys[t.id] for t in group], caps, until)
        known = _runs.get(key)
        if known is None:
            runs = together(group, steps, until)
            known = runs, slowdown(runs, group)
            _runs.put(key, known)
        groups.append(known)
    return groups


def slowdown(runs: Sequence[TaskRun], group: Sequence[Task]) -> dict[str, float]:
    """How many times longer than alone each job was at work in its slowest run.

    The seconds before it begins to work are no longer for others' sake. What follows another job and
    begins late after it has more to carry: its length is set against what as many days ask as there were
    between the starts of the first of them, which is what else is reckoned with.
    """
    by_id = {t.id: t for t in group}
    days: dict[tuple[str, float], float] = {}  # between the starts of the first, by each end
    slower: dict[str, float] = {}
    for run in sorted(runs, key=lambda r: r.end):
        task = by_id[run.task]
        gap = days.get((task.after, run.due), run.gap_days) if task.after else run.gap_days
        days[run.task, run.end] = gap
        alone = run.alone - task.fixed
        if gap < run.gap_days:
            alone = min(alone, task.demand(gap).alone)
        if alone > 0:
            times = (run.end - run.begin - task.fixed) / alone
            if times > slower.get(run.task, 1.0):
                slower[run.task] = times
    return slower


def forget_runs() -> None:
    """Empties what is known of runs."""
    flowed.cache_clear()
    _groups.cache_clear()
    _runs.clear()


def prepared(book: CopyBook, first: date, last: date) -> tuple[Held, CapKey, float]:
    """What `flowed` is asked for local days `first` to `last`."""
    return _prepared(book.alone, first, last)


@lru_cache(maxsize=8)
def _prepared(book: CopyBook, first: date, last: date) -> tuple[Held, CapKey, float]:
    zone = ZoneInfo(book.index.plan.zone)
    until = datetime.combine(last + timedelta(days=1), time(), zone).timestamp()
    early = first - timedelta(days=MOST_BACK_DAYS + 8)
    caps = tuple((r, tuple(s)) for r, s in cap_steps(book, early, last).items())
    return Held(book, tasks(book, first, last)), caps, until


def simulated(book: CopyBook, first: date, last: date) -> list[TaskRun]:
    """All runs that begin on local days `first` to `last`, and those that reach into them."""
    begin = datetime.combine(first, time(), ZoneInfo(book.index.plan.zone)).timestamp()
    return [r for r in flowed(*prepared(book, first, last)) if r.end > begin]
