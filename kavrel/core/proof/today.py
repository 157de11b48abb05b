"""What a copy is worth today: not yet there, failed, overdue, or too young to reach back.

The proof says what holds once everything runs. Until then a copy counts from the day on which its
first run has ended, and what the log says of its runs counts as it is. An automatic run that
nobody logs counts as its schedule has it. Common practice, no source.
"""

from collections.abc import Mapping
from datetime import date, datetime
from typing import NamedTuple
from zoneinfo import ZoneInfo

from pydantic import BaseModel, ConfigDict

from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.first import first_ways
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Job, LogEntry
from kavrel.core.quantities import DAY, later
from kavrel.core.schedule import starts

NEVER = date.max


class Standing(NamedTuple):
    """A copy as of today, where it is not what it will be once all runs.

    `covers_from`: the day from which it counts, today or before when it is there; `date.max` where
    that never comes. `older_seconds`: by how much its newest state is older than usual. `since`:
    nothing in it is from before that day, or as far as `since_why` nobody knows.
    """

    why: str
    covers_from: date
    older_seconds: float = 0.0
    since: date | None = None
    since_why: str = ""

    def there(self, today: date) -> bool:
        """Whether it is a copy already."""
        return self.covers_from <= today


class Cover(BaseModel):
    """From when a dataset has a copy beside the disks it lives on, and by which job.

    `covers_from` None: never. `why` says what is still to come, empty where it is covered.
    """

    model_config = ConfigDict(frozen=True)

    dataset: str
    covered: bool
    covers_from: date | None
    job: str | None
    why: str


class Waiting(BaseModel):
    """A copy that is not today what it will be once all runs, and what about it is not.

    `covers_from`: the day from which it counts; None where nobody knows.
    """

    model_config = ConfigDict(frozen=True)

    job: str
    covers_from: date | None
    why: str


def waiting(by_job: Mapping[str, Standing], today: date) -> tuple[Waiting, ...]:
    """The standings in words."""
    found = []
    for job, one in by_job.items():
        why = one.why or one.since_why or f"nothing in it is from before {one.since}"
        if not one.there(today):
            why = f"not there yet: {one.why}"
        day = None if one.covers_from == NEVER else one.covers_from
        found.append(Waiting(job=job, covers_from=day, why=why))
    return tuple(found)


def standings(book: CopyBook) -> dict[str, Standing]:
    """Job to its standing, for those copies that are not yet what they will be."""
    by_job = {}
    for job in book.index.plan.jobs:
        if KINDS[job.kind].copies:
            one = standing(book, job)
            if one:
                by_job[job.id] = one
    return by_job


def standing(book: CopyBook, job: Job) -> Standing | None:
    """How a copy stands today; None where it is as it will be."""
    index, today = book.index, book.as_of
    worst: Standing | None = None
    made: Job | None = job
    while made:
        one = _own(book, made)
        if one and made is not job and one.why:
            one = one._replace(why=f"it reads {made.name}: {one.why}")
        if one:
            worst = one if worst is None else _worse(worst, one)
        made = index.jobs[made.reads_from] if made.reads_from else None
    plain = worst and worst.there(today) and not worst.older_seconds and not worst.since
    return None if plain else worst


def _worse(a: Standing, b: Standing) -> Standing:
    first, other = (
        (a, b) if (a.covers_from, a.older_seconds) >= (b.covers_from, b.older_seconds) else (b, a)
    )
    days = [s.since for s in (a, b) if s.since]
    return Standing(
        first.why or other.why,
        first.covers_from,
        max(a.older_seconds, b.older_seconds),
        max(days) if days else None,
        first.since_why or other.since_why,
    )


