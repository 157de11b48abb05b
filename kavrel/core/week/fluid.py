"""Jobs over days or a year as a fluid: whoever runs shares what it needs with the others.

Between two events (a start, an end, a cap that begins or ends) all rates are constant. A start that
falls due while the job's last run is still going is left out, as the boxes' schedulers do; a job that
is caught up, or follows another, starts as soon as that has ended, once. Jobs that share
nothing, directly or through others, are reckoned apart.

Nights repeat: what happens from when nobody runs until nobody runs again follows from who falls due
when in that spell, how long ago each ran before, and the capacities. It is reckoned once, and taken
over for every spell that is the same but for its date.
"""

import heapq
from bisect import bisect_left, bisect_right
from collections import defaultdict
from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import dataclass
from operator import attrgetter
from typing import Any, NamedTuple

from kavrel.core.quantities import DAY
from kavrel.core.week.sharing import Demand, fair_rates

SOON = 1e-4  # seconds: finer than any clock here matters for


@dataclass(frozen=True)
class Task:
    """A job as the fluid sees it: when it is due, what it asks after so many days, what it follows.

    `demand` gives what a run asks; `fixed` are seconds before it begins to work; `first` is what the
    first of these runs asks instead, where that is the whole first copy. `waits`: what falls due before
    its last run has ended starts after it; else it is left out.
    """

    id: str
    due: Sequence[float]
    usual_days: float
    fixed: float
    demand: Callable[[float], Demand]
    after: str | None = None
    first: Demand | None = None
    waits: bool = True


class TaskRun(NamedTuple):
    """A run (epoch s): due, really begun, ended; `alone` seconds it would take with nobody else."""

    task: str
    due: float
    begin: float
    end: float
    alone: float
    gap_days: float
    late: bool  # it had to wait for its own last run
    left_out: tuple[float, ...] = ()  # its starts that fell due while it ran


# For each resource, the times (epoch s) at which its capacity changes, and to what.
Steps = Mapping[Any, Sequence[tuple[float, float]]]


def flow_through(tasks: Sequence[Task], caps: Steps, until: float) -> list[TaskRun]:
    """All runs that begin before `until`, in order of their begin."""
    return in_order([r for group in apart(tasks) for r in together(group, caps, until)])


def in_order(runs: list[TaskRun]) -> list[TaskRun]:
    """The same runs in order of their begin."""
    runs.sort(key=attrgetter("begin", "task"))
    return runs


def together(group: list[Task], caps: Steps, until: float) -> list[TaskRun]:
    """The runs of tasks that share something, in no order."""
    alone = group[0]
    if len(group) == 1 and not (alone.demand(alone.usual_days).loads or alone.first):
        return _undisturbed(alone, until)
    return _Fluid(group, caps, until).run()


def apart(tasks: Sequence[Task]) -> list[list[Task]]:
    """Tasks in groups that share nothing with one another."""
    from scipy.sparse import coo_array  # SciPy takes longer to load than a server to start
    from scipy.sparse.csgraph import connected_components

    nodes: dict[Hashable, int] = {}
    ties: list[tuple[int, int]] = []
    for task in tasks:
        me = nodes.setdefault(task.id, len(nodes))
        asked = [*task.demand(task.usual_days).loads, *(task.first.loads if task.first else ())]
        ties += [(me, nodes.setdefault(resource, len(nodes))) for resource, _ in asked]
    ties += [(nodes[t.id], nodes[t.after]) for t in tasks if t.after in nodes]
    rows, columns = [a for a, _ in ties], [b for _, b in ties]
    graph = coo_array(([1] * len(ties), (rows, columns)), shape=(len(nodes), len(nodes)))
    _, parts = connected_components(graph, directed=False)
    groups: dict[int, list[Task]] = defaultdict(list)
    for task in tasks:
        groups[int(parts[nodes[task.id]])].append(task)
    return list(groups.values())


def _undisturbed(task: Task, until: float) -> list[TaskRun]:
    """Runs of a task that asks for nothing that others use: a snapshot, a short test."""
    runs: list[TaskRun] = []
    gap, before, free = task.usual_days, 0.0, 0.0
    for due in task.due:
        if due >= until:
            break
        if due < free and not task.waits:
            runs[-1] = runs[-1]._replace(left_out=(*runs[-1].left_out, due))
            continue
        gap = (due - before) / DAY if before else gap
        seconds = task.fixed + task.demand(gap).alone
        before, begin = due, max(due, free)
        free = begin + seconds
        runs.append(TaskRun(task.id, due, begin, free, seconds, gap, begin > due))
    return runs


def _days(count: float) -> float:
    """Days between two runs, to within which they ask the same."""
    return round(count, 4)


def _shifted(run: TaskRun, seconds: float) -> TaskRun:
    """The same run at another time."""
    due, begin, end = run.due + seconds, run.begin + seconds, run.end + seconds
    left_out = tuple(t + seconds for t in run.left_out)
    return run._replace(due=due, begin=begin, end=end, left_out=left_out)


