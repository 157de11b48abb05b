"""Points of time that exist, beside those that the plan says there should be, job by job.

A copy that nobody could look at is not there, as far as anybody knows: as found it does not count.
"""

from bisect import bisect_left
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime
from typing import Literal
from zoneinfo import ZoneInfo

from pydantic import BaseModel, ConfigDict

from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.carrier import runs_on, target_host
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Job
from kavrel.core.proof.today import NEVER, Standing, standing
from kavrel.core.quantities import DAY, span_words
from kavrel.core.seen.machine import LISTED, Machine
from kavrel.core.shares.names import copy_folders, folders, job_names, zfs_namer
from kavrel.core.working import Working, local, step

Known = Literal["seen", "told", "by hand", "unknown"]
SHOWN = 12
NOT_LISTED = "of older points than its newest nobody has told: a NAME.points script lists them"
MOST_TIMES = 1000  # of the points that are there, the newest
_BY: dict[Known, str] = {
    "seen": "listed where they lie",
    "told": "the newest alone, by its mark or by the box that made it",
    "by hand": "the log says when",
    "unknown": "nobody looked",
}
SLACK = 0.6  # of the gap between two points: a run that came late took the place of its start


_NEAR = f"no point within {SLACK:.0%} of the gap to its nearest planned neighbour"


class FoundPoints(BaseModel):
    """What there is of one job for one dataset, against the plan on the day of the look.

    `how`: the points themselves were `seen`; only the newest was `told`, by its mark or by the box that
    made it; a hand does it, and the log says; or it is `unknown`. `missing` are planned points that are
    not there, `too_many` those that should have been pruned, `pruned_early` of the missing those
    older than the newest that is there. `late_seconds`: by how much the newest is older than it
    ever should be. `times` are those that are there, `first_missing` the newest that are not.
    """

    model_config = ConfigDict(frozen=True)

    job: str
    dataset: str
    how: Known
    host: str | None
    looked_at: datetime | None
    planned: int
    there: int
    newest: datetime | None
    oldest: datetime | None
    late_seconds: float
    missing: int
    pruned_early: int
    too_many: int
    first_missing: tuple[datetime, ...]
    times: tuple[datetime, ...]
    why: str
    working: Working


@dataclass(frozen=True)
class _Evidence:
    how: Known
    host: str | None
    at: float
    times: tuple[float, ...]


