"""The shuffle: the safest, then quickest, then shortest order of steps into the wanted pools.

An exact search over states (Dijkstra). A path's price is first its danger, then its hours, then
the number of its steps. Danger counts each wipe that leaves a dataset with one whole copy: more
where that one is on a pool without redundancy, more for what is irreplaceable. No step is ever
taken that leaves a dataset without a whole verified copy.
"""

import heapq
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import count

from pydantic import BaseModel, ConfigDict

from kavrel.core.filesystems import ext4
from kavrel.core.index import Index
from kavrel.core.moves.state import Move, MovedDataset, PossibleSteps, State, World
from kavrel.core.moves.times import MoveTimes
from kavrel.core.plan import Disk, Tick
from kavrel.core.progress import Tell, nobody
from kavrel.core.quantities import size_words, sizes_apart
from kavrel.core.working import Working, step

MOST_STATES = 30_000
TOO_MANY = (
    f"There are more orders than the {MOST_STATES:,} states that are searched. Move in two goes: leave "
    "some of the wanted pools, or some of what the old disks hold, for the second."
)
SINGLE, SINGLE_AND_BARE, DEAR = 10, 100, 3


class TooMany(RuntimeError):
    """There are more orders than can be searched."""


class CopiesAfter(BaseModel):
    """Whole copies of a dataset after a step."""

    model_config = ConfigDict(frozen=True)

    dataset: str
    name: str
    copies: int


class ShuffleStep(BaseModel):
    """A step of the run sheet. `starts_hours` counts from the first step that is still to do."""

    model_config = ConfigDict(frozen=True)

    key: str
    verb: str
    text: str
    lanes: tuple[str, ...]  # disks and pools that the step touches
    source: str
    target: str
    starts_hours: float
    hours: float
    danger: tuple[str, ...]
    back_out: str
    copies_after: tuple[CopiesAfter, ...]
    least_copies: int
    working: Working


class Lane(BaseModel):
    """One lane of the drawing: a disk or a pool, and what it holds before the first step."""

    model_config = ConfigDict(frozen=True)

    id: str
    label: str
    kind: str
    holds: tuple[str, ...]


class Ticked(BaseModel):
    """A step that a person has ticked, with what it should have taken and took."""

    model_config = ConfigDict(frozen=True)

    tick: str
    key: str
    text: str
    outcome: str
    planned_hours: float | None
    took_hours: float | None
    fits: bool


class Shuffle(BaseModel):
    """The whole move. `possible` False: `needs` says what is the least to borrow or buy."""

    model_config = ConfigDict(frozen=True)

    wanted: bool  # whether there is a pool to be made or data to move
    possible: bool
    finished: bool
    steps: tuple[ShuffleStep, ...]
    ticked: tuple[Ticked, ...]
    lanes: tuple[Lane, ...]
    hours: float
    pace: float  # how much longer copies took than planned, so far
    single_copy_steps: int
    needs: str
    borrow_bytes: int | None
    states_searched: int
    working: Working


@dataclass(frozen=True)
class _Path:
    moves: tuple[Move, ...]
    danger: int
    hours: float
    states: int


