"""Plans and their revisions: each change is one transaction that also writes a revision."""

import sqlite3
import zlib
from collections.abc import Callable
from copy import copy
from dataclasses import dataclass
from datetime import datetime
from secrets import token_hex
from typing import Any

from kavrel.core.edit import find
from kavrel.core.kept import Kept
from kavrel.core.plan import Plan
from kavrel.formats import plan_file
from kavrel.store import bench, copies, log, pools, shares
from kavrel.store.database import Database

AGGREGATES = (bench, pools, shares, copies, log)
CACHED_PLANS = 32


class NoSuchPlan(KeyError):
    """There is no plan of that id."""


class NoSuchRevision(KeyError):
    """The plan has no revision of that number."""


class Conflict(RuntimeError):
    """Somebody changed the same thing since the edit began; `head` is the newest revision."""

    def __init__(self, head: int, summary: str) -> None:
        super().__init__(summary)
        self.head = head
        self.summary = summary


@dataclass(frozen=True)
class PlanRow:
    """A plan's name, where it stands and what is pinned. `made_at` is an ISO instant."""

    id: str
    name: str
    variant: str
    head: int
    pinned: int | None
    summary: str
    made_at: str
    made_by: str
    parent: int | None
    can_undo: bool
    can_redo: bool


@dataclass(frozen=True)
class RevisionRow:
    """A revision: its parent, when it was made, what changed, and by whom (empty: not known)."""

    number: int
    parent: int | None
    made_at: str
    summary: str
    made_by: str


