"""The log and the plan's own assumptions in their tables."""

import sqlite3
from typing import Any

from kavrel.core.plan import AssumptionValue, LogEntry, Plan
from kavrel.store.rows import read_rows, write_rows

ENTRY = ("id", "made_on", "kind", "about_kind", "about", "result", "who", "minutes", "note")
ASSUMPTION = ("id", "value", "note")
COLLECTIONS = ("log", "assumptions")


def read(db: sqlite3.Connection, plan_id: str) -> dict[str, Any]:
    """The log part of a plan, and its assumptions."""
    entries = read_rows(db, "log_entry", ENTRY, plan_id, "position")
    held = read_rows(db, "assumption", ASSUMPTION, plan_id, "position")
    return {
        "log": tuple(LogEntry(**{"on": r.pop("made_on"), **r}) for r in entries),
        "assumptions": tuple(AssumptionValue(**r) for r in held),
    }


def write(db: sqlite3.Connection, plan_id: str, plan: Plan) -> None:
    """Writes the log part of a plan, and its assumptions."""
    entries = [
        (
            e.id,
            e.on.isoformat(),
            e.kind,
            e.about_kind,
            e.about,
            e.result,
            e.who,
            e.minutes,
            e.note,
            n,
        )
        for n, e in enumerate(plan.log)
    ]
    write_rows(db, "log_entry", (*ENTRY, "position"), plan_id, entries)
    held = [(a.id, float(a.value), a.note, n) for n, a in enumerate(plan.assumptions)]
    write_rows(db, "assumption", (*ASSUMPTION, "position"), plan_id, held)
