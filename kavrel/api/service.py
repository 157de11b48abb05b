"""Plans with everything that follows from them, as the routes hand them out."""

import logging
from collections.abc import Callable
from copy import copy
from datetime import date, datetime
from functools import cached_property
from threading import Lock
from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo

from pydantic import BaseModel

from kavrel.api.bounded import within
from kavrel.api.changes import KEPT, Written
from kavrel.api.edit import Edit
from kavrel.api.reckoned import Unreckonable
from kavrel.api.running import RunningQuestions
from kavrel.core.evaluate import Evaluation, evaluate
from kavrel.core.index import Index
from kavrel.core.kept import Kept
from kavrel.core.plan import Plan
from kavrel.core.seen.drifted import Drift
from kavrel.store.looks import Looks
from kavrel.store.plans import PlanRow, Plans

if TYPE_CHECKING:
    from kavrel.rig.readied import Readied, Runs

CACHED_EVALUATIONS, CACHED_DRIFTS = 16, 16
Looked = tuple[tuple[str, int], ...]  # hosts with the number of their newest look
# What follows from the largest lab is there in two; beyond this it is a figure gone astray.
LONGEST_SECONDS = 20.0
log = logging.getLogger(__name__)


class PlanMeta(BaseModel):
    """A plan's name and where it stands."""

    id: str
    name: str
    variant: str
    revision: int
    parent: int | None  # the revision that this one was made of
    pinned: int | None
    summary: str
    made_at: datetime
    made_by: str  # empty where nobody has to sign in
    can_undo: bool
    can_redo: bool


class StripFigures(BaseModel):
    """The figures of the strip alone, to compare with."""

    revision: int
    usable_bytes: int
    cost_minor: int
    loss_odds_5y: float
    worst_rpo_seconds: float
    worst_rto_seconds: float
    lost_for_good: int
    accepted: int
    cautions: int
    serious: int


class PlanState(BaseModel):
    """A plan at its newest state, what follows from it, and the pinned figures."""

    meta: PlanMeta
    plan: Plan
    evaluation: Evaluation
    pinned: StripFigures | None


class StandIns:
    """Stand-in labs, made when one is asked for: most servers are never asked."""

    @cached_property
    def readied(self) -> "Readied":
        """Stand-in labs for drills."""
        from kavrel.rig.readied import Readied

        return Readied()

    @cached_property
    def runs(self) -> "Runs":
        """How stand-in labs fared."""
        from kavrel.rig.readied import Runs

        return Runs()


