"""Rows of a plan's table: read in order, and written so that only what changed is touched."""

import sqlite3
from collections import defaultdict
from collections.abc import Iterable, Sequence
from datetime import date
from typing import Any, TypeVar, get_origin

from pydantic import BaseModel

Row = tuple[Any, ...]
Item = TypeVar("Item", bound=BaseModel)
LIST = ("owner", "field", "place", "value")


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


def _split(model: type[BaseModel]) -> tuple[list[str], list[str]]:
    """Fields that are columns, and those that are lists."""
    lists = [n for n, f in model.model_fields.items() if get_origin(f.annotation) is tuple]
    return [n for n in model.model_fields if n not in lists], lists


def read_items(
    db: sqlite3.Connection, table: str, model: type[Item], plan_id: str
) -> tuple[Item, ...]:
    """Things whose columns are named as their fields; lists are in TABLE_list."""
    columns, lists = _split(model)
    truths = [n for n in columns if model.model_fields[n].annotation is bool]
    items: dict[tuple[str, str], list[Any]] = defaultdict(list)
    if lists:
        rows = read_rows(db, f"{table}_list", LIST, plan_id, "owner, field, place")
        for row in rows:
            items[row["owner"], row["field"]].append(row["value"])
    return tuple(
        model(**flags(row, *truths), **{n: tuple(items[row["id"], n]) for n in lists})
        for row in read_rows(db, table, columns, plan_id, "position")
    )


def write_items(
    db: sqlite3.Connection, table: str, model: type[Item], plan_id: str, items: Sequence[Item]
) -> None:
    """Writes what `read_items` reads."""
    columns, lists = _split(model)
    rows = [values(item, columns, n) for n, item in enumerate(items)]
    write_rows(db, table, (*columns, "position"), plan_id, rows)
    if lists:
        entries = [
            (getattr(item, "id"), field, place, value)  # noqa: B009
            for item in items
            for field in lists
            for place, value in enumerate(getattr(item, field))
        ]
        write_rows(db, f"{table}_list", LIST, plan_id, entries)