class Plans:
    """All plans of a database."""

    def __init__(self, database: Database, now: Callable[[], datetime]) -> None:
        self._database = database
        self._now = now
        self._cache: Kept[tuple[str, int], Plan] = Kept(CACHED_PLANS)
        self._by = ""

    def by(self, name: str) -> "Plans":
        """The same plans; what is changed through these is marked with who changed it."""
        twin = copy(self)
        twin._by = name
        return twin

    # -- reading -------------------------------------------------------------------------------

    def rows(self) -> list[PlanRow]:
        """All plans, the one changed last first."""
        with self._database.reading() as db:
            plans = [self._row(db, i) for (i,) in db.execute("SELECT id FROM plan").fetchall()]
        return sorted(plans, key=lambda r: r.made_at, reverse=True)

    def row(self, plan_id: str) -> PlanRow:
        """One plan's row; raises NoSuchPlan."""
        with self._database.reading() as db:
            return self._row(db, plan_id)

    def _row(self, db: sqlite3.Connection, plan_id: str) -> PlanRow:
        row = db.execute(
            "SELECT p.id, p.name, p.variant, p.head, p.pinned, r.summary, r.made_at, r.made_by, r.parent,"
            " EXISTS (SELECT 1 FROM revision c WHERE c.plan_id = p.id AND c.parent = p.head)"
            " FROM plan p JOIN revision r ON r.plan_id = p.id AND r.number = p.head"
            " WHERE p.id = ?",
            (plan_id,),
        ).fetchone()
        if row is None:
            raise NoSuchPlan(plan_id)
        key, name, variant, head, pinned, summary, made_at, made_by, parent, newer = row
        return PlanRow(
            id=key,
            name=name,
            variant=variant,
            head=head,
            pinned=pinned,
            summary=summary,
            made_at=made_at,
            made_by=made_by,
            parent=parent,
            can_undo=parent is not None,
            can_redo=bool(newer),
        )

    def head(self, plan_id: str) -> tuple[PlanRow, Plan]:
        """The plan as it stands, from its tables."""
        with self._database.reading() as db:
            row = self._row(db, plan_id)
            return row, self._load(db, row)

    def _load(self, db: sqlite3.Connection, row: PlanRow) -> Plan:
        cached = self._cache.get((row.id, row.head))
        if cached is not None:
            return cached
        currency, zone = db.execute(
            "SELECT currency, zone FROM plan WHERE id = ?", (row.id,)
        ).fetchone()
        parts: dict[str, Any] = {}
        for aggregate in AGGREGATES:
            parts |= aggregate.read(db, row.id)
        plan = Plan(name=row.name, variant=row.variant, currency=currency, zone=zone, **parts)
        return self._remember(row.id, row.head, plan)

    def _remember(self, plan_id: str, number: int, plan: Plan) -> Plan:
        self._cache.put((plan_id, number), plan)
        return plan

    def at(self, plan_id: str, number: int) -> Plan:
        """The plan as it was at a revision; raises NoSuchPlan or NoSuchRevision."""
        with self._database.reading() as db:
            self._row(db, plan_id)
            return self._at(db, plan_id, number)

    def _at(self, db: sqlite3.Connection, plan_id: str, number: int) -> Plan:
        cached = self._cache.get((plan_id, number))
        if cached is not None:
            return cached
        row = db.execute(
            "SELECT content FROM revision WHERE plan_id = ? AND number = ?", (plan_id, number)
        ).fetchone()
        if row is None:
            raise NoSuchRevision(number)
        return self._remember(plan_id, number, plan_file.load(zlib.decompress(row[0])))

    def revisions(self, plan_id: str) -> list[RevisionRow]:
        """All revisions of a plan, the newest first."""
        with self._database.reading() as db:
            self._row(db, plan_id)
            rows = db.execute(
                "SELECT number, parent, made_at, summary, made_by FROM revision WHERE plan_id = ?"
                " ORDER BY number DESC",
                (plan_id,),
            )
            return [RevisionRow(*r) for r in rows]

    # -- changing ------------------------------------------------------------------------------

    def create(self, plan: Plan, summary: str) -> str:
        """Adds a plan and its first revision; gives its id."""
        plan_id = token_hex(6)
        with self._database.transaction() as db:
            db.execute(
                "INSERT INTO plan (id, name, variant, currency, zone, head, created_at)"
                " VALUES (?, ?, ?, ?, ?, 0, ?)",
                (plan_id, plan.name, plan.variant, plan.currency, plan.zone, self._stamp()),
            )
            self._save(db, plan_id, plan, None, summary)
        return plan_id

    def delete(self, plan_id: str) -> None:
        """Removes a plan with all its revisions."""
        with self._database.transaction() as db:
            self._row(db, plan_id)
            # The aggregates' own references are deferred, so the order does not matter.
            db.execute("DELETE FROM plan WHERE id = ?", (plan_id,))

    def change(
        self,
        plan_id: str,
        base: int,
        touched: tuple[str, str] | None,
        make: Callable[[Plan], tuple[Plan, str]],
        key: str | None = None,
    ) -> None:
        """Applies an edit that was begun at revision `base`.

        One that is sent again with the `key` that it was made with has been made already.

        `touched` is the collection and id that the edit replaces or removes. When others changed
        the plan since, the edit goes through as long as that thing is as it was at `base`;
        otherwise, and for edits without `touched`, Conflict is raised and nothing is changed.
        """
        with self._database.transaction() as db:
            row = self._row(db, plan_id)
            if key and self._made(db, plan_id, key):
                return
            plan = self._load(db, row)
            if base != row.head:
                before = self._at(db, plan_id, base)
                if touched is None or find(before, *touched) != find(plan, *touched):
                    raise Conflict(row.head, row.summary)
            changed, summary = make(plan)
            if changed == plan:
                return
            number = self._save(db, plan_id, changed, row.head, summary, key, before=plan)
        # It stands now. What did not change is the very same thing, and known to be so.
        self._remember(plan_id, number, changed)

    @staticmethod
    def _made(db: sqlite3.Connection, plan_id: str, key: str) -> bool:
        rows = db.execute(
            "SELECT 1 FROM revision WHERE plan_id = ? AND edit_key = ?", (plan_id, key)
        )
        return rows.fetchone() is not None

    def move(self, plan_id: str, base: int, direction: str) -> None:
        """Undo goes to the parent revision, redo to the newest child; raises Conflict."""
        with self._database.transaction() as db:
            row = self._row(db, plan_id)
            if base != row.head:
                raise Conflict(row.head, row.summary)
            sql = {
                "undo": "SELECT parent FROM revision WHERE plan_id = ? AND number = ?",
                "redo": "SELECT max(number) FROM revision WHERE plan_id = ? AND parent = ?",
            }[direction]
            (number,) = db.execute(sql, (plan_id, row.head)).fetchone()
            if number is None:
                raise NoSuchRevision(direction)
            plan = self._at(db, plan_id, number)
            self._write(db, plan_id, plan, number, before=self._load(db, row))

    def pin(self, plan_id: str, number: int | None) -> None:
        """Marks a revision to compare with, or none; raises NoSuchRevision."""
        with self._database.transaction() as db:
            self._row(db, plan_id)
            if number is not None:
                self._at(db, plan_id, number)
            db.execute("UPDATE plan SET pinned = ? WHERE id = ?", (number, plan_id))

    def _save(
        self,
        db: sqlite3.Connection,
        plan_id: str,
        plan: Plan,
        parent: int | None,
        summary: str,
        key: str | None = None,
        before: Plan | None = None,
    ) -> int:
        (last,) = db.execute(
            "SELECT coalesce(max(number), 0) FROM revision WHERE plan_id = ?", (plan_id,)
        ).fetchone()
        content = zlib.compress(plan_file.dump(plan).encode())
        db.execute(
            "INSERT INTO revision (plan_id, number, parent, made_at, summary, content, edit_key, made_by)"
            " VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
            (plan_id, last + 1, parent, self._stamp(), summary, content, key, self._by),
        )
        self._write(db, plan_id, plan, last + 1, before)
        return int(last) + 1

    def _write(
        self,
        db: sqlite3.Connection,
        plan_id: str,
        plan: Plan,
        head: int,
        before: Plan | None = None,
    ) -> None:
        """Brings the tables from what they hold, `before`, to the plan."""
        for aggregate in AGGREGATES:
            if before is None or any(
                getattr(before, c) != getattr(plan, c) for c in aggregate.COLLECTIONS
            ):
                aggregate.write(db, plan_id, plan)
        db.execute(
            "UPDATE plan SET name = ?, variant = ?, currency = ?, zone = ?, head = ? WHERE id = ?",
            (plan.name, plan.variant, plan.currency, plan.zone, head, plan_id),
        )

    def _stamp(self) -> str:
        return self._now().isoformat(timespec="milliseconds")
