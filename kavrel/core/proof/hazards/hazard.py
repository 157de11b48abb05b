"""What a hazard declares: what it takes, when it is noticed, what must be mended first."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

from kavrel.core.copies.book import Copy, CopyBook
from kavrel.core.copies.keys import natively_encrypted
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.log.tried import still_tried
from kavrel.core.plan import Dataset, Host, Job
from kavrel.core.proof.today import Standing
from kavrel.core.shares.access import Access
from kavrel.core.shares.writing import one_for_all

State = Literal["stands", "down", "gone", "spoiled"]
Phase = Literal["notice", "fetch", "replace", "transfer", "verify"]
Reason = Callable[[Copy], str | None]


@dataclass(frozen=True)
class Step:
    """One step on the way back, with its hours, its phase and the assumption behind them."""

    text: str
    hours: float
    assumption: str = ""
    phase: Phase = "notice"


@dataclass(frozen=True)
class Lived:
    """How a hazard strikes over a lab's lifetimes: so many times a year, noticed after so many days.

    `share` of the dataset is hit. `spread`: the notice comes after a random time with that mean.
    `together`: one event strikes every dataset that it strikes.
    """

    a_year: float
    notice_days: float
    share: float
    spread: bool = False
    together: bool = False


def none_of_them(copy: Copy) -> str | None:
    """No copy is concerned."""
    return None


@dataclass(frozen=True)
class Strike:
    """What a hazard does to one dataset.

    `stands`: people work on; `down`: nothing is lost, and nobody works until `repair` is done;
    `gone` and `spoiled`: it has to come back from a copy. `event` names what happened once:
    datasets with the same event come back together and share the way. `lost_copy` says why a
    copy cannot be used, `stale_copy` why it is older than usual by `silent_days`, or by what
    `silent_for` says of it.
    `seen_after_days` is set when damage is noticed late, so that only points from before it help;
    `unmoved_days` when only what is newer than that is lost, with a fast tier or with parity that is
    made at night: `unmoved_as` says in words what that is, and from when to when. `strips`: the data
    runs on and it is copies that are lost. `readable`: somebody else can read the data now.
    `no_link`: the way back over links is closed too.
    """

    state: State
    why: str
    event: str = ""
    dies: tuple[str, ...] = ()
    lost_copy: Reason = field(default=none_of_them)
    stale_copy: Reason = field(default=none_of_them)
    silent_days: float = 0.0
    silent_for: Callable[[Copy], float] | None = None
    seen_after_days: float | None = None
    unmoved_days: float | None = None
    unmoved_as: tuple[str, str] = ("", "")
    strips: bool = False
    readable: bool = False
    no_link: bool = False
    repair: tuple[Step, ...] = ()
    share_of_data: float = 1.0

    def silence(self, copy: Copy) -> float:
        """Days by which a copy is older than usual."""
        return self.silent_for(copy) if self.silent_for else self.silent_days


@dataclass(frozen=True)
class Scene:
    """The plan as a hazard sees it: once all runs, or as of today."""

    index: Index
    book: CopyBook
    matrix: tuple[Access, ...]
    now: Mapping[str, Standing] = field(default_factory=dict)  # as of today, where that differs

    def own_pool(self, dataset: Dataset) -> str:
        """Name of the pool that the dataset lives on."""
        return self.index.pools[dataset.pool].name

    def home(self, dataset: Dataset) -> Host:
        """The box that the dataset lives in."""
        return self.index.hosts[self.index.pools[dataset.pool].host]

    @cached_property
    def one_for_all(self) -> str | None:
        """An administrator of all boxes whose password alone is enough, typed where people work."""
        return one_for_all(self.index, self.matrix, self.book.as_of)

    def step(self, text: str, key: str, phase: Phase) -> Step:
        """A step whose hours are an assumption."""
        return Step(text, self.index.assumptions[key], key, phase)

    def tried(self, copy: Copy) -> bool:
        """Whether a restore from this very copy has gone well by the log, and not too long ago."""
        key = (copy.job.id, copy.dataset.id)
        if key not in self._tried:
            day = self.book.as_of
            self._tried[key] = still_tried(self.index, copy.job, copy.dataset.id, day)
        return self._tried[key]

    @cached_property
    def _tried(self) -> dict[tuple[str, str], bool]:
        return {}


def not_lived(scene: Scene, dataset: Dataset, strike: Strike) -> Lived | None:
    """It does not strike of itself; see `Hazard.lifetimes`."""
    return None


def any_plan(index: Index) -> bool:
    """It can happen to everybody; see `Hazard.concerns`."""
    return True


def nothing_besides(index: Index, host: str) -> tuple[str, ...]:
    """The steps say all."""
    return ()


def numbers_come_along(index: Index, host: str) -> tuple[str, ...]:
    """What is restored onto a system that was installed anew belongs to the old one's numbers."""
    box = index.hosts[host]
    if box.closed or box.personal:
        return ()
    plan = index.plan
    known = [f"{a.login} {a.number}" for a in plan.accounts if a.number]
    known += [f"group {g.name} {g.number}" for g in plan.groups if g.number]
    by_plan = f"By the plan: {', '.join(known)}; setup.sh gives these again. " if known else ""
    unsaid = [*(a.login for a in plan.accounts if not a.number)]
    unsaid += [f"group {g.name}" for g in plan.groups if not g.number]
    if not unsaid:
        return (f"What comes back carries the numbers of accounts and groups. {by_plan}".rstrip(),)
    return (
        "What comes back carries the numbers that accounts and groups had on the old box, and a new system "
        f"gives out its own. {by_plan}Before anybody is let in, hold `ls -ln` against `id` and `getent "
        "group`: give "
        f"{', '.join(unsaid)} the number that the files carry (`usermod -u`, `groupmod -g`), or the files to "
        "whom "
        "they belong (`chown`).",
    )