def world_of(index: Index, borrowed: Disk | None = None) -> tuple[World, State]:
    """The world of the wanted pools, and where everything is before the first step."""
    pools = tuple(p for p in index.plan.pools if not p.standing)
    wanted = {d for p in pools for d in p.disks}
    held = index.held
    waiting = waiting_shelf(index)
    disks = tuple(
        d
        for d in index.plan.disks
        if d.id in wanted
        or d.id in held
        or d.id in waiting
        or any(d is i for i in index.idle_disks)
    )
    # Of one that a box boots from the system has a part already.
    disks = tuple(
        d.model_copy(update={"capacity_bytes": index.data_bytes(d.id)})
        if index.data_bytes(d.id) != d.capacity_bytes
        else d
        for d in disks
    )
    # A shelf disk that waits for its first copy is used before others.
    disks = tuple(sorted(disks, key=lambda d: d.id not in waiting))
    if borrowed:
        disks = (*disks, borrowed)
    pool_at = {p.id: n for n, p in enumerate(pools)}
    ids = [d.id for d in index.plan.datasets if any(d.id in placed for placed in held.values())]
    cargo = tuple(
        MovedDataset(
            id=i,
            name=index.datasets[i].name,
            bytes=index.datasets[i].size_bytes,
            pool=pool_at.get(index.datasets[i].pool),
            dear=index.datasets[i].worth == "irreplaceable",
            elsewhere=0 if index.datasets[i].pool in pool_at else 1,
        )
        for i in ids
    )
    bit = {c.id: 1 << n for n, c in enumerate(cargo)}
    # What was never read back does not count as a copy; its disk is not blank all the same.
    whole = {(h.disk, h.dataset) for h in index.plan.holdings if h.verified}
    has = tuple(sum(bit[x] for x in set(held.get(d.id, ())) if (d.id, x) in whole) for d in disks)
    unread = tuple(
        sum(bit[x] for x in set(held.get(d.id, ())) if (d.id, x) not in whole) for d in disks
    )
    soiled = sum(1 << n for n, d in enumerate(disks) if d.holds_data and d.id not in held)
    return World(disks, pools, cargo), State(0, has, (0,) * len(pools), unread, soiled)


def waiting_shelf(index: Index) -> set[str]:
    """Shelf disks on which nothing lies yet: all their jobs wait for the first copy."""
    jobs = [j for j in index.plan.jobs if j.target_disk]
    begun = {j.target_disk for j in jobs if j.first_copy == "done"}
    return {
        d for j in jobs if (d := j.target_disk) and d not in begun and not index.disks[d].holds_data
    }


def shuffle(index: Index, tell: Tell = nobody) -> Shuffle:
    """The move of a plan from what was ticked so far to the wanted pools.

    `tell` hears now and then how many orders were tried; it may raise to stop.
    """
    world, start = world_of(index)
    possible = PossibleSteps(world)
    times = MoveTimes(index, world, possible)
    state, ticked, pace = _replay(possible, times, start, index.plan.ticks)
    lanes = _lanes(index, world, start)
    if not world.pools:
        return _answer(False, True, lanes, ticked, "no pool is wanted that does not stand yet")
    try:
        path = _search(possible, times, state, tell)
    except TooMany:
        return _answer(True, False, lanes, ticked, TOO_MANY)
    if path is None or (not path.moves and not possible.done(state)):
        return _impossible(index, world, possible, lanes, ticked, tell)
    steps = _steps(possible, times, state, path.moves, pace)
    hours = sum(s.hours for s in steps)
    single = sum(1 for s in steps if s.verb == "wipe" and s.least_copies == 1)
    return Shuffle(
        wanted=True,
        possible=True,
        finished=not steps,
        steps=tuple(steps),
        ticked=tuple(ticked),
        lanes=lanes,
        hours=hours,
        pace=pace,
        single_copy_steps=single,
        needs="",
        borrow_bytes=None,
        states_searched=path.states,
        working=step(
            "hours of the move",
            hours,
            "h",
            "sum of the steps; safest order first, then quickest, then fewest steps",
            step("states searched", path.states),
            step("wipes that leave one whole copy", single),
            step("copies took longer than planned by", pace, "times"),
            *(
                index.assumptions.step(k)
                for k in ("dock_mb_per_s", "verify_share", "wipe_hours", "create_hours")
            ),
        ),
    )


def _answer(
    wanted: bool, possible: bool, lanes: tuple[Lane, ...], ticked: list[Ticked], why: str
) -> Shuffle:
    return Shuffle(
        wanted=wanted,
        possible=possible,
        finished=False,
        steps=(),
        ticked=tuple(ticked),
        lanes=lanes,
        hours=0.0,
        pace=1.0,
        single_copy_steps=0,
        needs=why,
        borrow_bytes=None,
        states_searched=0,
        working=step("hours of the move", None, "h", why),
    )


