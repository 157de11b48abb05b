"""Everything that Kavrel says about a plan on a day, computed from the plan alone."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from pydantic import BaseModel, ConfigDict

from kavrel.core import schedule
from kavrel.core.assumptions import REGISTRY
from kavrel.core.bench.bays import bays
from kavrel.core.bench.power import Power, power
from kavrel.core.cautions import Raised, cautions, raised
from kavrel.core.cautions.causes import Cause, causes
from kavrel.core.cautions.caution import Caution, View
from kavrel.core.consistency import Problem, not_carried_out
from kavrel.core.copies import rules
from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.fetch import how_to_fetch
from kavrel.core.copies.keys import key_at, key_taken_by
from kavrel.core.copies.ladder import Ladder, ladder
from kavrel.core.copies.space import held_bytes, stored_on
from kavrel.core.copies.travel import travels
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.log.due import Due, due
from kavrel.core.part import Part
from kavrel.core.plan import COLLECTIONS, JobKind, LogKind, Plan
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.layout import Layout
from kavrel.core.pools.loss import any_of, repair_of
from kavrel.core.pools.pool import PoolState, pool_states, settled
from kavrel.core.pools.taken import Stored
from kavrel.core.proof.cell import Cell
from kavrel.core.proof.hazards import hazards_of
from kavrel.core.proof.proof import Common, prove, prove_today, worst_working
from kavrel.core.proof.today import Cover, Waiting, covers, standings, waiting
from kavrel.core.shares.access import Access, access_matrix
from kavrel.core.shares.addresses import Listener, listeners
from kavrel.core.shares.names import copy_folders, folders
from kavrel.core.shares.promises import Promise, promises
from kavrel.core.shares.reach import Reach, reach
from kavrel.core.week.nights import scheduled_book
from kavrel.core.week.week import Week, week
from kavrel.core.working import Working, step


class _View(BaseModel):
    model_config = ConfigDict(frozen=True)


class Figure(_View):
    """One figure of the strip: its working's root is the value and its unit."""

    working: Working
    about: str = ""


class Strip(_View):
    """The consequence strip. `lost_for_good` counts proof cells from which nothing comes back.

    Those that somebody has signed are counted in `accepted` instead. `unpriced` disks, boxes and UPS have
    no price written down: what is spent is at least what is said.
    """

    usable_bytes: int
    cost_minor: int
    unpriced: int
    loss_odds_5y: float
    damage_odds_5y: float
    worst_rpo_seconds: float
    worst_rto_seconds: float
    lost_for_good: int
    lost_today: int  # further cells from which nothing comes back today
    accepted: int
    cautions: int
    serious: int
    usable: Figure
    cost: Figure
    odds: Figure
    rpo: Figure
    rto: Figure


class HostView(_View):
    """A host's bays by name, in order."""

    id: str
    bays: tuple[str, ...]


class PoolView(_View):
    """A pool's layout, and the bytes of its datasets, kept for them, and of others' copies on it.

    `rebuild_now` is the rebuild at that fill: ZFS and Btrfs copies rebuild only what is used.
    """

    id: str
    layout: Layout
    dataset_bytes: int
    reserved_bytes: int
    stored_bytes: int
    stored_a_year_bytes: int
    left_bytes: int
    fill: float
    room: Working
    rebuild_now: Working


class AccessTable(_View):
    """Accounts against shares over SMB, packed: a big lab has tens of thousands of cells.

    `rights`: a string for each share with n, r or w for each account. `because`: a number for each
    cell, the place of its reason in `reasons`.
    """

    accounts: tuple[str, ...]
    shares: tuple[str, ...]
    rights: tuple[str, ...]
    reasons: tuple[str, ...]
    because: tuple[tuple[int, ...], ...]


class JobView(_View):
    """A job in words, with its durations and the age of its newest point.

    `slowdown`: how much longer a run takes in the worst night. `held_bytes`: what its points hold
    beside the newest state. `travels`: how its bytes are protected on a link, empty without one. `fetch`:
    how something is fetched from it, step by step. `key_at`, `key_taken_by`: where its key is, and
    which hazards take it there; empty without one.
    """

    id: str
    title: str
    schedule_words: str
    retention_words: str
    source_name: str
    target_name: str
    source_site: str | None
    target_site: str | None
    first_copy: Working
    usual_run: Working
    newest_age_seconds: float | None
    mean_age_seconds: float | None
    best_age_seconds: float | None
    points_today: int
    slowdown: float
    held_bytes: int
    travels: str
    fetch: tuple[str, ...]
    key_at: str
    key_taken_by: str


