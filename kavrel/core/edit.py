"""Changes to a plan: each gives a new plan; the old one stays as it was."""

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

from kavrel.core.consistency import Problem, problems
from kavrel.core.copies.anew import to_begin_anew
from kavrel.core.index import Index
from kavrel.core.plan import Plan

# Stems of the ids that Kavrel gives out.
STEMS = {
    "sites": "site",
    "links": "link",
    "hosts": "host",
    "supplies": "supply",
    "offers": "offer",
    "disks": "disk",
    "pools": "pool",
    "datasets": "data",
    "holdings": "holding",
    "ticks": "tick",
    "networks": "network",
    "shares": "share",
    "accounts": "account",
    "groups": "group",
    "grants": "grant",
    "quotas": "quota",
    "exports": "export",
    "apps": "app",
    "mounts": "mount",
    "default_logins": "login",
    "openings": "opening",
    "caps": "cap",
    "buckets": "bucket",
    "jobs": "job",
    "accepted": "risk",
    "log": "log",
}


class EditError(ValueError):
    """A change that would make the plan contradict itself; `problems` names the places."""

    def __init__(self, wrong: Sequence[Problem]) -> None:
        super().__init__("; ".join(p.message for p in wrong))
        self.problems = tuple(wrong)


class StillUsed(ValueError):
    """Something cannot be removed while others refer to it."""


def fresh_id(plan: Plan, collection: str) -> str:
    """An id that no item of the collection has."""
    stem = STEMS[collection]
    taken = {item.id for item in getattr(plan, collection)}
    numbers = [
        int(i.removeprefix(f"{stem}-"))
        for i in taken
        if i.startswith(f"{stem}-") and i.removeprefix(f"{stem}-").isdecimal()
    ]
    return f"{stem}-{max(numbers, default=0) + 1}"


def brought_in(plan: Plan, before: Plan | None) -> list[Problem]:
    """The problems of a plan but those that are tolerated and stood in the plan before."""
    wrong = problems(plan)
    if before is None or not any(p.tolerated for p in wrong):
        return wrong
    old = {(p.collection, p.item, p.field) for p in problems(before) if p.tolerated}
    return [p for p in wrong if not (p.tolerated and (p.collection, p.item, p.field) in old)]


def checked(plan: Plan, before: Plan | None = None) -> Plan:
    """The plan itself; raises EditError where it contradicts itself.

    What is tolerated and stood in the plan `before` does not hold an edit up.
    """
    wrong = brought_in(plan, before)
    if wrong:
        raise EditError(wrong)
    return plan


def find(plan: Plan, collection: str, item_id: str) -> Any:
    """The item, or None."""
    return next((i for i in getattr(plan, collection) if i.id == item_id), None)


def put(plan: Plan, collection: str, item: Any) -> Plan:
    """The plan with the item added, or in the place of the one with its id; raises EditError."""
    items = getattr(plan, collection)
    if find(plan, collection, item.id) is None:
        changed = (*items, item)
    else:
        changed = tuple(item if i.id == item.id else i for i in items)
    if collection == "log":
        _check_log(plan, item)
    return checked(plan.model_copy(update={collection: changed}), plan)


def stands_now(before: Plan, after: Plan) -> tuple[Plan, tuple[str, ...]]:
    """The plan `after` pools were said to stand that it still wanted `before`, and the jobs that this holds up.

    Nobody has seen what is on them: a copy to or from such a pool is still to be made, until a run or a
    person says that it is there.
    """
    wanted = {p.id for p in before.pools if not p.standing}
    made = {p.id: date.min for p in after.pools if p.standing and p.id in wanted}
    names = []
    for job, way, _ in to_begin_anew(Index(after), made) if made else ():
        try:
            after = put(after, "jobs", job.model_copy(update={"first_copy": way}))
        except EditError:  # its kind knows no such way
            continue
        names.append(job.name)
    return after, tuple(names)


def _check_log(plan: Plan, entry: Any) -> None:
    """A new entry is about something that is there; old ones may outlive what they are about."""
    kind = f"{entry.about_kind}s"
    if find(plan, kind, entry.about) is None:
        problem = Problem("log", entry.id, "about", f"there is no {entry.about} among the {kind}")
        raise EditError([problem])


def put_starts(plan: Plan, starts: Mapping[str, str]) -> Plan:
    """The plan with these jobs, by id, starting at these times of day (HH:MM); raises EditError."""
    jobs = tuple(
        j.model_copy(update={"schedule": j.schedule.model_copy(update={"at": starts[j.id]})})
        if j.id in starts
        else j
        for j in plan.jobs
    )
    return checked(plan.model_copy(update={"jobs": jobs}), plan)


def put_settings(plan: Plan, **settings: Any) -> Plan:
    """The plan with its name, variant, currency or zone changed."""
    return checked(plan.model_copy(update=settings), plan)


def remove(plan: Plan, collection: str, item_id: str) -> Plan:
    """The plan without the item; raises StillUsed with who needs it.

    What only makes sense with it goes along: grants with their share, account or group;
    memberships, quotas and sign-ins with the account; mounts with the application; caps with the
    link; signed risks with the dataset.
    """
    item = find(plan, collection, item_id)
    update: dict[str, Any] = {
        collection: tuple(i for i in getattr(plan, collection) if i is not item)
    }
    if collection in ("shares", "accounts", "groups"):
        field = collection[:-1]
        update["grants"] = tuple(g for g in plan.grants if getattr(g, field) != item_id)
    if collection == "accounts":
        update["quotas"] = tuple(q for q in plan.quotas if q.account != item_id)
        update["exports"] = tuple(
            e.model_copy(update={"accounts": tuple(a for a in e.accounts if a != item_id)})
            for e in plan.exports
        )
        update["groups"] = tuple(
            g.model_copy(update={"members": tuple(m for m in g.members if m != item_id)})
            for g in plan.groups
        )
    if collection == "datasets":
        update["accepted"] = tuple(r for r in plan.accepted if r.dataset != item_id)
    if collection == "links":
        update["caps"] = tuple(c for c in plan.caps if c.link != item_id)
    if collection == "apps":
        update["mounts"] = tuple(m for m in plan.mounts if m.app != item_id)
    changed = plan.model_copy(update=update)
    wrong = brought_in(changed, plan)
    if wrong:
        users = sorted({_name(plan, p) for p in wrong})
        raise StillUsed(f"still used by {', '.join(users)}: change that first")
    return changed


def _name(plan: Plan, problem: Problem) -> str:
    item = find(plan, problem.collection, problem.item)
    name = next((getattr(item, f) for f in ("name", "label", "login") if hasattr(item, f)), None)
    return f"{STEMS.get(problem.collection, problem.collection)} {name or problem.item}"
