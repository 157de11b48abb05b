"""What of a plan no stand-in behaves as, in words."""

from collections.abc import Iterator

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.plan import Plan, Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.parts import has_tier


def unlike(plan: Plan) -> Iterator[str]:
    """What of a plan no stand-in behaves as."""
    for pool in plan.pools:
        if pool.standing and (why := no_stand_in(pool)):
            yield f"pool {pool.name}: {why}"


def no_stand_in(pool: Pool) -> str:
    """What of a pool no stand-in behaves as; empty where one does."""
    family = FAMILIES[pool.family]
    if FILESYSTEMS[pool.filesystem].bare:
        return f"no stand-in for {family.title} with {pool.filesystem}"
    if pool.tier and not has_tier(pool):
        return f"no stand-in for a fast tier of {pool.filesystem}"
    return ""