class Finder:
    """Looks for the points of jobs on the machines that were seen."""

    def __init__(self, book: CopyBook, machines: Mapping[str, Machine]) -> None:
        self.book, self.index, self.machines = book, book.index, machines
        plan = self.index.plan
        self.names, self.homes, self.copies = job_names(plan), folders(plan), copy_folders(plan)
        self._by_place: dict[str, dict[tuple[str, str], tuple[float, ...]]] = {
            host: {(p.place, p.maker): p.times for p in m.points} for host, m in machines.items()
        }

    def evidence(self, job: Job, dataset: str) -> _Evidence:
        """What is known of the points of a job for one dataset."""
        kind = KINDS[job.kind]
        if kind.by_hand:
            return _Evidence("by hand", None, 0.0, ())
        if kind.snapshots and (job.target_pool or kind.in_place):
            return self._listed(job, dataset)
        return self._told(job)

    def _listed(self, job: Job, dataset: str) -> _Evidence:
        plan, index = self.index.plan, self.index
        pool = index.pools[job.target_pool or index.datasets[dataset].pool]
        machine = self.machines.get(pool.host)
        folder = self.copies.get((job.id, dataset), self.homes[dataset])
        system = FILESYSTEMS[pool.filesystem]
        shown = "zfs points" if system.by_name else "btrfs points"
        if machine is None or shown not in machine.looked_at:
            return _Evidence("unknown", pool.host, 0.0, ())
        place = zfs_namer(plan, pool.host)(folder) if system.by_name else folder
        # What another job brought keeps the name of the job that made it.
        makers = [self.names[job.id]]
        if job.reads_from:
            makers.append(self.names[job.reads_from])
        there = self._by_place[pool.host]
        times = {t for m in makers for t in there.get((place, m), ())}
        return _Evidence("seen", pool.host, machine.at, tuple(sorted(times)))

    def _told(self, job: Job) -> _Evidence:
        """All points where somebody lists them; else the newest: by its mark, or by the last good run."""
        name = self.names[job.id]
        boxes = (target_host(self.index, job), "seen"), (runs_on(self.index, job), "told")
        for host, _ in boxes:
            there = self._by_place.get(host or "", {}).get((LISTED, name))
            if there is not None:
                return _Evidence("seen", host, self.machines[host or ""].at, there)
        for host, how in boxes:
            machine = self.machines.get(host or "")
            if machine is None:
                continue
            places = {p: t for (p, m), t in self._by_place[host or ""].items() if m == name}
            real = sorted({t for place, times in places.items() if place for t in times})
            if real and KINDS[job.kind].keeps_settings:
                return _Evidence("seen", host, machine.at, tuple(real))
            if real:
                return _Evidence("told", host, machine.at, tuple(real[-1:]))
            if how == "told" and (said := places.get("")):
                return _Evidence("told", host, machine.at, said[-1:])
            if how == "told" and "lab-job points" in machine.looked_at:
                return _Evidence("told", host, machine.at, ())
        return _Evidence("unknown", runs_on(self.index, job), 0.0, ())

    # -- against the plan --------------------------------------------------------------------------

    def found(self, job: Job, dataset: str) -> FoundPoints:
        """The points of a job for one dataset against the planned ones."""
        got = self.evidence(job, dataset)
        usual = self.book.ages(job)
        # What was complete at the moment of the look, and not to be pruned yet: what goes later that day
        # is still planned in the morning.
        planned = sorted(p.data_time for p in self.book.points_at(job, got.at)) if got.at else []
        late = max(0.0, got.at - got.times[-1] - usual.worst) if got.times and usual else 0.0
        lost: list[float] = []
        extra = 0
        if got.how == "seen":
            lost = [t for n, t in enumerate(planned) if not _near(t, _gap(planned, n), got.times)]
            extra = sum(1 for t in got.times if planned and t < planned[0] - DAY)
        newest = got.times[-1] if got.times else None
        early = [t for t in lost if newest is not None and t < newest]
        return FoundPoints(
            job=job.id,
            dataset=dataset,
            how=got.how,
            host=got.host,
            looked_at=_utc(got.at) if got.at else None,
            planned=len(planned),
            there=len(got.times),
            newest=_utc(newest) if newest is not None else None,
            oldest=_utc(got.times[0]) if got.times else None,
            late_seconds=late,
            missing=len(lost),
            pruned_early=len(early),
            too_many=extra,
            first_missing=tuple(_utc(t) for t in lost[-SHOWN:]),
            times=tuple(_utc(t) for t in got.times[-MOST_TIMES:]),
            why=self._why(job, got, late),
            working=self._working(job, got, planned, lost, early, extra, late),
        )

    def _working(
        self,
        job: Job,
        got: _Evidence,
        planned: Sequence[float],
        lost: Sequence[float],
        early: Sequence[float],
        extra: int,
        late: float,
    ) -> Working:
        zone, usual = self.index.plan.zone, self.book.ages(job)
        rows = [
            step(
                "planned",
                len(planned),
                "points",
                "by schedule and retention: complete at the look, and not to be pruned yet",
            ),
            step("there", len(got.times), "points", _BY[got.how]),
        ]
        if got.how == "seen":
            rows += [
                step("too many", extra, "points", "over a day older than the oldest planned one"),
                step("missing", len(lost), "points", _NEAR, *_at(lost, zone)),
                step(
                    "of them pruned early",
                    len(early),
                    "points",
                    "older than the newest that is there",
                ),
            ]
        if got.times and usual:
            rows.append(
                step(
                    "late by",
                    late / 3600,
                    "h",
                    "age of the newest at the look - the age that it ever should have, 0 at least",
                    step("its age", (got.at - got.times[-1]) / 3600, "h"),
                    step("its age at worst, by the plan", usual.worst / 3600, "h"),
                )
            )
        at = local(got.at, zone) if got.at else "nobody looked"
        return step(
            f"points of {job.name} that are known",
            len(got.times),
            "points",
            "each planned one beside those that are there",
            step("looked at", at),
            *rows,
        )

    def _why(self, job: Job, got: _Evidence, late: float) -> str:
        box = self.index.hosts[got.host].name if got.host else ""
        if got.how == "unknown":
            return f"nobody looked whether it is there{f': {box} was not seen' if box else ''}"
        if got.how == "by hand":
            return "a hand does it: the log says when"
        if not got.times:
            return (
                f"{box} has no point of it" if got.how == "seen" else f"{box} knows of no good run"
            )
        newest = got.at - got.times[-1]
        if late > 0:
            return f"its newest point was {span_words(newest)} old when {box} was looked at"
        told = "" if got.how == "seen" else f"; {box} says so, and nobody listed the older ones"
        return f"its newest point was {span_words(newest)} old{told}"

    def _day(self, at: float) -> date:
        return datetime.fromtimestamp(at, ZoneInfo(self.index.plan.zone)).date()

    def standings(self) -> dict[str, Standing]:
        """Job to its standing by what was found: what a proof of today's points counts with."""
        result: dict[str, Standing] = {}
        for job in self.index.plan.jobs:
            if not KINDS[job.kind].copies:
                continue
            if KINDS[job.kind].by_hand:
                one = standing(self.book, job)
                if one:
                    result[job.id] = one
                continue
            result[job.id] = self._standing(job)
        return result

    def _standing(self, job: Job) -> Standing:
        rows = [self.found(job, d) for d in job.datasets] or [self.found(job, "")]
        for row in rows:
            if row.how == "unknown" or row.newest is None:
                return Standing(row.why, NEVER)
        worst = max(rows, key=lambda r: r.late_seconds)
        # One moment for all datasets of the job: the least that reaches back.
        oldest = max(r.oldest for r in rows if r.oldest)
        since = self._day(oldest.timestamp())
        # What nobody listed is not there as far as anybody knows.
        told = any(r.how == "told" for r in rows)
        passed = self._since(rows)
        why = worst.why if worst.late_seconds or passed else ""
        late = worst.late_seconds + passed
        return Standing(why or worst.why, self.book.as_of, late, since, NOT_LISTED if told else "")

    def _since(self, rows: list[FoundPoints]) -> float:
        """Whole days that went by since the look: what came meanwhile nobody saw."""
        looked = min(r.looked_at for r in rows if r.looked_at)
        return max(0, (self.book.as_of - self._day(looked.timestamp())).days) * DAY


def _near(moment: float, gap: float, there: tuple[float, ...]) -> bool:
    n = bisect_left(there, moment - gap * SLACK)
    return n < len(there) and there[n] <= moment + gap * SLACK


def _gap(times: list[float], n: int) -> float:
    """Seconds to the nearest planned neighbour; a day where there is none."""
    sides = [
        times[n] - times[n - 1] if n else 0.0,
        times[n + 1] - times[n] if n + 1 < len(times) else 0.0,
    ]
    return min((s for s in sides if s > 0), default=DAY)


def _utc(moment: float) -> datetime:
    return datetime.fromtimestamp(moment, UTC)


def names_of(index: Index) -> dict[str, str]:
    """Name of a job on its host to its id."""
    return {name: job for job, name in job_names(index.plan).items()}


def _at(times: Sequence[float], zone: str) -> Iterator[Working]:
    """The newest of these moments."""
    yield from (step("planned for", local(t, zone)) for t in times[-SHOWN:])