class Service:
    """The plans of the store, evaluated as of today in each plan's zone."""

    def __init__(self, plans: Plans, now: Callable[[], datetime], looks: Looks) -> None:
        self.plans = plans
        self.looks = looks
        self._now = now
        self._evaluated: Kept[tuple[str, int, date], Evaluation] = Kept(CACHED_EVALUATIONS)
        self._ahead: tuple[Plan, date, Evaluation] | None = None
        self._guard, self._one = Lock(), Lock()
        self.jobs = RunningQuestions()
        self.written = Written(KEPT)
        self._drifts: Kept[tuple[str, int, date, Looked], tuple[Drift, ...]] = Kept(CACHED_DRIFTS)
        self.rests: Kept[tuple[str, str], bytes] = Kept(KEPT)
        self._stand_ins = StandIns()

    def by(self, name: str) -> "Service":
        """The same service; what is changed through this one is marked with who changed it."""
        twin = copy(self)
        twin.plans = self.plans.by(name)
        return twin

    @property
    def readied(self) -> "Readied":
        """Stand-in labs for drills."""
        return self._stand_ins.readied

    @property
    def runs(self) -> "Runs":
        """How stand-in labs fared."""
        return self._stand_ins.runs

    def now(self) -> datetime:
        """The present moment, aware."""
        return self._now()

    def head(self, plan_id: str) -> tuple[int, Plan]:
        """The newest revision of a plan, and the plan."""
        row, plan = self.plans.head(plan_id)
        return row.head, plan

    def today(self, plan: Plan) -> date:
        """Today where the lab is."""
        return self._now().astimezone(ZoneInfo(plan.zone)).date()

    def drifts(self, plan_id: str) -> tuple[Drift, ...]:
        """The plan against the newest look at each host: remembered, since neither of them changes."""
        row, plan = self.plans.head(plan_id)
        numbers = self.looks.newest_numbers(plan_id)
        today = self.today(plan)
        key = (plan_id, row.head, today, tuple(sorted(numbers.items())))
        known = self._drifts.get(key)
        if known is None:
            from kavrel.formats.looks.drifted import whole_drift

            index, newest = Index(plan), self.looks.newest(plan_id)
            hosts = [h.id for h in plan.hosts if h.id in newest]
            known = tuple(whole_drift(index, h, newest[h], today) for h in hosts)
            self._drifts.put(key, known)
        return known

    def evaluation(self, plan_id: str, revision: int, plan: Plan) -> Evaluation:
        """What follows from a revision today; remembered, since a revision never changes."""
        key = (plan_id, revision, self.today(plan))
        known = self._evaluated.get(key)
        if known is None:
            with self._one:  # many who ask at once wait for one, they do not all reckon
                known = self._evaluated.get(key) or self._evaluate(plan, key[2])
                self._evaluated.put(key, known)
        return known

    def _evaluate(self, plan: Plan, today: date) -> Evaluation:
        """The evaluation, not made twice where an edit has just been reckoned."""
        with self._guard:
            ahead = self._ahead
        if ahead and ahead[1] == today and ahead[0] == plan:
            return ahead[2]
        try:
            return within(LONGEST_SECONDS, lambda: evaluate(plan, today))
        except Exception as error:
            log.exception("a stored plan cannot be evaluated")
            raise Unreckonable(None) from error

    def change(
        self,
        plan_id: str,
        on: Edit,
        touched: tuple[str, str] | None,
        make: Callable[[Plan], tuple[Plan, str]],
    ) -> None:
        """Applies an edit, once it is sure that what follows from it can be reckoned.

        An edit that broke every later call could not even be undone: it is refused where it was
        made, and nothing is changed. Raises Unreckonable.
        """

        def reckoned(plan: Plan) -> tuple[Plan, str]:
            changed, summary = make(plan)
            if changed != plan:
                self._reckon(changed, touched)
            return changed, summary

        self.plans.change(plan_id, on.base, touched, reckoned, on.key)

    def create(self, plan: Plan, summary: str) -> str:
        """A new plan, if it can be reckoned; raises Unreckonable."""
        self._reckon(plan, None)
        return self.plans.create(plan, summary)

    def _reckon(self, plan: Plan, touched: tuple[str, str] | None) -> None:
        today = self.today(plan)
        try:
            evaluation = within(LONGEST_SECONDS, lambda: evaluate(plan, today))
        except Exception as error:
            log.exception("a plan cannot be evaluated after an edit of %s", touched)
            raise Unreckonable(touched) from error
        with self._guard:
            self._ahead = (plan, today, evaluation)

    def state(self, plan_id: str) -> PlanState:
        """The plan as it stands with everything that follows."""
        row, plan = self.plans.head(plan_id)
        pinned = None
        if row.pinned is not None:
            pinned = self.figures(plan_id, row.pinned)
        return PlanState.model_construct(
            meta=meta(row),
            plan=plan,
            evaluation=self.evaluation(plan_id, row.head, plan),
            pinned=pinned,
        )

    def figures(self, plan_id: str, revision: int) -> StripFigures:
        """The strip's figures at a revision."""
        plan = self.plans.at(plan_id, revision)
        strip = self.evaluation(plan_id, revision, plan).strip
        wanted = set(StripFigures.model_fields) - {"revision"}
        return StripFigures(revision=revision, **{k: getattr(strip, k) for k in wanted})


def meta(row: PlanRow) -> PlanMeta:
    """A plan's row as it is handed out."""
    return PlanMeta(
        id=row.id,
        name=row.name,
        variant=row.variant,
        revision=row.head,
        parent=row.parent,
        pinned=row.pinned,
        summary=row.summary,
        made_at=datetime.fromisoformat(row.made_at),
        made_by=row.made_by,
        can_undo=row.can_undo,
        can_redo=row.can_redo,
    )
