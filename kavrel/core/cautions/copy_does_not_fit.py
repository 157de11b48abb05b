"""A copy that its store cannot hold, today or before long."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Rule, View
from kavrel.core.copies.space import crowded_quota
from kavrel.core.quantities import YEAR_DAYS, sizes_apart

SOON_DAYS = 2 * YEAR_DAYS


def _find(view: View) -> Iterator[Finding]:
    index, book = view.index, view.book
    for job in index.plan.jobs:
        if quota := crowded_quota(book, index, job):
            need_all, limit = sizes_apart(*quota[1:])
            why = f"With all its points {need_all} go into {quota[0].name}, whose quota is {limit}."
            yield job.id, job.name, why
            continue
        room = book.room_for(job)
        if room is None:
            continue
        need, there = room
        where = book.place(job).name(index)
        size, room_there = sizes_apart(need, there)
        sizes = f"{size}, and {where} has {room_there} for it"
        datasets = [index.datasets[d] for d in job.datasets]
        grows = sum(d.growth_bytes_per_year * book.stored_share(job, d) for d in datasets)
        if need > there:
            yield job.id, job.name, f"It is {sizes}: half a copy is none."
        elif job.target_disk and grows and (there - need) / grows * YEAR_DAYS < SOON_DAYS:
            days = (there - need) / grows * YEAR_DAYS
            yield job.id, job.name, f"It is {sizes}: outgrown in {days:.0f} days."


COPY_DOES_NOT_FIT = Rule(
    "copy_does_not_fit",
    "serious",
    "copies",
    "job",
    "Give it a larger disk or quota, or a second place for part of the datasets.",
    _find,
    could="The copy ends in the middle, and what it lacks is found out when it is needed.",
)
