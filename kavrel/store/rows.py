"""Rows of a plan's table: read in order, and written so that only what changed is touched."""

import sqlite3
from collections.abc import Iterable, Sequence
from datetime import date
from typing import Any

Row = tuple[Any, ...]


def read_rows(
    db: sqlite3.Connection, table: str, columns: Sequence[str], plan_id: str, order: str
) -> list[dict[str, Any]]:
    """All rows of a plan as dictionaries, in an order. Names come from code, never from input."""
    sql = f"SELECT {', '.join(columns)} FROM {table} WHERE plan_id = ? ORDER BY {order}"
    return [dict(zip(columns, row, strict=True)) for row in db.execute(sql, (plan_id,))]


def write_rows(
    db: sqlite3.Connection,
    table: str,
    columns: Sequence[str],
    plan_id: str,
    rows: Iterable[Row],
) -> None:
    """Makes the plan's rows of a table equal to `rows`.

    What changed is deleted before anything is inserted, so that two rows may swap unique values.
    """
    wanted = {tuple(row) for row in rows}
    names = ", ".join(columns)
    have = set(db.execute(f"SELECT {names} FROM {table} WHERE plan_id = ?", (plan_id,)))
    same = " AND ".join(f"{c} IS ?" for c in columns)
    db.executemany(
        f"DELETE FROM {table} WHERE plan_id = ? AND {same}", [(plan_id, *r) for r in have - wanted]
    )
    marks = ", ".join("?" * (len(columns) + 1))
    db.executemany(
        f"INSERT INTO {table} (plan_id, {names}) VALUES ({marks})",
        [(plan_id, *r) for r in wanted - have],
    )


def flags(row: dict[str, Any], *names: str) -> dict[str, Any]:
    """The row with these columns as booleans: SQLite has only 0 and 1."""
    return {**row, **{n: bool(row[n]) for n in names}}


def values(item: Any, fields: Sequence[str], position: int) -> Row:
    """A thing's fields as a row that ends with its position; see `_plain`."""
    return (*(_plain(getattr(item, f)) for f in fields), position)


def _plain(value: Any) -> Any:
    """Booleans become 0 and 1, dates their ISO text."""
    if isinstance(value, bool):
        return int(value)
    return value.isoformat() if isinstance(value, date) else value
