"""What is offered to a plan of what was seen: each thing whole, what it needs, what of it is guessed."""

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, ValidationError

from kavrel.core.edit import STEMS, brought_in, checked, find, fresh_id
from kavrel.core.index import Index
from kavrel.core.plan import COLLECTIONS, Host, Plan
from kavrel.core.seen.known import Known, host_of
from kavrel.core.seen.machine import Machine


class Taken(BaseModel):
    """A thing that the plan could take over: complete, with the id that it would get.

    `needs` are keys of others without which it cannot be taken; `guess` says what of it nobody printed.
    """

    model_config = ConfigDict(frozen=True)

    key: str
    collection: str
    what: Literal["new", "changed", "same"]
    name: str
    item: dict[str, Any]
    why: str = ""
    guess: str = ""
    needs: tuple[str, ...] = ()


class Takes(BaseModel):
    """All that could be taken over, and what could not, with the reason."""

    model_config = ConfigDict(frozen=True)

    host: str | None
    things: tuple[Taken, ...]
    not_taken: tuple[str, ...]

    def into(self, plan: Plan) -> Plan:
        """The plan with all of it."""
        before = plan
        for thing in self.things:
            item = COLLECTIONS[thing.collection].model_validate(thing.item)
            plan = _with(plan, thing.collection, item)
        return checked(plan, before)


class Offer:
    """Things of a machine, offered one after the other, with a plan that grows by each."""

    def __init__(self, plan: Plan, machine: Machine, host: str | None = None) -> None:
        self.plan, self.machine, self.before = plan, machine, plan
        known = Index(plan).hosts.get(host) if host else host_of(Index(plan), machine)
        self.host: Host | None = known
        self._known: tuple[Plan, Known] | None = None
        self.things: list[Taken] = []
        self.not_taken: list[str] = []
        self.ids: dict[str, str] = {}  # device to disk id
        self.keys: dict[tuple[str, str], str] = {}
        self.copies: dict[str, tuple[str, str]] = {}  # folder here to what it is a copy of, by what

    @property
    def known(self) -> Known:
        """What of the machine the plan knows, as it stands now."""
        made = self._known
        if made is None or made[0] is not self.plan:
            host = self.host.id if self.host else None
            made = self._known = (self.plan, Known(Index(self.plan), self.machine, host))
        return made[1]

    # -- one thing ---------------------------------------------------------------------------------

    def take(
        self,
        collection: str,
        name: str,
        item: dict[str, Any],
        *,
        why: str = "",
        guess: str = "",
        needs: tuple[str, ...] = (),
        item_id: str | None = None,
    ) -> str | None:
        """Its id, once the plan with it holds together; None where it does not, with the reason kept."""
        key = item_id or fresh_id(self.plan, collection)
        old = find(self.plan, collection, key)
        try:
            thing = COLLECTIONS[collection].model_validate({**item, "id": key})
        except ValidationError as e:
            said = "; ".join(f"{'.'.join(map(str, p['loc']))}: {p['msg']}" for p in e.errors()[:3])
            self.not_taken.append(f"{name}: {said}")
            return None
        if old != thing:
            self.plan = _with(self.plan, collection, thing)
        what: Literal["new", "changed", "same"] = (
            "new" if old is None else "same" if old == thing else "changed"
        )
        mark = f"{collection}/{key}"
        self.things.append(
            Taken(
                key=mark,
                collection=collection,
                what=what,
                name=name,
                item=thing.model_dump(mode="json"),
                why=why,
                guess=guess,
                needs=tuple(
                    n for n in needs if any(t.key == n and t.what == "new" for t in self.things)
                ),
            )
        )
        return key

    def settle(self) -> None:
        """Leaves out what would make the plan contradict itself, with all that stands on it.

        Looked at once for everything: a plan of two hundred disks is not gone through for each of them.
        """
        while any(t.what != "same" for t in self.things):
            wrong = brought_in(self.plan, self.before)
            if not wrong:
                return
            said = {f"{p.collection}/{p.item}": p.message for p in wrong}
            bad = {t.key for t in self.things if t.key in said and t.what != "same"}
            if not bad:
                # Something else of the plan is what no longer fits: the last that touched it goes.
                bad = {next(t.key for t in reversed(self.things) if t.what != "same")}
            for thing in self.things:
                if thing.key in bad:
                    why = said.get(thing.key) or next(iter(said.values()))
                    self.not_taken.append(f"{thing.name}: {why}")
                elif bad & set(thing.needs):
                    bad.add(thing.key)
                    self.not_taken.append(f"{thing.name}: what it stands on was not taken")
            self.things = [t for t in self.things if t.key not in bad]
            self.plan = self.before
            for thing in self.things:
                if thing.what != "same":
                    item = COLLECTIONS[thing.collection].model_validate(thing.item)
                    self.plan = _with(self.plan, thing.collection, item)

    def takes(self) -> Takes:
        """What there is so far."""
        return Takes(
            host=self.host.id if self.host else None,
            things=tuple(self.things),
            not_taken=tuple(self.not_taken),
        )

    def _free_name(self, collection: str, name: str) -> str:
        taken = {x.name.casefold() for x in getattr(self.plan, collection)}
        wanted = (name or STEMS[collection])[:70]
        if wanted.casefold() not in taken:
            return wanted
        if self.host and f"{wanted} of {self.host.name}".casefold() not in taken:
            return f"{wanted} of {self.host.name}"[:80]
        return next(n for i in range(2, 10_000) if (n := f"{wanted} {i}").casefold() not in taken)


def _with(plan: Plan, collection: str, item: Any) -> Plan:
    """The plan with a thing added, or in the place of the one with its id; nothing is looked at."""
    items = getattr(plan, collection)
    if find(plan, collection, item.id) is None:
        return plan.model_copy(update={collection: (*items, item)})
    changed = tuple(item if i.id == item.id else i for i in items)
    return plan.model_copy(update={collection: changed})
