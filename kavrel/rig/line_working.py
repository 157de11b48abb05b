"""How a compared figure came about, on either side: by the plan's rules, and by what lay in the stand-in."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import date

from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.explained import held_explained
from kavrel.core.copies.rules import in_words
from kavrel.core.plan import Job
from kavrel.core.quantities import DAY, YEAR_DAYS
from kavrel.core.week.fluid import TaskRun
from kavrel.core.working import Working, step
from kavrel.rig.data import Data
from kavrel.rig.lab import Lab

MOST = 16  # steps of one row: the newest of them, and how many more there are
THERE = "counted in the stand-in when its days were over"


def points_predicted(lab: Lab, job: Job, planned: Sequence[float]) -> Working:
    """Points that the plan's own rules have kept, of those made since the stand-in began."""
    return step(
        "points by the plan",
        len(planned),
        "points",
        "those of starts since the stand-in began, complete by now, that a rule still keeps",
        step("the stand-in began", lab.local(lab.began)),
        step("now", lab.local(lab.now)),
        step("the rules", in_words(job.retention) or "the newest alone"),
        *_moments(lab, planned),
    )


def points_there(lab: Lab, times: Sequence[float], how: str = THERE) -> Working:
    """Points that lie there, each with the moment that it is of."""
    return step("points there", len(times), "points", how, *_moments(lab, times))


def held_predicted(lab: Lab, book: CopyBook, job: Job, day: date, reckoned: float) -> Working:
    """Bytes that the points hold by the plan; where the whole is kept each time, as large as data has grown."""
    by_plan = held_explained(book, job, day)
    if by_plan.value == int(reckoned):
        return by_plan
    years = (lab.now - lab.began) / (YEAR_DAYS * DAY)
    return step(
        by_plan.name,
        int(reckoned),
        "bytes",
        "as the plan has it, times what the data has grown by meanwhile in the stand-in",
        by_plan,
        step("grown by", reckoned / float(by_plan.value or 1), "times"),
        step("the stand-in's time", years * YEAR_DAYS, "days"),
    )


def held_there(lab: Lab, copies: Mapping[str, Data]) -> Working:
    """Bytes that points hold in the stand-in, by dataset."""
    parts = [
        step(
            lab.index.datasets[dataset].name,
            data.held(),
            "bytes",
            "the pieces that its points have and the newest state has no longer, each once",
            step("points", len(data.points), "points"),
        )
        for dataset, data in copies.items()
    ]
    total = sum(data.held() for data in copies.values())
    return step("held there", total, "bytes", THERE, *parts)


def length_predicted(
    lab: Lab, book: CopyBook, job: Job, planned: Sequence[TaskRun], mean: float
) -> Working:
    """The mean length of the runs that the plan has, each after its own gap and beside the others."""
    flow = book.flow(job)
    rows = [
        step(
            f"run of {lab.local(run.begin)}, {run.gap_days:.2f} days after the one before",
            run.end - run.begin - flow.looks_every_s,
            "s",
            "",
            step("with everything to itself", run.alone, "s"),
        )
        for run in planned
    ]
    beside = flow.scan_seconds + flow.fixed_seconds
    return step(
        "length of a run by the plan",
        mean,
        "s",
        "the mean of the runs beside the others, less the time in which nothing travels: "
        "the stand-in has bytes and no processor",
        *_newest(rows),
        step("looking at files, and starting up", beside, "s", "left out"),
        book.usual_run(job),
    )


def longest_predicted(book: CopyBook, job: Job, gap: float, most: float) -> Working:
    """What the proof reckons a run to take at most."""
    flow = book.flow(job)
    return step(
        "longest run by the plan",
        most,
        "s",
        "start + slowdown x (look + the longer of reading and sending), as the proof reckons with it",
        step("since the run before, at most", gap, "days"),
        step("slower in the worst night", flow.slowdown, "times", "others share the way"),
        step("with everything to itself", flow.fixed_seconds + flow.work_seconds(gap), "s"),
    )


def length_there(seconds: Sequence[float], skipped: int) -> Working:
    """The mean length of the runs that were."""
    rows = [step(f"run {n + 1}", s, "s") for n, s in enumerate(seconds)]
    first = f"; the first {skipped}, which carries more than usual, is left out" if skipped else ""
    return step(
        "length of a run",
        sum(seconds) / len(seconds),
        "s",
        "the mean, from start to end on the stand-in's clock" + first,
        *_newest(rows),
    )


def longest_there(seconds: Sequence[float]) -> Working:
    """The longest of the runs that were."""
    rows = [step(f"run {n + 1}", s, "s") for n, s in enumerate(seconds)]
    how = "the longest, from start to end on the stand-in's clock"
    return step("longest run", max(seconds), "s", how, *_newest(rows))


def said(name: str, words: Sequence[str], formula: str = "") -> Working:
    """Something that is counted by its words: each of them, or none."""
    left = len(words) - MOST
    more = (step(f"and {left} more", ""),) if left > 0 else ()
    return step(name, len(words), "", formula, *(step(w, "") for w in words[:MOST]), *more)


def _moments(lab: Lab, times: Iterable[float]) -> tuple[Working, ...]:
    return _newest([step("a point of", lab.local(m)) for m in sorted(times)])


def _newest(rows: Sequence[Working]) -> tuple[Working, ...]:
    left = len(rows) - MOST
    more = (step(f"and {left} more, older", ""),) if left > 0 else ()
    return (*rows[-MOST:], *more)