class _Spell(NamedTuple):
    """From nobody running to nobody running again, in seconds from its first start on.

    `dues`: what falls due in it; `gaps`: when each task in it first begins, and how many days, rounded,
    after its run before; `runs`: what came of it.
    """

    dues: list[tuple[float, int]]
    gaps: dict[int, tuple[float, float]]
    capacities: list[tuple[float, tuple[tuple[Hashable, float], ...]]]
    seconds: float
    runs: list[tuple[int, TaskRun]]


class _Fluid:
    def __init__(self, tasks: list[Task], caps: Steps, until: float) -> None:
        self.tasks = tasks
        self.until = until
        self.demands: dict[tuple[int, float], Demand] = {}
        self.rates: dict[tuple[object, ...], list[float]] = {}
        self.followers: dict[str, list[int]] = defaultdict(list)
        for n, task in enumerate(tasks):
            if task.after:
                self.followers[task.after].append(n)
        mine = {r for t in tasks for r, _ in t.demand(t.usual_days).loads}
        mine |= {r for t in tasks if t.first for r, _ in t.first.loads}
        self.number = {t.id: n for n, t in enumerate(tasks)}
        self.seeding: set[int] = {n for n, t in enumerate(tasks) if t.first}
        self.seeded: set[int] = set()
        self.caps = {r: list(steps) for r, steps in caps.items() if r in mine}
        begin = min((t.due[0] for t in tasks if t.due), default=0.0)
        later = {t for steps in self.caps.values() for t, _ in steps if t > begin}
        self.edges = sorted(later)
        # What there is of each at first, and from each change on.
        self.levels = [self._level(t) for t in (begin, *self.edges)]

    def _demand(self, n: int, days: float) -> Demand:
        first = self.tasks[n].first
        if first and n in self.seeding:
            return first
        key = (n, _days(days))
        if key not in self.demands:
            self.demands[key] = self.tasks[n].demand(days)
        return self.demands[key]

    def _level(self, at: float) -> tuple[tuple[Hashable, float], ...]:
        levels = []
        for resource, steps in self.caps.items():
            place = bisect_left(steps, (at + SOON, 2.0)) - 1
            levels.append((resource, steps[place][1] if place >= 0 else 1.0))
        return tuple(levels)

    def _capacity(self, now: float) -> tuple[tuple[Hashable, float], ...]:
        return self.levels[bisect_right(self.edges, now + SOON)]

    def run(self) -> list[TaskRun]:
        """Goes from event to event."""
        # (time, what, task, due): 0 a start falls due, 1 the fixed part is over.
        self.dues = sorted((t, n) for n, task in enumerate(self.tasks) for t in task.due)
        self.next_due = 0
        self.events: list[tuple[float, int, int, float]] = []
        events = self.events
        self.busy: dict[int, tuple[float, float, float, bool]] = {}  # due, begin, gap, late
        self.waiting: dict[int, float] = {}
        self.left_out: dict[int, tuple[float, ...]] = {}
        self.last: dict[int, float] = {}
        self.working: dict[int, tuple[float, Demand]] = {}  # share left
        self.runs: list[TaskRun] = []
        self.spells: dict[int, list[_Spell]] = defaultdict(list)
        self.open: tuple[int, int] | None = None
        now, edge = 0.0, 0
        while True:
            if not self.busy:
                now = self._nobody_runs(now)
            if not (events or self.working or self.next_due < len(self.dues)):
                break
            order = sorted(self.working)
            rates = self._rates(order, now)
            soonest = min(
                (self.working[n][0] / r for n, r in zip(order, rates, strict=True) if r > 0),
                default=float("inf"),
            )
            while edge < len(self.edges) and self.edges[edge] <= now + SOON:
                edge += 1
            upcoming = self._upcoming()
            if edge < len(self.edges) and order:
                upcoming = min(upcoming, self.edges[edge])
            at = min(upcoming, now + soonest)
            if at == float("inf"):
                break  # what is left can never end
            for n, rate in zip(order, rates, strict=True):
                left, demand = self.working[n]
                self.working[n] = (left - rate * (at - now), demand)
            now = max(at, now)
            for n, rate in zip(order, rates, strict=True):
                if self.working[n][0] <= rate * SOON:
                    del self.working[n]
                    self._end(n, now)
            while self._upcoming() <= now:
                self._event(now)
        return self.runs

    def _upcoming(self) -> float:
        """When something happens next that is known already."""
        due = self.dues[self.next_due][0] if self.next_due < len(self.dues) else float("inf")
        return min(due, self.events[0][0]) if self.events else due

    def _nobody_runs(self, now: float) -> float:
        """A spell is over: it is kept, and those that follow are taken over as long as they are known."""
        if self.open:
            self._keep(*self.open, now)
        while self.next_due < len(self.dues):
            begin, first = self.dues[self.next_due]
            known = next((s for s in self.spells[first] if self._is_same(s, begin)), None)
            if known is None:
                break
            self._take_over(known, begin)
            now = begin + known.seconds
        self.open = (self.next_due, len(self.runs))
        return now

    def _keep(self, at: int, place: int, end: float) -> None:
        """Remembers the spell that began with the due at this place, if all of it can come again."""
        if self.next_due == at or end + SOON >= self.until:
            return
        begin, first = self.dues[at]
        taken = [(self.number[r.task], r) for r in sorted(self.runs[place:], key=lambda r: r.begin)]
        if self.seeded:  # a first copy comes once
            self.seeded.clear()
            return
        gaps: dict[int, tuple[float, float]] = {}
        for n, run in taken:
            gaps.setdefault(n, (run.begin - begin, _days(run.gap_days)))
        moved = [(n, _shifted(r, -begin)) for n, r in taken]
        dues = [(t - begin, n) for t, n in self.dues[at : self.next_due]]
        self.spells[first].append(
            _Spell(dues, gaps, self._capacities(begin, end), end - begin, moved)
        )

    def _is_same(self, spell: _Spell, begin: float) -> bool:
        """Whether what falls due from now on is what fell due in that spell, and finds the same."""
        end, after = begin + spell.seconds, self.next_due + len(spell.dues)
        if end + SOON >= self.until or after > len(self.dues):
            return False
        if after < len(self.dues) and self.dues[after][0] <= end + SOON:
            return False
        for (since, n), (t, m) in zip(spell.dues, self.dues[self.next_due : after], strict=True):
            if n != m or abs(t - begin - since) > SOON / 100:
                return False
        for n, (since, gap) in spell.gaps.items():
            if _days(self._gap(n, begin + since)) != gap:
                return False
        return self._capacities(begin, end) == spell.capacities

    def _take_over(self, spell: _Spell, begin: float) -> None:
        """The spell once more, from this instant on."""
        met: set[int] = set()
        for n, run in spell.runs:
            at = begin + run.begin
            gap = run.gap_days if n in met else self._gap(n, at)
            met.add(n)
            self.last[n] = at
            self.runs.append(_shifted(run, begin)._replace(gap_days=gap))
        self.next_due += len(spell.dues)

    def _capacities(
        self, begin: float, end: float
    ) -> list[tuple[float, tuple[tuple[Hashable, float], ...]]]:
        """What there is of each resource with limits at the begin, and from each change until the end."""
        if not self.caps:
            return []
        low, high = (bisect_right(self.edges, t + SOON) for t in (begin, end))
        changes = [0.0, *(round(t - begin, 3) for t in self.edges[low:high])]
        return list(zip(changes, self.levels[low : high + 1], strict=True))

    def _rates(self, order: list[int], now: float) -> list[float]:
        """Rates of those at work; nights repeat, so most are known already."""
        if not order:
            return []
        capacity = self._capacity(now) if self.caps else ()
        key = (tuple((n, id(self.working[n][1])) for n in order), capacity)
        rates = self.rates.get(key)
        if rates is None:
            rates = fair_rates([self.working[n][1] for n in order], dict(capacity))
            self.rates[key] = rates
        return rates

    def _event(self, now: float) -> None:
        coming = self.dues[self.next_due] if self.next_due < len(self.dues) else None
        if coming and (not self.events or (coming[0], 0, coming[1]) <= self.events[0][:3]):
            self.next_due += 1
            (due, n), what = coming, 0
        else:
            _, what, n, due = heapq.heappop(self.events)
        if what == 1:
            demand = self._demand(n, self.busy[n][2])
            if demand.alone > 0:
                self.working[n] = (1.0, demand)
            else:
                self._end(n, now)
        elif due < self.until:
            if n in self.busy and self.tasks[n].waits:
                self.waiting.setdefault(n, due)
            elif n in self.busy:
                self.left_out[n] = (*self.left_out.get(n, ()), due)
            else:
                self._begin(n, due, max(now, due), False)

    def _begin(self, n: int, due: float, at: float, late: bool) -> None:
        gap = self._gap(n, at)
        self.last[n] = at
        self.busy[n] = (due, at, gap, late)
        heapq.heappush(self.events, (at + self.tasks[n].fixed, 1, n, at))

    def _gap(self, n: int, at: float) -> float:
        """Days since the task's run before."""
        return (at - self.last[n]) / DAY if n in self.last else self.tasks[n].usual_days

    def _end(self, n: int, at: float) -> None:
        due, begun, gap, late = self.busy.pop(n)
        task = self.tasks[n]
        alone = task.fixed + self._demand(n, gap).alone
        if n in self.seeding:
            self.seeding.discard(n)
            self.seeded.add(n)
        left_out = self.left_out.pop(n, ())
        self.runs.append(TaskRun(task.id, due, begun, at, alone, gap, late, left_out))
        for follower in self.followers.get(task.id, ()):
            if at < self.until:
                heapq.heappush(self.events, (at, 0, follower, at))
        if n in self.waiting:
            due = self.waiting.pop(n)
            if at < self.until:
                self._begin(n, due, at, True)
