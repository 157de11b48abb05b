"""Any one disk of the pool dies."""

from kavrel.core.kinds import jobs_that
from kavrel.core.plan import Dataset, Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.parts import has_tier
from kavrel.core.pools.pool import spare_for
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Step, Strike, on_pool


def disks_die(scene: Scene, dataset: Dataset, count: int) -> Strike:
    """So many disks of the pool die, the worst ones for it."""
    pool = scene.index.pools[dataset.pool]
    layout = scene.book.states[pool.id].layout
    event = f"pool {pool.id}"
    if layout.survives_any >= count:
        return _outlived(scene, pool, count, event)
    steps = _replaced(scene, pool, count)
    own = on_pool(pool.id, f"lies on pool {pool.name} itself")
    if layout.remains != "nothing":
        # Disks are formatted one by one: the largest that hold data are the worst to lose.
        data = sorted((d.data_bytes for d in layout.disks), reverse=True)
        share = sum(data[:count]) / max(sum(data), 1)
        return Strike(
            state="gone",
            why=f"{layout.title} outlives {layout.survives}: the files of the dead disks are lost, up to "
            f"{share:.0%} of pool {pool.name}; {layout.remains} stay",
            event=event,
            dies=(f"the dead disks' files on pool {pool.name}",),
            lost_copy=own,
            repair=tuple(steps),
            share_of_data=share,
        )
    return Strike(
        state="gone",
        why=f"{layout.title} outlives {layout.survives}: pool {pool.name} is lost",
        event=event,
        dies=(f"pool {pool.name}",),
        lost_copy=own,
        repair=tuple(steps),
    )


def _outlived(scene: Scene, pool: Pool, count: int, event: str) -> Strike:
    """What such deaths take all the same: what has no parity yet, what the mover has not moved."""
    layout = scene.book.states[pool.id].layout
    why = f"{layout.title} outlives any {layout.survives_any}; "
    why += f"rebuild takes {layout.rebuild_hours or 0:.0f} h"
    hour = FAMILIES[pool.family].parity_at
    if hour:
        return Strike(
            state="down",
            why=f"{why}, and until then the dead disk's files are away; what is newer than the parity "
            f"of {hour} is lost, and files deleted or changed since can spoil others",
            event=event,
            repair=(
                *_replaced(scene, pool, count),
                Step(_from_parity(pool), layout.rebuild_hours or 0.0, "", "replace"),
            ),
            unmoved_days=1.0,
            unmoved_as=("what has no parity yet", "from one day's parity to the next"),
        )
    tier_outlives = len(pool.tier) - 1 if pool.tier_mirrored else 0
    if not pool.tier or count <= tier_outlives:
        return Strike(state="stands", why=why, event=event)
    # The mover runs daily at its hour, unless a job says when.
    movers = jobs_that(scene.index, lambda kind: kind.moves_tier)
    mover = next((j for j in movers if j.pool == pool.id), None)
    days = scene.book.step_days(mover) if mover else 1.0
    at = mover.schedule.at if mover else pool.mover_at
    why += f"; but on the fast tier what is newer than the mover's run at {at} dies"
    if not mover and not has_tier(pool):
        days = 365.0
        why = f"{why}: and no job moves it, so that all of a year may lie there"
    return Strike(
        state="stands",
        why=why,
        event=event,
        unmoved_days=days,
        unmoved_as=("what is on the fast tier alone", "from one run of the mover to the next"),
    )


def _from_parity(pool: Pool) -> str:
    """How what was on a dead disk comes back: onto a new one, mounted in its place."""
    return (
        "have its files reckoned back onto it from the parity, as the restore sheet says under “a disk dies: "
        "pool "
        f"{pool.name}”"
    )


def _replaced(scene: Scene, pool: Pool, count: int) -> list[Step]:
    """Until the dead disks have their successors."""
    steps = [scene.step("notice", "notice_hours", "notice")]
    spare = spare_for(scene.index, pool)
    # A spare replaces one disk; the second has to be ordered.
    if spare and count == 1:
        fitting = scene.index.assumptions["fit_disk_hours"]
        steps.append(Step(f"fit spare {spare.label}", fitting, "fit_disk_hours", "replace"))
    else:
        steps.append(scene.step("order and fit a disk", "order_disk_hours", "replace"))
    return steps


ONE_DISK = Hazard(
    "one_disk",
    "one disk",
    "one disk",
    "Any one disk of the pool dies.",
    lambda s, d: disks_die(s, d, 1),
    lifetimes="disks age and die one by one, by their rates",
    on_sheet="pool",
)