def _search(possible: PossibleSteps, times: MoveTimes, start: State, tell: Tell) -> _Path | None:
    """The best path from a state, or None when there is no safe one; raises TooMany."""
    order = count()
    best: dict[State, tuple[int, float, int]] = {start: (0, 0.0, 0)}
    came: dict[State, tuple[State, Move]] = {}
    heap: list[tuple[int, float, int, int, State]] = [(0, 0.0, 0, next(order), start)]
    settled = 0
    while heap:
        danger, hours, steps, _, state = heapq.heappop(heap)
        if best[state] < (danger, hours, steps):
            continue
        settled += 1
        if possible.done(state):
            moves = []
            while state in came:
                state, move = came[state]
                moves.append(move)
            return _Path(tuple(reversed(moves)), danger, hours, settled)
        if settled > MOST_STATES:
            raise TooMany
        if settled % 250 == 0:
            tell(0.0, f"{settled:,} orders tried")
        forced = possible.forced(state)
        for move in [forced] if forced else possible.moves(state):
            after = possible.after(state, move)
            price = (
                danger + _danger(possible, state, after, move),
                hours + times.hours(state, move),
                steps + 1,
            )
            if after not in best or price < best[after]:
                best[after] = price
                came[after] = (state, move)
                heapq.heappush(heap, (*price, next(order), after))
    return None


def _danger(possible: PossibleSteps, before: State, after: State, move: Move) -> int:
    """What a step adds to the danger of a path."""
    if move.verb != "wipe":
        return 0
    danger = 0
    lost = before.disk_has[move.disks[0]]
    for n, cargo in enumerate(possible.world.cargo):
        if not lost >> n & 1 or possible.copies(after, n) != 1:
            continue
        bare = (
            not any(
                has >> n & 1 and possible.redundant(p, after.joined)
                for p, has in enumerate(after.pool_has)
            )
            and not cargo.elsewhere
        )
        danger += (SINGLE_AND_BARE if bare else SINGLE) * (DEAR if cargo.dear else 1)
    return danger


def _steps(
    possible: PossibleSteps, times: MoveTimes, state: State, moves: Sequence[Move], pace: float
) -> list[ShuffleStep]:
    steps = []
    clock = 0.0
    for move in moves:
        after = possible.after(state, move)
        hours = times.hours(state, move) * (pace if move.verb == "copy" else 1.0)
        copies = tuple(
            CopiesAfter(dataset=c.id, name=c.name, copies=possible.copies(after, n))
            for n, c in enumerate(possible.world.cargo)
        )
        steps.append(
            ShuffleStep(
                key=move.key,
                verb=move.verb,
                text=times.text(state, move),
                lanes=tuple(times.lanes(move)),
                source=times.place_id(move.source),
                target=times.place_id(move.target),
                starts_hours=clock,
                hours=hours,
                danger=tuple(times.danger(state, after, move, hours)),
                back_out=times.back_out(move),
                copies_after=copies,
                least_copies=min((c.copies for c in copies), default=0),
                working=times.working(state, move, pace),
            )
        )
        clock += hours
        state = after
    return steps


def _lanes(index: Index, world: World, start: State) -> tuple[Lane, ...]:
    disks = [
        Lane(
            id=d.id,
            label=d.label,
            kind="disk",
            holds=tuple(
                c.name + ("" if start.disk_has[i] >> n & 1 else ", not read back")
                for n, c in enumerate(world.cargo)
                if (start.disk_has[i] | start.unread_on(i)) >> n & 1
            ),
        )
        for i, d in enumerate(world.disks)
    ]
    pools = [Lane(id=p.id, label=p.name, kind="pool", holds=()) for p in world.pools]
    return (*pools, *disks)