def set_up_anew(index: Index, host: str) -> tuple[str, ...]:
    """How a new box comes to be, and what what is brought back belongs to there."""
    box = index.hosts[host]
    if box.personal:
        return ()
    if box.closed:
        return (
            f"What is entered in the page of the new {box.name} is in values.txt of its bundle: storage, "
            "people, shares, jobs. Bring back after that.",
        )
    pools = ", ".join(p.name for p in index.plan.pools if p.host == host and p.standing)
    made = (
        f"On the Bench give its disks their new serials, on Pools take off that {pools} stands. "
        if pools
        else ""
    )
    return (
        f"The new {box.name}: install its system as the runbook says under Machines. {made}Take its new "
        "bundle, put its files where its README says, and run `sh setup.sh`: it makes pools, people and "
        "folders, "
        "and names what it cannot do. Bring back after that, start its jobs last of all.",
        "What other boxes know it by (SSH host keys, certificates) is new: they have to be told, or their "
        "copies fail.",
        *numbers_come_along(index, host),
    )


@dataclass(frozen=True)
class Hazard:
    """A thing that can happen: `strike` says what it does to a dataset.

    `assumes` names the assumptions that the hazard itself is made of. `lifetimes` says in words how
    it takes part in the lab's lifetimes, or why it does not; where it strikes of itself, not with
    the disks, boxes, sites and accounts that die, `lived` says how often. `on_sheet`: it stands on
    the restore sheet, once for each box, pool or site, or one time; empty where only the
    administrator can help. `concerns`: whether a
    plan has what it strikes at all.
    """

    id: str
    title: str
    short: str
    question: str
    strike: Callable[[Scene, Dataset], Strike]
    assumes: tuple[str, ...] = ()
    lifetimes: str = field(kw_only=True)
    lived: Callable[[Scene, Dataset, Strike], Lived | None] = field(default=not_lived, kw_only=True)
    on_sheet: Literal["", "box", "pool", "site", "one"] = field(default="", kw_only=True)
    concerns: Callable[[Index], bool] = field(default=any_plan, kw_only=True)
    # What whoever stands before a box has to know besides, by the box.
    told: Callable[[Index, str], tuple[str, ...]] = field(default=nothing_besides, kw_only=True)


def over_lines(scene: Scene, job: Job) -> tuple[Job, ...]:
    """The jobs over a line between sites that feed this one: itself, what it reads from or follows.

    What a stopped copy brought nobody carries on, and a follower of it never starts.
    """
    index, left = scene.index, [job]
    seen: list[Job] = []
    while left:
        one = left.pop()
        if one not in seen:
            seen.append(one)
            left += [index.jobs[before] for before in (one.reads_from, one.after) if before]

    def crosses(one: Job) -> bool:
        ends = {scene.book.source(one).site(index), scene.book.place(one).site(index)} - {None}
        return len(ends) == 2 and not KINDS[one.kind].by_hand

    return tuple(one for one in seen if crosses(one))


def on_pool(pool: str, why: str) -> Reason:
    """Copies on a pool are lost, for the reason given."""
    return lambda copy: why if copy.place.pool == pool else None


def at_rest(scene: Scene, dataset: Dataset) -> bool:
    """Whether a thief who has its disks cannot read the dataset; most file systems lock no folder alone."""
    pool = scene.index.pools[dataset.pool]
    by_itself = dataset.encrypted and natively_encrypted(scene.index, dataset)
    return by_itself or (pool.encrypted and not pool.opens_alone)


def new_box(scene: Scene) -> tuple[Step, ...]:
    """What comes before anything is copied back when a box is gone."""
    return (
        scene.step("notice", "notice_hours", "notice"),
        scene.step("replace box and disks", "order_box_hours", "replace"),
    )