class KindView(_View):
    """A kind of job: what it does, needs, locks, takes, and what it protects against."""

    id: JobKind
    title: str
    target: str
    on: str
    copies: bool
    versions: bool
    in_place: bool
    snapshots: bool
    by_hand: bool
    does: str
    needs: str
    locks: str
    takes: str
    protects: str
    does_not: str


class HazardView(_View):
    """A hazard's title and question."""

    id: str
    title: str
    short: str
    question: str


class AssumptionView(_View):
    """An assumption as it holds in the plan."""

    id: str
    label: str
    value: float
    default: float
    unit: str
    low: float
    high: float
    source: str
    sheet: str
    own: bool


class Evaluation(_View):
    """What follows from a plan."""

    today: date
    strip: Strip
    hosts: tuple[HostView, ...]
    pools: tuple[PoolView, ...]
    access: AccessTable
    reach: tuple[Reach, ...]  # over everything but SMB
    promises: tuple[Promise, ...]
    listeners: tuple[Listener, ...]
    kinds: tuple[KindView, ...]
    jobs: tuple[JobView, ...]
    ladders: tuple[Ladder, ...]
    week: Week
    hazards: tuple[HazardView, ...]
    proof: tuple[Cell, ...]
    proof_today: tuple[Cell, ...]  # the cells that are not yet as they will be once all runs
    covers: tuple[Cover, ...]
    waiting: tuple[Waiting, ...]  # copies that are not yet as they will be
    due: tuple[Due, ...]
    cautions: tuple[Caution, ...]
    causes: tuple[Cause, ...]  # the same by what they come from, what could cost most on top
    power: Power
    assumptions: tuple[AssumptionView, ...]


@dataclass(frozen=True, eq=False)
class Running:
    """What follows from the jobs as they run: the copies, the week, what is stored where."""

    book: CopyBook
    week: Week
    stores: dict[str, Stored]
    impossible: list[Problem]  # what no box does
    jobs: tuple[JobView, ...]


@dataclass(frozen=True, eq=False)
class Proven:
    """The proof once all runs, what is not yet so today, ladders, and from when copies cover what."""

    cells: list[Cell]
    cells_today: list[Cell]
    ladders: tuple[Ladder, ...]
    covers: tuple[Cover, ...]
    waiting: tuple[Waiting, ...]


@dataclass(frozen=True, eq=False)
class Checked:
    """What is drawn from the mains, heard, promised, and what rules find that need no price and no log."""

    drawn: Power
    heard: tuple[Listener, ...]
    promised: tuple[Promise, ...]
    raised: Raised


def _running(
    index: Index,
    today: date,
    states: tuple[PoolState, ...],
    paths: dict[str, str],
    copies: dict[tuple[str, str], str],
) -> Running:
    plan = index.plan
    book = scheduled_book(index, {s.pool.id: s for s in states}, today)
    return Running(
        book,
        week(book, today),
        stored_on(book),
        not_carried_out(plan),
        tuple(_job(book, j.id, paths, copies) for j in plan.jobs),
    )


def _proven(index: Index, today: date, running: Running, matrix: tuple[Access, ...]) -> Proven:
    book = running.book.over(index, running.book.states)
    common = Common()
    cells = prove(index, book, matrix, common=common)
    now = standings(book)
    cells_today = prove_today(index, book, matrix, cells, now, common) if now else []
    ladders = tuple(ladder(book, d.id) for d in index.plan.datasets)
    return Proven(cells, cells_today, ladders, covers(book, now), waiting(now, today))


