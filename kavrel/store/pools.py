"""Pools with their groups and spares, and datasets, in their tables."""

import sqlite3
from collections import defaultdict
from typing import Any

from kavrel.core.plan import Dataset, Plan, Pool
from kavrel.store.rows import flags, read_rows, values, write_rows

POOL = ("id", "name", "host", "family", "filesystem", "ashift", "record_kib", "encrypted")
POOL_DISK = ("disk", "pool", "group_number", "place")
DATASET = tuple(Dataset.model_fields)


def read(db: sqlite3.Connection, plan_id: str) -> dict[str, Any]:
    """The pools part of a plan."""
    groups: dict[str, dict[int, list[str]]] = defaultdict(lambda: defaultdict(list))
    spares: dict[str, list[str]] = defaultdict(list)
    for row in read_rows(db, "pool_disk", POOL_DISK, plan_id, "pool, group_number, place"):
        if row["group_number"] is None:
            spares[row["pool"]].append(row["disk"])
        else:
            groups[row["pool"]][row["group_number"]].append(row["disk"])
    pools = [
        Pool(
            **flags(row, "encrypted"),
            groups=tuple(tuple(g) for _, g in sorted(groups[row["id"]].items())),
            spares=tuple(spares[row["id"]]),
        )
        for row in read_rows(db, "pool", POOL, plan_id, "position")
    ]
    rows = read_rows(db, "dataset", DATASET, plan_id, "position")
    return {
        "pools": tuple(pools),
        "datasets": tuple(
            Dataset(**flags(r, "compressible", "throw_away", "live_database")) for r in rows
        ),
    }


def write(db: sqlite3.Connection, plan_id: str, plan: Plan) -> None:
    """Writes the pools part of a plan."""
    pools = [values(p, POOL, n) for n, p in enumerate(plan.pools)]
    write_rows(db, "pool", (*POOL, "position"), plan_id, pools)
    members: list[tuple[Any, ...]] = []
    for pool in plan.pools:
        for number, group in enumerate(pool.groups):
            members += [(disk, pool.id, number, place) for place, disk in enumerate(group)]
        members += [(disk, pool.id, None, place) for place, disk in enumerate(pool.spares)]
    write_rows(db, "pool_disk", POOL_DISK, plan_id, members)
    datasets = [values(d, DATASET, n) for n, d in enumerate(plan.datasets)]
    write_rows(db, "dataset", (*DATASET, "position"), plan_id, datasets)
