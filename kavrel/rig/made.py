"""Pools that the plan still wants, as they are once its setup.sh has made them.

One whose disks hold something is not made here, as nobody should make it there: setup.sh asks first.
"""

from dataclasses import dataclass
from typing import Any

from kavrel.core.index import Index
from kavrel.core.plan import Plan, Pool
from kavrel.core.works.volumes import volumes_of
from kavrel.rig.lab import no_stand_in


@dataclass(frozen=True)
class Made:
    """The plan with its pools made; names of those made, and of each that is not with why."""

    plan: Plan
    pools: tuple[str, ...] = ()
    left: tuple[str, ...] = ()


def as_made(plan: Plan) -> Made:
    """Every wanted pool stands whose disks are in its box and hold nothing that making it would wipe."""
    index = Index(plan)
    standing = {d for p in plan.pools if p.standing for d in (*p.disks, *p.spares, *p.tier)}
    copied_to = {j.target_disk: j.name for j in plan.jobs if j.target_disk}
    pools: list[Pool] = []
    made: list[str] = []
    left: list[str] = []
    for pool in plan.pools:
        if pool.standing:
            pools.append(pool)
            continue
        why = no_stand_in(pool) or _in_the_way(index, pool, standing, copied_to)
        if why:
            left.append(f"{pool.name}: {why}")
            pools.append(pool)
        else:
            made.append(pool.name)
            pools.append(_standing(index, pool))
    return Made(plan.model_copy(update={"pools": tuple(pools)}), tuple(made), tuple(left))


def _in_the_way(index: Index, pool: Pool, standing: set[str], copied_to: dict[str, str]) -> str:
    for key in (*pool.disks, *pool.spares, *pool.tier):
        disk = index.disks[key]
        if disk.host != pool.host:
            return f"disk {disk.label} is not in {index.hosts[pool.host].name}"
        if key in standing:
            return f"disk {disk.label} is part of a pool that stands"
        if key in copied_to:
            return f"disk {disk.label} is what job {copied_to[key]} copies to"
        if held := index.held.get(key):
            what = ", ".join(index.datasets[d].name for d in held)
            return f"disk {disk.label} holds {what}, and making the pool wipes that"
    return ""


def _standing(index: Index, pool: Pool) -> Pool:
    """With the identifiers that setup.sh gives its file systems."""
    changes: dict[str, Any] = {"standing": True}
    uuids = [v.uuid for v in volumes_of(index, pool)]
    if len(uuids) == 1:
        changes["uuid"] = uuids[0]
    elif uuids:
        changes["branch_uuids"] = tuple(uuids)
    return pool.model_copy(update=changes)