# Prices say nothing about copies. What a box is called stands in many a reason.
BLIND = dict.fromkeys(("disks", "hosts"), ("price_minor",))
# Of the log copies are concerned by their runs and by what was brought back from them.
ABOUT_COPIES: frozenset[LogKind] = frozenset({"backup_run", "shelf_copy", "restore_test"})
RUNS_BY = (
    "zone",
    "sites",
    "links",
    "hosts",
    "disks",
    "pools",
    "datasets",
    "caps",
    "buckets",
    "exports",  # a copy may land in one, as an account
    "accounts",
    "jobs",
    "assumptions",
)
RUNNING = Part(_running, RUNS_BY, BLIND)
# All but prices, offers and what was written down.
CHECKED_BY = (
    "name",
    "zone",
    "currency",
    *(c for c in COLLECTIONS if c not in ("log", "offers", "ticks")),
)
PROVEN = Part(
    _proven,
    (*RUNS_BY, "log", "accepted", "shares", "mounts", "networks", "supplies", "holdings"),
    {**BLIND, "log": ("who", "minutes", "note")},
    {"log": lambda entry: entry.kind in ABOUT_COPIES},
)


def _checked(
    index: Index,
    today: date,
    running: Running,
    proven: Proven,
    states: tuple[PoolState, ...],
    matrix: tuple[Access, ...],
    dues: tuple[Due, ...],
) -> Checked:
    by_pool = {s.pool.id: s for s in states}
    drawn, heard, promised = power(index), tuple(listeners(index)), tuple(promises(index, by_pool))
    view = _view(index, today, by_pool, matrix, running, proven, dues, drawn, heard, promised)
    return Checked(drawn, heard, promised, raised(view, whole=False))


CHECKED = Part(_checked, CHECKED_BY, BLIND)


def _view(
    index: Index,
    today: date,
    states: dict[str, PoolState],
    matrix: Sequence[Access],
    running: Running,
    proven: Proven,
    dues: Sequence[Due],
    drawn: Power,
    heard: Sequence[Listener],
    promised: Sequence[Promise],
) -> View:
    book, cells = running.book.over(index, states), proven.cells
    return View(
        index,
        states,
        running.stores,
        matrix,
        book,
        running.week,
        cells,
        dues,
        drawn,
        heard,
        promised,
        proven.ladders,
        running.impossible,
        today,
    )


def evaluate(plan: Plan, today: date) -> Evaluation:
    """The consequences of a consistent plan as of a day. The same plan and day give the same."""
    index = Index(plan)
    states = pool_states(index)
    matrix = access_matrix(index, today)
    bare = tuple(s.priceless for s in states.values())
    running = RUNNING.of(plan, today, bare, folders(plan), copy_folders(plan))
    proven = PROVEN.of(plan, today, running, tuple(matrix))
    stores, cells, cells_today = running.stores, proven.cells, proven.cells_today
    dues = tuple(due(index, today))
    # How full the pools are is known now; their odds follow from it.
    states = {i: settled(s, s.fill(stores.get(i, Stored()))) for i, s in states.items()}
    full = tuple(s.priceless for s in states.values())
    checked = CHECKED.of(plan, today, running, proven, full, tuple(matrix), dues)
    drawn, heard, promised = checked.drawn, checked.heard, checked.promised
    view = _view(index, today, states, matrix, running, proven, dues, drawn, heard, promised)
    every = cautions(view, checked.raised)
    roots = causes(view, every)
    return Evaluation.model_construct(
        today=today,
        strip=_strip(index, states, cells, cells_today, roots),
        hosts=tuple(HostView(id=h.id, bays=tuple(bays(h))) for h in plan.hosts),
        pools=tuple(_pool(view, s) for s in states.values()),
        access=_access_table(plan, matrix),
        reach=tuple(reach(index, (), today)),
        promises=promised,
        listeners=heard,
        kinds=KIND_VIEWS.of(plan, today),
        jobs=running.jobs,
        ladders=proven.ladders,
        week=running.week,
        hazards=tuple(
            HazardView(id=h.id, title=h.title, short=h.short, question=h.question)
            for h in hazards_of(index)
        ),
        proof=tuple(cells),
        proof_today=tuple(cells_today),
        covers=proven.covers,
        waiting=proven.waiting,
        due=dues,
        cautions=tuple(every),
        causes=roots,
        power=drawn,
        assumptions=ASSUMED.of(plan, today),
    )


