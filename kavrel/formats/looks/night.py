"""What the script of the night was told on a box, held against what the plan tells it.

A bundle that was never put into its place leaves last year's jobs running: another pool, a dataset that
nobody copies, points that go too early. The file is /etc/lab-jobs.json, see `formats.lab_jobs`.
"""

import json
from collections.abc import Iterator, Sequence
from typing import Any, Literal

from pydantic import ValidationError

from kavrel.core.copies import rules
from kavrel.core.index import Index
from kavrel.core.plan import Retention, Schedule
from kavrel.core.schedule import in_words
from kavrel.core.seen.drifted import Drifted
from kavrel.core.seen.offer import Taken
from kavrel.core.seen.timers import FROM_BUNDLE
from kavrel.core.seen.told import FILE, jobs_in
from kavrel.core.shares.names import job_names
from kavrel.core.works.chores import chore_works
from kavrel.formats.hostside.lab_look import blanked
from kavrel.formats.lab_jobs import lab_jobs

KIND = FILE
PUT = f"cp lab-jobs.json /etc/{FROM_BUNDLE}"
MOST = 160  # characters of a value that are shown
# Fields of a job in the file, in words, with whether data are less safe where the box has less of it.
FIELDS = {
    "kind": ("kind", False),
    "schedule": ("starts", False),
    "retention": ("keeps", False),
    "sets": ("takes points of", True),
    "pairs": ("copies", True),
    "paths": ("copies", True),
    "left_out": ("leaves out", False),
    "encrypted": ("encrypts", True),
    "mounted": ("waits for", True),
    "bins": ("empties", False),
    "cans": ("empties", False),
    "serials": ("tests disks", False),
    "pool": ("pool", False),
    "peer": ("other end", False),
    "folder": ("lands in", False),
    "limit_kib_per_s": ("limit", False),
}
# Those that the plan has as they stand there.
MADE: dict[str, type[Retention | Schedule]] = {"retention": Retention, "schedule": Schedule}
# Words, and nothing that the script does; and whether a pool was yet to be made when the file was written:
# a box that has it by now knows better.
TITLES = frozenset({"title", "wanted"})


def held(index: Index, host: str, text: str, said: Sequence[Drifted]) -> tuple[list[Drifted], int]:
    """Differences of a box's file, and how many jobs agree; times that differ are not said twice."""
    told, wanted = jobs_in(text), jobs_in(blanked(lab_jobs(index.plan, host, "")))
    if told is None or wanted is None:
        none = "it is no such file"
        return [_row(host, "hosts", host, KIND, "file", "what the plan tells it", none)], 0
    starts = frozenset(d.about for d in said if d.field in ("start", "starts"))
    agreed = sum(_bare(told.get(name)) == _bare(job) for name, job in wanted.items())
    return list(_Jobs(index, host, starts).rows(wanted, told)), agreed


def _bare(job: dict[str, Any] | None) -> dict[str, Any] | None:
    return job and {field: value for field, value in job.items() if field not in TITLES}


class _Jobs:
    def __init__(self, index: Index, host: str, starts: frozenset[str]) -> None:
        self.host, self.starts, self.index = host, starts, index
        names = job_names(index.plan)
        self.known = {names[j.id]: ("jobs", j.id, j.name) for j in index.plan.jobs}
        for work in chore_works(index, host):
            self.known[work.name] = (*work.makes[0], work.title)

    def rows(
        self, wanted: dict[str, dict[str, Any]], told: dict[str, dict[str, Any]]
    ) -> Iterator[Drifted]:
        for name, job in wanted.items():
            if name in told:
                yield from self._one(name, job, told[name])
            else:
                collection, about, said = self.known[name]
                never = "the script on the box was never told of it"
                yield _row(
                    self.host, collection, about, said, "job", "told", never, "missing", True
                )

    def _one(self, name: str, job: dict[str, Any], told: dict[str, Any]) -> Iterator[Drifted]:
        collection, about, said = self.known[name]
        silent = {*TITLES, "schedule"} if about in self.starts else TITLES
        for field in dict.fromkeys((*job, *told)):
            planned, there = job.get(field), told.get(field)
            if planned == there or field in silent:
                continue
            words, less = FIELDS.get(field, (field.replace("_", " "), False))
            pair = (_said(field, planned), _said(field, there))
            if pair[0] == pair[1]:  # the words leave out what differs
                pair = (_plain(planned), _plain(there))
            urgent = less and not _holds(there, planned)
            row = _row(self.host, collection, about, said, words, *pair, "different", urgent)
            yield row.model_copy(update={"change": self._taken(about, field, there)})

    def _taken(self, about: str, field: str, there: Any) -> Taken | None:
        """The job with what the box has there, where the plan has a field of it."""
        job, made = self.index.jobs.get(about), MADE.get(field)
        if job is None or made is None:
            return None
        try:
            value = made.model_validate(there, strict=False)
        except ValidationError:
            return None
        item = job.model_copy(update={field: value}).model_dump(mode="json")
        why = "as the script of the box was told"
        return Taken(
            key=f"jobs/{about}",
            collection="jobs",
            what="changed",
            name=job.name,
            item=item,
            why=why,
        )


def _holds(there: Any, planned: Any) -> bool:
    """Whether all that is planned is there too."""
    if isinstance(planned, list) and isinstance(there, list):
        return all(one in there for one in planned)
    return bool(there) or not planned


def _said(field: str, value: Any) -> str:
    """A value of the file in words. What a box has there may be anything."""
    if value is None:
        return "nothing"
    try:
        if field == "retention":
            return rules.in_words(Retention.model_validate(value))
        if field == "schedule":
            return in_words(Schedule.model_validate(value, strict=False))
    except (ValidationError, ValueError, TypeError, KeyError, IndexError):
        return _plain(value)
    if isinstance(value, list):
        return _short(", ".join(_one(v) for v in value) or "nothing")
    return _one(value)


def _one(value: Any) -> str:
    if isinstance(value, list):
        return " to ".join(map(str, value))
    if isinstance(value, dict):
        return str(value.get("at") or _plain(value))
    return _short(str(value)) if isinstance(value, str) else _plain(value)


def _plain(value: Any) -> str:
    return _short(json.dumps(value, ensure_ascii=False))


def _short(text: str) -> str:
    return text if len(text) <= MOST else f"{text[:MOST]} and more"


def _row(
    host: str,
    collection: str,
    about: str,
    name: str,
    field: str,
    planned: str,
    seen: str,
    verdict: Literal["missing", "different"] = "different",
    urgent: bool = False,
) -> Drifted:
    return Drifted(
        host=host,
        verdict=verdict,
        collection=collection,
        about=about,
        name=name,
        field=field,
        planned=planned,
        seen=seen,
        urgent=urgent,
        command=PUT,
    )