def _replay(
    possible: PossibleSteps, times: MoveTimes, state: State, ticks: Sequence[Tick]
) -> tuple[State, list[Ticked], float]:
    """The state after what was ticked, and how much longer the copies took than planned."""
    ticked: list[Ticked] = []
    planned = took = 0.0
    for tick in ticks:
        move = next((m for m in possible.moves(state) if m.key == tick.step), None)
        hours = times.hours(state, move) if move else None
        ticked.append(
            Ticked(
                tick=tick.id,
                key=tick.step,
                text=times.text(state, move) if move else tick.step,
                outcome=tick.outcome,
                planned_hours=hours,
                took_hours=tick.hours,
                fits=move is not None,
            )
        )
        if move is None or tick.outcome == "failed":
            continue  # what failed is still to do
        if move.verb == "copy" and hours and tick.hours:
            planned += hours
            took += tick.hours
        state = possible.after(state, move)
    pace = min(max(took / planned, 0.2), 20.0) if planned else 1.0
    return state, ticked, pace


def _impossible(
    index: Index,
    world: World,
    possible: PossibleSteps,
    lanes: tuple[Lane, ...],
    ticked: list[Ticked],
    tell: Tell,
) -> Shuffle:
    """Says what is the least to borrow or buy: the smallest disk with which there is an order."""
    for p, pool in enumerate(world.pools):
        full = possible.usable(p, possible.pool_masks[p])
        need = sum(c.bytes for c in world.cargo if c.pool == p)
        if need > full:
            holds, belongs = sizes_apart(full, need)
            why = f"pool {pool.name} will hold {holds}, and {belongs} belong on it"
            return _answer(True, False, lanes, ticked, why)
    soiled = [d for d in world.disks if d.holds_data and d.id not in index.held]
    wanted = {d for p in world.pools for d in p.disks}
    unnamed = [d.label for d in soiled if d.id in wanted]
    if unnamed:
        why = (
            f"{'; '.join(unnamed)}: marked as holding data, and no dataset is named for it. Say on the "
            "Bench what it holds, or that it may go: nothing is wiped that nobody has named"
        )
        return _answer(True, False, lanes, ticked, why)
    sums = sorted({_sum(world, mask) for mask in range(1, 1 << min(len(world.cargo), 12))})

    def able(size: int) -> bool:
        borrowed = Disk(id="borrowed", label="borrowed disk", capacity_bytes=_raw(size))
        bigger, first = world_of(index, borrowed)
        there = PossibleSteps(bigger)
        times = MoveTimes(index, bigger, there)
        begun, _, _ = _replay(there, times, first, index.plan.ticks)
        try:
            return _search(there, times, begun, tell) is not None
        except TooMany:
            return False

    low, high = 0, len(sums) - 1
    if not sums or not able(sums[high]):
        return _answer(
            True, False, lanes, ticked, "no safe order was found, not even with one more disk"
        )
    while low < high:
        middle = (low + high) // 2
        if able(sums[middle]):
            high = middle
        else:
            low = middle + 1
    size = _raw(sums[low])
    offers = [o for o in index.plan.offers if o.capacity_bytes >= size]
    cheapest = min(offers, key=lambda o: o.price_minor, default=None)
    buy = f", such as {cheapest.label} of the price list" if cheapest else ""
    why = (
        "No order keeps a whole copy of everything with the disks at hand. The least that helps is "
        f"one more blank disk of {size_words(size)}, borrowed or bought{buy}."
    )
    return _answer(True, False, lanes, ticked, why).model_copy(update={"borrow_bytes": size})


def _raw(size: int) -> int:
    """The smallest disk whose file system has room for so much."""
    raw = max(size, 10**9)
    while ext4.usable_bytes(raw) < size:
        raw += size - ext4.usable_bytes(raw) + 10**6
    return raw


def _sum(world: World, mask: int) -> int:
    return sum(c.bytes for n, c in enumerate(world.cargo) if mask >> n & 1)
