"""Three copies, two boxes, one elsewhere; and one that the source cannot delete, and none untested.

A copy is counted once for the disks it lies on: a second one on the same pool, or points on the
dataset's own pool, go with those disks. Source: the 3-2-1 rule, common practice, no source.
"""

from datetime import date

from pydantic import BaseModel, ConfigDict

from kavrel.core.copies.book import Copy, CopyBook
from kavrel.core.copies.locks import lock_holds
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.log.tried import last_tried
from kavrel.core.working import Working, step


class Rung(BaseModel):
    """One copy of a dataset, or the dataset itself, and what it counts for.

    `counts` is None, or why it is no copy of its own. `undeletable`: why the source cannot delete
    it, or None. `tested_on`: the last day on which something came back from it.
    """

    model_config = ConfigDict(frozen=True)

    job: str | None
    place: str
    box: str
    site: str | None
    versions: bool
    not_counted: str | None
    undeletable: str | None
    tested_on: date | None
    overdue: bool


class Ladder(BaseModel):
    """How far up a dataset stands: copies, boxes, elsewhere, undeletable, untested.

    `needed`: whether its worth asks for copies at all.
    """

    model_config = ConfigDict(frozen=True)

    dataset: str
    rungs: tuple[Rung, ...]
    copies: int
    boxes: int
    elsewhere: int
    undeletable: int
    untested: int
    needed: bool
    lacks: tuple[str, ...]


def ladder(book: CopyBook, dataset_id: str) -> Ladder:
    """The copies of a dataset, counted."""
    index = book.index
    dataset = index.datasets[dataset_id]
    pool = index.pools[dataset.pool]
    home = index.site_of_pool(pool.id)
    own = Rung(
        job=None,
        place=pool.name,
        box=index.hosts[pool.host].name,
        site=home,
        versions=False,
        not_counted=None,
        undeletable=None,
        tested_on=None,
        overdue=False,
    )
    rungs = [own]
    taken: dict[object, str] = {("pool", pool.id): dataset.name}
    for copy in book.copies[dataset_id]:
        rungs.append(_rung(book, copy, taken))
    counted = [r for r in rungs if r.not_counted is None]
    copies = [r for r in counted if r.job is not None]
    boxes = len({r.box for r in counted})
    elsewhere = sum(1 for r in copies if r.site not in (home, None))
    undeletable = sum(1 for r in copies if r.undeletable)
    untested = sum(1 for r in copies if r.tested_on is None or r.overdue)
    lacks = []
    needed = book.index.lost_for_good(dataset)
    if needed:
        if len(counted) < 3:
            lacks.append(f"{3 - len(counted)} more to be three")
        if boxes < 2:
            lacks.append("another box")
        if not elsewhere:
            lacks.append("one elsewhere")
        if not undeletable:
            lacks.append("one that the source cannot delete")
        if copies and untested == len(copies):
            lacks.append("a restore tried lately")
    return Ladder(
        dataset=dataset_id,
        rungs=tuple(rungs),
        copies=len(counted),
        boxes=boxes,
        elsewhere=elsewhere,
        undeletable=undeletable,
        untested=untested,
        needed=needed,
        lacks=tuple(lacks),
    )


def ladder_working(index: Index, steps: Ladder) -> Working:
    """How the counts of a dataset came about, copy by copy."""
    names = {j.id: j.name for j in index.plan.jobs}

    def said(rung: Rung) -> Working:
        if rung.job is None:
            return step("the data itself", f"on {rung.place} in {rung.box}", "", "counts")
        tried = f"tried on {rung.tested_on}" if rung.tested_on else "never tried"
        marks = (
            rung.not_counted or "counts",
            rung.undeletable or "the source can delete it",
            f"{tried}, too long ago" if rung.overdue else tried,
        )
        return step(names[rung.job], f"on {rung.place} in {rung.box}", "", "; ".join(marks))

    return step(
        f"how {index.datasets[steps.dataset].name} is kept",
        steps.copies,
        "copies that count",
        "the data and every copy on disks that no other copy lies on",
        *(said(r) for r in steps.rungs),
        step("boxes, buckets and shelf disks among them", steps.boxes, "", "two are wanted"),
        step("at another site", steps.elsewhere, "", "one is wanted"),
        step("that the source cannot delete", steps.undeletable, "", "one is wanted"),
        step("untried, or tried too long ago", steps.untested, "", "none is wanted"),
        index.assumptions.step("restore_test_days"),
        source="the 3-2-1 rule, common practice, no source",
    )


def _rung(book: CopyBook, copy: Copy, taken: dict[object, str]) -> Rung:
    index, job, place = book.index, copy.job, copy.place
    disks: object = (
        ("pool", place.pool) if place.pool else ("disk", place.disk or place.bucket or "")
    )
    same = taken.get(disks)
    taken.setdefault(disks, job.name)
    never = book.newest_age(job) is None
    not_counted = f"on the same disks as {same}" if same else None
    if never:
        not_counted = "no run of it ever completes"
    host = place.host(index)
    bucket = index.buckets.get(place.bucket or "")
    if bucket:
        box = f"bucket {bucket.name}"
    elif host:
        box = index.hosts[host].name
    else:
        box = f"shelf disk {index.disks[place.disk].label}" if place.disk else "nowhere"
    why = {"target": "the far box pulls it", "hand": "only a hand gets at it"}.get(job.credentials)
    if bucket and lock_holds(book, job, 0.0):
        why = f"locked for {bucket.locked_days} days"
    if KINDS[job.kind].in_place:
        why = None
    tested = last_tried(index, job, copy.dataset.id)
    every = index.assumptions["restore_test_days"]
    return Rung(
        job=job.id,
        place=place.name(index),
        box=box,
        site=place.site(index),
        versions=KINDS[job.kind].versions,
        not_counted=not_counted,
        undeletable=why,
        tested_on=tested,
        overdue=tested is not None and (book.as_of - tested).days > every,
    )
