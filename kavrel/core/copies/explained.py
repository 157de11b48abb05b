"""How the figures of a job came about: its points, what they hold, and how old the newest is."""

from collections import Counter
from datetime import date, datetime, time, timedelta
from typing import Literal
from zoneinfo import ZoneInfo

from kavrel.core import schedule
from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.rules import in_words
from kavrel.core.copies.space import gone, held, held_bytes
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Dataset, Job
from kavrel.core.quantities import DAY
from kavrel.core.working import Working, local, step

Figure = Literal["points", "held", "ages"]
SOURCE = "inclusion and exclusion over copy-on-write blocks; the rates are the plan's own"


def explained(book: CopyBook, job: Job, figure: Figure) -> Working:
    """The working of one figure of a job, as of the book's day.

    `points`: how many exist. `held`: bytes that they hold beside the newest state. `ages`: seconds of work
    that the newest one misses at the worst moment. The value is None of a job that keeps no copies.
    """
    if not KINDS[job.kind].copies:
        return step(f"{figure} of {job.name}", None, "", "it keeps no copies")
    how = {"points": points_explained, "held": held_explained}.get(figure)
    return how(book, job, book.as_of) if how else _ages(book, job)


def points_explained(book: CopyBook, job: Job, day: date) -> Working:
    """How many points of a job exist at the end of a day, and which rules keep them."""
    zone = book.index.plan.zone
    ruled = book.ruled_on(job, day)
    by_rule = Counter(name for _, rules in ruled for name, _ in rules)
    ends = [p.data_time for p, _ in ruled]
    parts = [step(f"kept by “{name}”", count, "points") for name, count in by_rule.items()]
    if ends:
        parts += [
            step("the oldest of them", local(ends[0], zone)),
            step("the newest of them", local(ends[-1], zone)),
        ]
    return step(
        f"points of {job.name} at the end of {day}",
        len(ruled),
        "points",
        "those that are complete by then and that some rule keeps; one may be kept by several",
        step("the rules", in_words(job.retention) or "the newest alone"),
        step("runs", _when(book, job)),
        *parts,
        source="common practice, no source: pruned run by run, as the tools do it",
    )


def held_explained(book: CopyBook, job: Job, day: date) -> Working:
    """Bytes that the points of a job hold at the end of a day, dataset by dataset."""
    points = book.points_on(job, day)
    total = held_bytes(book, job, day)
    name = f"held by the points of {job.name} at the end of {day}"
    if KINDS[job.kind].whole_points(job):
        whole = book.first_bytes(job)
        return step(
            name,
            int(total),
            "bytes",
            "each archive is whole: (points - 1) x one of them, the newest being the copy itself",
            step("points", len(points), "points"),
            step("one archive", whole, "bytes", "sizes of the datasets x what is stored of a byte"),
        )
    times = tuple(p.data_time for p in points)
    now = times[-1] if times else 0.0
    if KINDS[job.kind].in_place:
        zone = ZoneInfo(book.index.plan.zone)
        now = datetime.combine(day + timedelta(days=1), time(), zone).timestamp()
    datasets = [book.index.datasets[key] for key in job.datasets]
    live = "what lives now" if KINDS[job.kind].in_place else "the newest state, which is the copy"
    return step(
        name,
        int(total),
        "bytes",
        "the sum over its datasets; of each, what is stored of a byte x the sum over the gaps between points, "
        "and to "
        + live
        + ", of (deleted + rewritten elsewhere) x days + rewritten at the same places, at most a day of that;"
        " a gap holds at most the whole dataset",
        *(_of_dataset(book, job, d, times, now) for d in datasets),
        source=SOURCE,
    )


def _of_dataset(
    book: CopyBook, job: Job, dataset: Dataset, times: tuple[float, ...], now: float
) -> Working:
    share = book.stored_share(job, dataset)
    zone = book.index.plan.zone
    marks = [*times, now]
    widest = max(range(len(times)), key=lambda n: marks[n + 1] - marks[n], default=None)
    parts = [
        step("points", len(times), "points"),
        step("rewritten in place a day", dataset.change_bytes_per_day, "bytes"),
        step("of that the same places again", dataset.repeat_share * 100, "%"),
        step("deleted a day", dataset.deleted_bytes_per_day, "bytes"),
        step("stored of a byte", share * 100, "%", "without what is left out, and compressed"),
    ]
    if widest is not None:
        days = (marks[widest + 1] - marks[widest]) / DAY
        gap = f"the widest gap, from {local(marks[widest], zone)}"
        parts.append(step(gap, days, "days"))
        parts.append(
            step("what the point before it alone holds", int(gone(dataset, days)), "bytes")
        )
    return step(
        dataset.name,
        int(held(dataset, times, now) * share),
        "bytes",
        "as above, of this dataset",
        *parts,
    )


def _ages(book: CopyBook, job: Job) -> Working:
    zone = book.index.plan.zone
    ages, worst = book.ages(job), book.worst_moment(job)
    name = f"work that the newest point of {job.name} misses at the worst moment"
    if ages is None or worst is None or worst.good is None:
        return step(name, None, "s", "no run of it ever completes in the span that is looked at")
    first, last = book.window(job)
    return step(
        name,
        ages.worst,
        "s",
        "just before the next point is complete: that moment less the time that the newest point is of",
        step("the moment", local(worst.at, zone)),
        step("the newest complete point is of", local(worst.good, zone)),
        step("the next one, complete then, is of", local(worst.upcoming.data_time, zone)),
        step("looked at from", local(first, zone)),
        step("until", local(last, zone)),
        step("runs", _when(book, job)),
        book.usual_run(job),
        step("best, just after a point is complete", ages.best, "s"),
        step(
            "mean over the span",
            ages.mean,
            "s",
            "that of the saw teeth, each weighed by its length",
        ),
    )


def _when(book: CopyBook, job: Job) -> str:
    """When runs start, as people say it."""
    if job.after:
        return f"when {book.index.jobs[job.after].name} has ended"
    return schedule.in_words(job.schedule)
