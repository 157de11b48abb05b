"""Pools that the plan still wants, made by the setup.sh of their box on a bare stand-in of it.

One whose disks hold something is not made here, as nobody should make it there: setup.sh asks first.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import date
from types import MappingProxyType
from typing import Any

from kavrel.core.index import Index
from kavrel.core.plan import Plan, Pool
from kavrel.core.works.pools import refusal
from kavrel.core.works.volumes import volumes_of
from kavrel.rig.bare.root import CannotRun
from kavrel.rig.bare.setting_up import SetUp, scripted, set_up, with_serials
from kavrel.rig.unlike import no_stand_in
from kavrel.rig.workspace import workspace


@dataclass(frozen=True)
class Made:
    """The plan with its pools made; names of those made, and of each that is not with why.

    `set_up`: how the setup.sh of each host fared; `not_set_up` says why none was run. `no_serial`: labels
    of disks that have none in the plan, and had one there, for setup.sh takes no disk by its order.
    """

    plan: Plan
    pools: tuple[str, ...] = ()
    left: tuple[str, ...] = ()
    set_up: tuple[SetUp, ...] = ()
    not_set_up: str = ""
    no_serial: tuple[str, ...] = ()


def made_by_scripts(plan: Plan, today: date) -> Made:
    """The plan as the setup.sh of each of its boxes leaves them, run on bare stand-ins.

    Where this machine gives no namespace to run it in, as its works say; `not_set_up` has the reason.
    """
    ahead = as_made(plan)
    named = {p.id for p in plan.pools if not p.standing and p.name in ahead.pools}
    whole, no_serial = with_serials(plan)
    runs: list[SetUp] = []
    try:
        for host in scripted(plan):
            with workspace(programs=True) as folder:
                runs += set_up(whole, host.id, folder, today, named)
    except CannotRun as why:
        return replace(ahead, not_set_up=str(why))
    by_hand = {p.id for p in plan.pools if p.host not in {r.host for r in runs}}
    there = {p for run in runs if not run.anew for p in run.pools} | by_hand
    built = as_made(plan, {p: _said(p, plan, runs) for p in named - there})
    return replace(built, set_up=tuple(runs), no_serial=no_serial)


def _said(pool: str, plan: Plan, runs: list[SetUp]) -> str:
    """Why a script did not make a pool."""
    one = next(p for p in plan.pools if p.id == pool)
    run = next(r for r in runs if r.host == one.host)
    told = next((x for x in run.left if f"pool {one.name} " in x), "") or "; ".join(run.differs)
    return f"its setup.sh did not make it: {told}"


def as_made(plan: Plan, not_made: Mapping[str, str] = MappingProxyType({})) -> Made:
    """Every wanted pool stands whose disks are in its box and hold nothing that making it would wipe.

    `not_made`: ids of those that were tried and are not there, with why.
    """
    index = Index(with_serials(plan)[0])
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
        why = why or not_made.get(pool.id, "")
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
    return refusal(index, pool)


def _standing(index: Index, pool: Pool) -> Pool:
    """With the identifiers that setup.sh gives its file systems."""
    changes: dict[str, Any] = {"standing": True}
    uuids = [v.uuid for v in volumes_of(index, pool)]
    if len(uuids) == 1:
        changes["uuid"] = uuids[0]
    elif uuids:
        changes["branch_uuids"] = tuple(uuids)
    return pool.model_copy(update=changes)