def _own(book: CopyBook, job: Job) -> Standing | None:
    today = book.as_of
    if wanted := _to_be_made(book.index, job):
        return Standing(
            f"pool {wanted} is still to be made: no copy of it or in it is there", NEVER
        )
    runs = _runs(book.index, job)
    good = [e.on for e in runs if e.result == "ok"]
    # A run that went well has copied all that there was: no first copy is waited for any more.
    if job.first_copy != "done" and not KINDS[job.kind].moves_nothing and not good:
        return _first(book, job)
    begins = job.schedule.start
    if begins and begins > today:
        return Standing(f"its first run is on {begins}", later(begins, 1))
    since = begins if begins and begins <= today else None
    if not runs:
        return Standing("", today, 0.0, since) if since else None
    last = runs[-1]
    if last.result == "failed":
        if not good:
            why = f"its run of {last.on} failed, and the log has none that went well"
            return Standing(why, NEVER)
        why = f"its run of {last.on} failed; the newest that went well is of {good[-1]}"
        return Standing(why, good[-1], (today - good[-1]).days * DAY, since)
    late = _overdue(book.index, job, good[-1], today) if good else 0
    if late:
        why = f"{late} days overdue: last done on {good[-1]}"
        return Standing(why, good[-1], late * DAY, since)
    return Standing("", today, 0.0, since) if since else None


def _to_be_made(index: Index, job: Job) -> str:
    """The name of a pool that the plan still wants and that the job reads or writes; empty for none."""
    ends = [index.datasets[d].pool for d in job.datasets]
    if job.target_pool:
        ends.append(job.target_pool)
    return next((p.name for e in ends if not (p := index.pools[e]).standing), "")


def _first(book: CopyBook, job: Job) -> Standing:
    way = next((w for w in first_ways(book, job) if w.way == job.first_copy), None)
    planned = job.first_on or book.as_of
    if way is None or way.ends_on is None:
        return Standing("its first copy never ends the way it is planned", NEVER)
    ends = later(way.ends_on, 1)
    if planned > book.as_of:
        return Standing(f"its first copy is planned for {planned} and ends on {way.ends_on}", ends)
    # Begun by the plan, and nobody has said that it is done: it counts from when it would be.
    ends = max(ends, later(book.as_of, 1))
    return Standing(f"its first copy is not done: it ends on {way.ends_on} at the earliest", ends)


def _runs(index: Index, job: Job) -> list[LogEntry]:
    kinds = ("backup_run", "shelf_copy")
    mine = [e for e in index.plan.log if e.about_kind == "job" and e.about == job.id]
    return sorted((e for e in mine if e.kind in kinds and e.result != "noted"), key=lambda e: e.on)


def _overdue(index: Index, job: Job, last: date, today: date) -> int:
    """Days since a job by hand should have been done again."""
    if not KINDS[job.kind].by_hand:
        return 0
    zone = index.plan.zone
    after = later(last, 1)
    missed = starts(job.schedule, zone, after, max(today, after)) if after <= today else []
    if not missed:
        return 0
    return max((today - datetime.fromtimestamp(missed[0], ZoneInfo(zone)).date()).days, 0)


def covers(book: CopyBook, by_job: Mapping[str, Standing]) -> tuple[Cover, ...]:
    """For every dataset the day from which a copy beside its own disks covers it."""
    result = []
    for dataset in book.index.plan.datasets:
        best: tuple[date, str, str] | None = None
        for copy in book.copies[dataset.id]:
            if (
                copy.place.pool == dataset.pool
                or book.ages(copy.job) is None
                or not book.fits(copy.job)
            ):
                continue
            one = by_job.get(copy.job.id)
            day = one.covers_from if one else book.as_of
            if best is None or day < best[0]:
                best = (day, copy.job.id, one.why if one and day > book.as_of else "")
        if best is None:
            why = "no job copies it to other disks"
            result.append(_cover(dataset.id, None, None, why, book.as_of))
        else:
            day, job, why = best
            result.append(_cover(dataset.id, None if day == NEVER else day, job, why, book.as_of))
    return tuple(result)


def _cover(dataset: str, day: date | None, job: str | None, why: str, today: date) -> Cover:
    covered = day is not None and day <= today
    return Cover(dataset=dataset, covered=covered, covers_from=day, job=job, why=why)
