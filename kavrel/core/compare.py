"""What differs between two plans, thing by thing and field by field."""

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from kavrel.core.plan import COLLECTIONS, Plan


class FieldChange(BaseModel):
    """One field: its value before and after."""

    model_config = ConfigDict(frozen=True)

    field: str
    before: Any
    after: Any


class Change(BaseModel):
    """One thing that was added, removed or changed."""

    model_config = ConfigDict(frozen=True)

    collection: str
    id: str
    name: str
    what: Literal["added", "removed", "changed"]
    fields: tuple[FieldChange, ...] = ()


def display_name(item: Any) -> str:
    """What people call a thing of the plan."""
    for field in ("name", "label", "login"):
        if hasattr(item, field):
            return str(getattr(item, field))
    return str(item.id)


def compare(before: Plan, after: Plan) -> list[Change]:
    """All differences, in the order of the plan's collections."""
    changes: list[Change] = []
    settings = _fields(before, after, ("name", "variant", "currency", "zone"))
    if settings:
        changes.append(
            Change(collection="plan", id="plan", name=after.name, what="changed", fields=settings)
        )
    for collection, model in COLLECTIONS.items():
        old = {i.id: i for i in getattr(before, collection)}
        new = {i.id: i for i in getattr(after, collection)}
        for key in (*old, *(k for k in new if k not in old)):
            item = new.get(key) or old[key]
            common = {"collection": collection, "id": key, "name": display_name(item)}
            if key not in new:
                changes.append(Change(**common, what="removed"))
            elif key not in old:
                changes.append(Change(**common, what="added"))
            elif old[key] != new[key]:
                fields = _fields(old[key], new[key], tuple(model.model_fields))
                changes.append(Change(**common, what="changed", fields=fields))
    return changes


def _fields(before: Any, after: Any, names: tuple[str, ...]) -> tuple[FieldChange, ...]:
    changed = [n for n in names if getattr(before, n) != getattr(after, n)]
    if not changed:
        return ()
    old = before.model_dump(mode="json", include=set(changed))
    new = after.model_dump(mode="json", include=set(changed))
    return tuple(FieldChange(field=n, before=old[n], after=new[n]) for n in changed)
