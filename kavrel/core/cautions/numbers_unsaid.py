"""Files reach another system by numbers that nobody fixed."""

from collections.abc import Iterator

from kavrel.core.cautions.caution import Finding, Fix, Put, Rule, View
from kavrel.core.copies.carrier import target_host
from kavrel.core.index import Index
from kavrel.core.shares.numbers import give_numbers, unnumbered

SHOWN = 4


def _find(view: View) -> Iterator[Finding]:
    plan = view.index.plan
    without, way = unnumbered(plan), _travelling(view.index)
    if not without or not way or not (plan.shares or plan.exports):
        return
    names = [x.login if hasattr(x, "login") else x.name for x in without]
    more = f" and {len(names) - SHOWN} more" if len(names) > SHOWN else ""
    # Of one account or group, so that a click leads to where a number is said.
    why = (
        f"Files leave their box {way}, and these have no number: {', '.join(names[:SHOWN])}{more}."
    )
    first = next(iter(plan.accounts), without[0])
    yield first.id, f"{len(names)} without a number", why


def _travelling(index: Index) -> str:
    """Over what files of this plan reach another system, in words; empty: they never do."""
    for export in index.plan.exports:
        if export.protocol == "nfs" and export.squash != "all":
            return f"over NFS ({export.name})"
    open_boxes = {h.id for h in index.plan.hosts if not h.closed and not h.personal}
    for job in index.plan.jobs:
        there = target_host(index, job)
        from_here = {index.pools[index.datasets[d].pool].host for d in job.datasets} & open_boxes
        if from_here - {there} and (there or job.target_disk or job.target_bucket):
            return f"in the copies of {job.name}"
    return ""


def _fix(view: View, about: str) -> Fix:
    puts = tuple(
        Put(collection=collection, id=thing.id, item=thing.model_dump(mode="json"))
        for collection, thing in give_numbers(view.index.plan)
    )
    return Fix(label="Give everybody a number", puts=puts)


NUMBERS_UNSAID = Rule(
    "numbers_unsaid",
    "advice",
    "shares",
    "account",
    "Give everybody one number for all boxes; where a box has files already, that which they have there.",
    _find,
    could="On a new or another box a file is of whoever has that number there, or of nobody.",
    fix=_fix,
)