def _strip(
    index: Index,
    states: dict[str, PoolState],
    cells: list[Cell],
    cells_today: Sequence[Cell],
    why: Sequence[Cause],
) -> Strip:
    rpo, rto = worst_working(cells, index, "rpo"), worst_working(cells, index, "rto")
    usable, cost, odds = _usable(states.values()), _cost(index.plan), _odds(states)
    lost = {(c.dataset, c.hazard) for c in cells if c.fate == "lost"}
    return Strip(
        usable_bytes=int(usable.value or 0),
        cost_minor=int(cost.value or 0),
        unpriced=sum(not each.value for part in cost.inputs for each in part.inputs),
        loss_odds_5y=float(odds.value or 0.0),
        damage_odds_5y=any_of(s.layout.damage_odds_5y for s in states.values() if s.dataset_bytes),
        worst_rpo_seconds=float(rpo.value or 0.0),
        worst_rto_seconds=float(rto.value or 0.0),
        lost_for_good=sum(1 for c in cells if c.fate == "lost" and c.signed != "yes"),
        lost_today=sum(
            1
            for c in cells_today
            if c.fate == "lost" and c.signed != "yes" and (c.dataset, c.hazard) not in lost
        ),
        accepted=sum(1 for c in cells if c.signed == "yes"),
        cautions=len(why),
        serious=sum(1 for c in why if c.severity == "serious"),
        usable=Figure(working=usable),
        cost=Figure(working=cost),
        odds=Figure(working=odds),
        rpo=Figure(working=rpo, about=_worst_name(rpo)),
        rto=Figure(working=rto, about=_worst_name(rto)),
    )


def _usable(states: Iterable[PoolState]) -> Working:
    """Usable space of all pools."""
    each = [
        step(
            f"{s.pool.name}: {s.layout.title}, {s.pool.filesystem}",
            s.layout.usable_bytes,
            "bytes",
            s.layout.working.formula,
            *s.layout.working.inputs,
            source=s.layout.working.source,
        )
        for s in states
    ]
    total = sum(int(one.value or 0) for one in each)
    return step("usable space", total, "bytes", "sum over the pools", *each)


def _cost(plan: Plan) -> Working:
    """Everything on the table on day one."""

    def of(name: str, things: Iterable[tuple[str, int]]) -> Working:
        each = [
            step(label if price else f"{label}, no price written down", price, "money")
            for label, price in things
        ]
        total = sum(int(one.value or 0) for one in each)
        return step(name, total, "money", "sum of prices", *each)

    parts = (
        of("disks", ((d.label, d.price_minor) for d in plan.disks)),
        of("hosts", ((h.name, h.price_minor) for h in plan.hosts)),
        of("UPS", ((u.name, u.price_minor) for u in plan.supplies)),
    )
    return step(
        "money spent",
        sum(int(one.value or 0) for one in parts),
        "money",
        "disks + hosts + UPS: everything on the table on day one",
        *parts,
    )


def _worst_name(working: Working) -> str:
    return working.inputs[0].name.partition(",")[0] if working.inputs else ""


def _odds(states: dict[str, PoolState]) -> Working:
    """Odds that any pool which holds datasets loses data by dying disks within five years."""
    used = [s for s in states.values() if s.dataset_bytes]
    damaged = any_of(s.layout.damage_odds_5y for s in used)
    most = any_of(s.layout.damage_at_most_5y for s in used)
    return step(
        "a pool with data is lost within 5 years",
        any_of(s.layout.loss_odds_5y for s in used),
        "odds",
        "1 - product over pools of (1 - odds); the copies decide what comes back",
        *(s.layout.odds_working.model_copy(update={"name": f"pool {s.pool.name}"}) for s in used),
        step(
            "apart from that: a file damaged while rebuilding, within 5 years",
            damaged,
            "odds",
            "1 - product over pools of (1 - odds)",
            step("at most, by the data sheets' rates", most, "odds"),
            *(
                s.layout.damage_working.model_copy(update={"name": f"in pool {s.pool.name}"})
                for s in used
                if s.layout.survives_any
            ),
        ),
        source="Markov chain after Patterson, Gibson and Katz 1988",
    )


def _pool(view: View, state: PoolState) -> PoolView:
    stored = view.stored(state.pool.id)
    fill = view.fill(state.pool.id)
    return PoolView(
        id=state.pool.id,
        layout=state.layout,
        dataset_bytes=state.dataset_bytes,
        reserved_bytes=state.reserved_bytes,
        stored_bytes=stored.now_bytes,
        stored_a_year_bytes=stored.a_year_bytes,
        left_bytes=max(state.layout.usable_bytes - state.taken_bytes - stored.now_bytes, 0),
        fill=fill,
        room=_room(state, stored.now_bytes, fill),
        rebuild_now=repair_of(
            FAMILIES[state.pool.family],
            state.groups,
            state.pool.filesystem,
            state.conditions,
            min(fill, 1.0),
        ).working,
    )


