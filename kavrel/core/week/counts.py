"""What goes wrong in five weeks of runs: overlaps, windows left, read too early, started late."""

from collections.abc import Sequence
from datetime import date, timedelta
from zoneinfo import ZoneInfo

from pydantic import BaseModel, ConfigDict

from kavrel.core.copies.book import CopyBook
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Plan
from kavrel.core.pools.pool import pool_states
from kavrel.core.week.nights import MONTH_DAYS, scheduled_book
from kavrel.core.week.tasks import prepared, simulated
from kavrel.core.week.verdict import Meeting, meetings, outside, too_early
from kavrel.core.week.week import resource_name
from kavrel.core.working import Working, local, step

# So many cases of a kind are named in the working.
MOST_SHOWN = 8


class Counts(BaseModel):
    """What goes wrong in five weeks, and the mean age of the newest points over all copies.

    Runs that overlap, leave their window, start before what they read is there, or start late.
    """

    model_config = ConfigDict(frozen=True)

    overlaps: int
    out_of_window: int
    too_early: int
    late: int
    mean_age_hours: float
    working: Working


def counts(plan: Plan, today: date) -> Counts:
    """What goes wrong in the five weeks from a day."""
    index = Index(plan)
    book = scheduled_book(index, pool_states(index), today)
    zone = ZoneInfo(plan.zone)
    last = today + timedelta(days=MONTH_DAYS - 1)
    runs = simulated(book, today, last)
    tasks = {t.id: t for t in prepared(book, today, last)[0].tasks}
    out, early, late = [], [], []
    for run in runs:
        job = index.jobs[run.task]
        begins = local(run.begin, plan.zone)
        reason = outside(job, run.begin, run.end, zone)
        if reason:
            out.append(step(job.name, begins, "", reason))
        if run.late:
            why = "due " + local(run.due, plan.zone) + ", its last run had not ended"
            late.append(step(job.name, begins, "", why))
        for due in run.left_out:
            why = f"left out: its run of {begins} had not ended"
            late.append(step(job.name, local(due, plan.zone), "", why))
    for run, source in too_early(runs, index.jobs):
        begins = local(run.begin, plan.zone)
        why = f"{source.name} is still at work"
        early.append(step(index.jobs[run.task].name, begins, "", why))
    met = _meetings(book, meetings(runs, tasks))
    ages = [(j, a) for j in plan.jobs if KINDS[j.kind].copies and (a := book.ages(j))]
    mean = sum(a.mean for _, a in ages) / len(ages) / 3600 if ages else 0.0
    return Counts(
        overlaps=len(met),
        out_of_window=len(out),
        too_early=len(early),
        late=len(late),
        mean_age_hours=mean,
        working=step(
            "what goes wrong",
            len(met) + len(out) + len(early) + len(late),
            "cases",
            f"runs simulated from {today} to {last}",
            _listed("overlaps", met, "two runs on the same disks, LAN or link for over a minute"),
            _listed("outside their window", out, "begins or ends outside the job's own window"),
            _listed("read too early", early, "begins while what it reads is being written"),
            _listed("start late or not at all", late, "due while the job's last run had not ended"),
            step(
                "copies are old, on average",
                mean,
                "h",
                "mean over the copies of each one's newest point's mean age in a year",
                *(step(j.name, a.mean / 3600, "h") for j, a in ages),
            ),
        ),
    )


def _meetings(book: CopyBook, met: Sequence[Meeting]) -> list[Working]:
    """Pairs of runs that are on one resource at once, in order of time."""
    names, zone = book.index.jobs, book.index.plan.zone
    return [
        step(
            f"{names[m.first.task].name} and {names[m.second.task].name}",
            local(m.second.begin, zone),
            "",
            f"share {resource_name(book, m.resource)}",
        )
        for m in met
    ]


def _listed(name: str, cases: Sequence[Working], formula: str) -> Working:
    """How many cases, and the first of them."""
    more = len(cases) - MOST_SHOWN
    rest = (step("more of them, not shown", more),) if more > 0 else ()
    return step(name, len(cases), "", formula, *cases[:MOST_SHOWN], *rest)
