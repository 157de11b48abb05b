"""Pools with their groups, spares and tiers, datasets, and the shuffle, in their tables."""

import sqlite3
from collections import defaultdict
from itertools import zip_longest
from typing import Any

from kavrel.core.plan import Dataset, Holding, Plan, Pool, Tick
from kavrel.store.rows import flags, read_rows, values, write_rows

ELSEWHERE = ("groups", "spares", "tier", "branch_paths", "branch_uuids")
POOL = tuple(f for f in Pool.model_fields if f not in ELSEWHERE)
POOL_PART = ("pool", "place", "path", "uuid")
POOL_DISK = ("disk", "pool", "group_number", "place", "role")
DATASET = tuple(Dataset.model_fields)
HOLDING = tuple(Holding.model_fields)
TICK = ("id", "step", "made_on", "outcome", "hours", "who", "note")
COLLECTIONS = ("pools", "datasets", "holdings", "ticks")


def read(db: sqlite3.Connection, plan_id: str) -> dict[str, Any]:
    """The pools part of a plan."""
    groups: dict[str, dict[int, list[str]]] = defaultdict(lambda: defaultdict(list))
    beside: dict[tuple[str, str], list[str]] = defaultdict(list)  # spares and tiers
    for row in read_rows(db, "pool_disk", POOL_DISK, plan_id, "pool, group_number, place"):
        if row["group_number"] is None:
            beside[row["pool"], row["role"]].append(row["disk"])
        else:
            groups[row["pool"]][row["group_number"]].append(row["disk"])
    parts: dict[tuple[str, str], list[str]] = defaultdict(list)
    for row in read_rows(db, "pool_part", POOL_PART, plan_id, "pool, place"):
        for fact in ("path", "uuid"):
            if row[fact] is not None:
                parts[row["pool"], fact].append(row[fact])
    pools = [
        Pool(
            **flags(row, "encrypted", "standing", "tier_mirrored", "spare_card", "card_readable"),
            groups=tuple(tuple(g) for _, g in sorted(groups[row["id"]].items())),
            spares=tuple(beside[row["id"], "spare"]),
            tier=tuple(beside[row["id"], "tier"]),
            branch_paths=tuple(parts[row["id"], "path"]),
            branch_uuids=tuple(parts[row["id"], "uuid"]),
        )
        for row in read_rows(db, "pool", POOL, plan_id, "position")
    ]
    rows = read_rows(db, "dataset", DATASET, plan_id, "position")
    return {
        "pools": tuple(pools),
        "datasets": tuple(
            Dataset(
                **flags(r, "compressible", "throw_away", "live_database", "checksums", "encrypted")
            )
            for r in rows
        ),
        "holdings": tuple(
            Holding(**flags(r, "verified"))
            for r in read_rows(db, "holding", HOLDING, plan_id, "position")
        ),
        "ticks": tuple(
            Tick(**{"on": r.pop("made_on"), **r})
            for r in read_rows(db, "tick", TICK, plan_id, "position")
        ),
    }


def write(db: sqlite3.Connection, plan_id: str, plan: Plan) -> None:
    """Writes the pools part of a plan."""
    pools = [values(p, POOL, n) for n, p in enumerate(plan.pools)]
    write_rows(db, "pool", (*POOL, "position"), plan_id, pools)
    members: list[tuple[Any, ...]] = []
    for pool in plan.pools:
        for number, group in enumerate(pool.groups):
            members += [
                (disk, pool.id, number, place, "member") for place, disk in enumerate(group)
            ]
        members += [(disk, pool.id, None, n, "spare") for n, disk in enumerate(pool.spares)]
        members += [(disk, pool.id, None, n, "tier") for n, disk in enumerate(pool.tier)]
    write_rows(db, "pool_disk", POOL_DISK, plan_id, members)
    parts = [
        (pool.id, place, path, uuid)
        for pool in plan.pools
        for place, (path, uuid) in enumerate(zip_longest(pool.branch_paths, pool.branch_uuids))
    ]
    write_rows(db, "pool_part", POOL_PART, plan_id, parts)
    datasets = [values(d, DATASET, n) for n, d in enumerate(plan.datasets)]
    write_rows(db, "dataset", (*DATASET, "position"), plan_id, datasets)
    holdings = [values(h, HOLDING, n) for n, h in enumerate(plan.holdings)]
    write_rows(db, "holding", (*HOLDING, "position"), plan_id, holdings)
    ticks = [
        (t.id, t.step, t.on.isoformat(), t.outcome, t.hours, t.who, t.note, n)
        for n, t in enumerate(plan.ticks)
    ]
    write_rows(db, "tick", (*TICK, "position"), plan_id, ticks)