def _room(state: PoolState, stored: int, fill: float) -> Working:
    """What is left on a pool, and how full it is."""
    usable = state.layout.usable_bytes
    return step(
        "left on the pool",
        max(usable - state.taken_bytes - stored, 0),
        "bytes",
        "usable - datasets - kept - copies and points",
        step("usable", usable, "bytes", "see the layout"),
        step("datasets", state.dataset_bytes, "bytes", "sum of their sizes"),
        step(
            "kept",
            state.reserved_bytes,
            "bytes",
            "thick volumes and reservations that are not filled yet",
        ),
        step(
            "copies and points",
            stored,
            "bytes",
            "others' newest copies that lie here, and what all points here hold beside the newest state",
        ),
        step("how full it is", fill, "of it", "(datasets + kept + copies and points) / usable"),
    )


def _access_table(plan: Plan, matrix: Sequence[Access]) -> AccessTable:
    reasons: dict[tuple[str, ...], int] = {}
    width = len(plan.accounts)
    rights, because = [], []
    for n in range(len(plan.shares)):
        cells = matrix[n * width : (n + 1) * width]
        rights.append("".join([c.right[0] for c in cells]))
        because.append(tuple([reasons.setdefault(c.because, len(reasons)) for c in cells]))
    return AccessTable.model_construct(
        accounts=tuple(a.id for a in plan.accounts),
        shares=tuple(s.id for s in plan.shares),
        rights=tuple(rights),
        reasons=tuple("; ".join(r) for r in reasons),
        because=tuple(because),
    )


def _job(
    book: CopyBook,
    job_id: str,
    paths: dict[str, str],
    copies: dict[tuple[str, str], str],
) -> JobView:
    index = book.index
    job = index.jobs[job_id]
    source, target = book.source(job), book.place(job)
    ages = book.ages(job) if KINDS[job.kind].copies else None
    words = schedule.in_words(job.schedule)
    at = index.hosts[job.host].name if job.host else source.name(index)
    if job.after:
        words = f"after {index.jobs[job.after].name}"
    return JobView(
        id=job.id,
        title=KINDS[job.kind].title,
        schedule_words=words,
        retention_words=rules.in_words(job.retention)
        if KINDS[job.kind].copies or rules.rules_of(job.retention)
        else "",
        source_name=at,
        target_name=at if KINDS[job.kind].moves_nothing else target.name(index),
        source_site=source.site(index),
        target_site=target.site(index),
        first_copy=book.first_copy(job),
        usual_run=book.usual_run(job),
        newest_age_seconds=ages.worst if ages else None,
        mean_age_seconds=ages.mean if ages else None,
        best_age_seconds=ages.best if ages else None,
        points_today=len(book.points_on(job, book.as_of)) if KINDS[job.kind].copies else 0,
        slowdown=book.flow(job).slowdown,
        held_bytes=int(held_bytes(book, job, book.as_of)),
        travels=travels(book, job),
        key_at=key_at(index, job),
        key_taken_by=key_taken_by(index, job),
        fetch=how_to_fetch(book, job, paths, copies),
    )


def _kinds(index: Index, today: date) -> tuple[KindView, ...]:
    fields = list(KindView.model_fields)
    return tuple(
        KindView.model_construct(**{f: getattr(k, f) for f in fields}) for k in KINDS.values()
    )


def _assumptions(index: Index, today: date) -> tuple[AssumptionView, ...]:
    own = {a.id for a in index.plan.assumptions}
    return tuple(
        AssumptionView(
            id=a.id,
            label=a.label,
            value=index.assumptions[a.id],
            default=a.default,
            unit=a.unit,
            low=a.low,
            high=a.high,
            source="set in this plan" if a.id in own else a.source,
            sheet=a.sheet,
            own=a.id in own,
        )
        for a in REGISTRY.values()
    )


KIND_VIEWS = Part(_kinds, ())
ASSUMED = Part(_assumptions, ("assumptions",))
PARTS: tuple[Part[Any], ...] = (RUNNING, PROVEN, CHECKED, KIND_VIEWS, ASSUMED)
