"""Sites, links, hosts, UPSes, the price list and disks in their tables."""

import sqlite3
from collections import defaultdict
from typing import Any

from kavrel.core.plan import Disk, Host, Link, Offer, Plan, Site, Supply
from kavrel.store.rows import flags, read_rows, values, write_rows

SITE = ("id", "name", "own")
LINK = tuple(Link.model_fields)
HOST = tuple(Host.model_fields)
DISK = tuple(Disk.model_fields)
OFFER = tuple(Offer.model_fields)
SUPPLY = tuple(f for f in Supply.model_fields if f not in ("hosts", "signals"))
SUPPLY_HOST = ("supply", "host", "role", "place")
TABLES = (
    ("site", "sites", SITE),
    ("link", "links", LINK),
    ("host", "hosts", HOST),
    ("supply", "supplies", SUPPLY),
    ("offer", "offers", OFFER),
    ("disk", "disks", DISK),
)
COLLECTIONS = ("sites", "links", "hosts", "supplies", "offers", "disks")


def read(db: sqlite3.Connection, plan_id: str) -> dict[str, Any]:
    """The bench part of a plan."""

    def rows(table: str, columns: tuple[str, ...]) -> list[dict[str, Any]]:
        return read_rows(db, table, columns, plan_id, "position")

    fed: dict[tuple[str, str], list[str]] = defaultdict(list)
    for row in read_rows(db, "supply_host", SUPPLY_HOST, plan_id, "supply, role, place"):
        fed[row["supply"], row["role"]].append(row["host"])
    return {
        "sites": tuple(Site(**flags(r, "own")) for r in rows("site", SITE)),
        "links": tuple(Link(**flags(r, "encrypted", "relayed")) for r in rows("link", LINK)),
        "hosts": tuple(
            Host(**flags(r, "boot_copied", "on_ups", "default_passwords_changed"))
            for r in rows("host", HOST)
        ),
        "supplies": tuple(
            Supply(**r, hosts=tuple(fed[r["id"], "hosts"]), signals=tuple(fed[r["id"], "signals"]))
            for r in rows("supply", SUPPLY)
        ),
        "offers": tuple(Offer(**r) for r in rows("offer", OFFER)),
        "disks": tuple(Disk(**flags(r, "own_supply", "holds_data")) for r in rows("disk", DISK)),
    }


def write(db: sqlite3.Connection, plan_id: str, plan: Plan) -> None:
    """Writes the bench part of a plan."""
    for table, collection, columns in TABLES:
        rows = [values(x, columns, n) for n, x in enumerate(getattr(plan, collection))]
        write_rows(db, table, (*columns, "position"), plan_id, rows)
    fed = [
        (supply.id, host, role, place)
        for supply in plan.supplies
        for role in ("hosts", "signals")
        for place, host in enumerate(getattr(supply, role))
    ]
    write_rows(db, "supply_host", SUPPLY_HOST, plan_id, fed)
