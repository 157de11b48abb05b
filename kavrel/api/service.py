"""Plans with everything that follows from them, as the routes hand them out."""

from collections import OrderedDict
from collections.abc import Callable
from datetime import date, datetime
from threading import Lock
from zoneinfo import ZoneInfo

from pydantic import BaseModel

from kavrel.api.jobs import JobBook
from kavrel.core.evaluate import Evaluation, evaluate
from kavrel.core.plan import Plan
from kavrel.store.plans import PlanRow, Plans

CACHED_EVALUATIONS = 16


class PlanMeta(BaseModel):
    """A plan's name and where it stands."""

    id: str
    name: str
    variant: str
    revision: int
    pinned: int | None
    summary: str
    made_at: datetime
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


class Service:
    """The plans of the store, evaluated as of today in each plan's zone."""

    def __init__(self, plans: Plans, now: Callable[[], datetime]) -> None:
        self.plans = plans
        self._now = now
        self._evaluated: OrderedDict[tuple[str, int, date], Evaluation] = OrderedDict()
        self._guard = Lock()
        self.jobs = JobBook()

    def now(self) -> datetime:
        """The present moment, aware."""
        return self._now()

    def today(self, plan: Plan) -> date:
        """Today where the lab is."""
        return self._now().astimezone(ZoneInfo(plan.zone)).date()

    def evaluation(self, plan_id: str, revision: int, plan: Plan) -> Evaluation:
        """What follows from a revision today; remembered, since a revision never changes."""
        key = (plan_id, revision, self.today(plan))
        with self._guard:
            found = self._evaluated.get(key)
        if found is None:
            found = evaluate(plan, key[2])
            with self._guard:
                self._evaluated[key] = found
                while len(self._evaluated) > CACHED_EVALUATIONS:
                    self._evaluated.popitem(last=False)
        return found

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
        pinned=row.pinned,
        summary=row.summary,
        made_at=datetime.fromisoformat(row.made_at),
        can_undo=row.can_undo,
        can_redo=row.can_redo,
    )
