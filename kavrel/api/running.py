"""Questions at work: each runs in a thread, tells how far it is, and can be stopped."""

import threading
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import date
from typing import Literal, Protocol
from uuid import uuid4

from pydantic import BaseModel

from kavrel.api.problem import ProblemError
from kavrel.core.evaluate import Evaluation
from kavrel.core.plan import Plan
from kavrel.core.progress import Stopped
from kavrel.core.questions import Answer, NotAskable, Question, answer

MOST_KEPT = 64
AT_ONCE = 2


class QuestionView(BaseModel):
    """A question that was asked: how far it is, and its answer once it is done."""

    id: str
    plan: str
    revision: int
    state: Literal["waiting", "running", "done", "stopped", "failed"]
    share: float
    word: str
    why: str
    answer: Answer | None


class Plans(Protocol):
    """What the questions are asked of."""

    def head(self, plan_id: str) -> tuple[int, Plan]:
        """The newest revision of a plan, and the plan."""

    def today(self, plan: Plan) -> date:
        """Today where the lab is."""

    def evaluation(self, plan_id: str, revision: int, plan: Plan) -> Evaluation:
        """What follows from a revision today."""


class RunningQuestion:
    """One asked question; changed by its worker, read by anyone."""

    def __init__(self, plan_id: str, revision: int) -> None:
        self.id = uuid4().hex[:16]
        self.plan_id, self.revision = plan_id, revision
        self.state: Literal["waiting", "running", "done", "stopped", "failed"] = "waiting"
        self.share, self.word, self.why = 0.0, "", ""
        self.answer: Answer | None = None
        self.stop = threading.Event()
        self.listeners: set[Callable[[], None]] = set()
        self.steps = 0  # counts changes, so that a follower sees each

    def tell(self, share: float, word: str) -> bool:
        """Takes note of progress; says whether to go on."""
        self.share, self.word = share, word
        self._step()
        return not self.stop.is_set()

    def end(self, state: Literal["done", "stopped", "failed"], why: str = "") -> None:
        """Closes the job."""
        self.why, self.state = why, state
        self._step()

    def _step(self) -> None:
        self.steps += 1
        for wake in tuple(self.listeners):
            wake()

    @property
    def ended(self) -> bool:
        """Whether nothing more will come."""
        return self.state in ("done", "stopped", "failed")

    def view(self, whole: bool = True) -> QuestionView:
        """The job as it is handed out, with or without its answer."""
        return QuestionView.model_construct(
            id=self.id,
            plan=self.plan_id,
            revision=self.revision,
            state=self.state,
            share=self.share,
            word=self.word,
            why=self.why,
            answer=self.answer if whole else None,
        )


class RunningQuestions:
    """The questions asked lately. The same question about the same revision is asked once."""

    def __init__(self) -> None:
        self._jobs: OrderedDict[tuple[str, int, str, date], RunningQuestion] = OrderedDict()
        self._guard = threading.Lock()
        self._workers: ThreadPoolExecutor | None = None  # from the first question on

    def ask(self, plans: Plans, plan_id: str, question: Question) -> RunningQuestion:
        """The job of a question, begun now unless it was asked before."""
        revision, plan = plans.head(plan_id)
        key = (plan_id, revision, question.model_dump_json(), plans.today(plan))
        with self._guard:
            job = self._jobs.get(key)
            if job is None or job.state in ("stopped", "failed"):
                job = self._jobs[key] = RunningQuestion(plan_id, revision)
                self._workers = self._workers or ThreadPoolExecutor(AT_ONCE, "question")
                self._workers.submit(self._work, job, plans, plan, question)
                while len(self._jobs) > MOST_KEPT:
                    self._jobs.popitem(last=False)[1].stop.set()
        return job

    def find(self, job_id: str) -> RunningQuestion:
        """A job by its id."""
        with self._guard:
            for job in self._jobs.values():
                if job.id == job_id:
                    return job
        raise ProblemError(404, "no such thing", "this question is no longer kept: ask it again")

    def close(self) -> None:
        """Stops everything."""
        with self._guard:
            for job in self._jobs.values():
                job.stop.set()
            workers, self._workers = self._workers, None
        if workers:
            workers.shutdown(wait=True, cancel_futures=True)

    def _work(self, job: RunningQuestion, plans: Plans, plan: Plan, question: Question) -> None:
        if job.stop.is_set():
            job.end("stopped")
            return
        job.state = "running"
        try:
            evaluation = plans.evaluation(job.plan_id, job.revision, plan)
            job.answer = answer(plan, evaluation, question, job.tell)
        except Stopped:
            job.end("stopped")
        except NotAskable as error:
            job.end("failed", str(error))
        except Exception:
            job.end("failed", "Kavrel met an error of its own; the plan is unharmed")
            raise
        else:
            job.share = 1.0
            job.end("done")
