"""Sites, links, hosts and disks in their tables."""

import sqlite3
from typing import Any

from kavrel.core.plan import Disk, Host, Link, Plan, Site
from kavrel.store.rows import flags, read_rows, values, write_rows

SITE = ("id", "name", "own")
LINK = ("id", "a", "b", "mbit_a_to_b", "mbit_b_to_a", "encrypted")
HOST = tuple(Host.model_fields)
DISK = tuple(Disk.model_fields)
TABLES = (
    ("site", "sites", SITE),
    ("link", "links", LINK),
    ("host", "hosts", HOST),
    ("disk", "disks", DISK),
)


def read(db: sqlite3.Connection, plan_id: str) -> dict[str, Any]:
    """The bench part of a plan."""

    def rows(table: str, columns: tuple[str, ...]) -> list[dict[str, Any]]:
        return read_rows(db, table, columns, plan_id, "position")

    return {
        "sites": tuple(Site(**flags(r, "own")) for r in rows("site", SITE)),
        "links": tuple(Link(**flags(r, "encrypted")) for r in rows("link", LINK)),
        "hosts": tuple(
            Host(**flags(r, "boot_copied", "on_ups", "default_passwords_changed"))
            for r in rows("host", HOST)
        ),
        "disks": tuple(Disk(**flags(r, "own_supply", "holds_data")) for r in rows("disk", DISK)),
    }


def write(db: sqlite3.Connection, plan_id: str, plan: Plan) -> None:
    """Writes the bench part of a plan."""
    for table, collection, columns in TABLES:
        rows = [values(x, columns, n) for n, x in enumerate(getattr(plan, collection))]
        write_rows(db, table, (*columns, "position"), plan_id, rows)
