"""Any one disk of the pool dies."""

from dataclasses import replace

from kavrel.core.kinds import jobs_that
from kavrel.core.plan import Dataset, Host, Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.parts import has_tier
from kavrel.core.pools.pool import spare_for
from kavrel.core.pools.stirred import stirred_bytes_per_day
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Step, Strike, on_pool
from kavrel.core.proof.hazards.system_again import system_again
from kavrel.core.quantities import size_words

UNMOVED = "what is on the fast tier alone", "from one run of the mover to the next"
NO_PARITY_YET = "what has no parity yet", "from one day's parity to the next"
PARITY_DAYS = 1.0  # from one parity over files to the next


def on_its_disks(host: Host, pool: Pool) -> bool:
    """Whether a box boots from a disk of a pool, or of its fast tier."""
    return bool(host.boot_disk) and host.boot_disk in (*pool.disks, *pool.tier)


def disks_die(scene: Scene, dataset: Dataset, count: int) -> Strike:
    """So many disks of the pool die, the worst ones for it: that which the box boots from is one of them."""
    struck, host = _die(scene, dataset, count), scene.home(dataset)
    pool = scene.index.pools[dataset.pool]
    if not on_its_disks(host, pool):
        return struck
    label = scene.index.disks[host.boot_disk or ""].label
    repair = struck.repair or tuple(_replaced(scene, pool, count))
    return replace(
        struck,
        state="down" if struck.state == "stands" else struck.state,
        why=f"{struck.why}; where it is {label}, {host.name} does not start until its system is there again",
        repair=(*repair, system_again(scene, host)),
    )


def _die(scene: Scene, dataset: Dataset, count: int) -> Strike:
    pool = scene.index.pools[dataset.pool]
    layout = scene.book.states[pool.id].layout
    event = f"pool {pool.id}"
    if layout.survives_any >= count:
        return _outlived(scene, dataset, count, event)
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


def _outlived(scene: Scene, dataset: Dataset, count: int, event: str) -> Strike:
    """What such deaths take all the same: what has no parity yet, what the mover has not moved."""
    pool = scene.index.pools[dataset.pool]
    layout = scene.book.states[pool.id].layout
    why = f"{layout.title} outlives any {layout.survives_any}; "
    why += f"rebuild takes {layout.rebuild_hours or 0:.0f} h"
    days, of_tier = _unmoved(scene, pool, count)
    if FAMILIES[pool.family].parity_at:
        return _reckoned_back(scene, dataset, count, event, why + of_tier, days)
    if not days:
        return Strike(state="stands", why=why, event=event)
    return Strike(
        state="stands",
        why=why + of_tier,
        event=event,
        unmoved_days=days,
        unmoved_as=UNMOVED,
    )


def _unmoved(scene: Scene, pool: Pool, count: int) -> tuple[float, str]:
    """For how many days what is new may lie on a fast tier that such deaths take, and that in words."""
    tier_outlives = len(pool.tier) - 1 if pool.tier_mirrored else 0
    if not pool.tier or count <= tier_outlives:
        return 0.0, ""
    # The mover runs daily at its hour, unless a job says when.
    movers = jobs_that(scene.index, lambda kind: kind.moves_tier)
    mover = next((j for j in movers if j.pool == pool.id), None)
    at = mover.schedule.at if mover else pool.mover_at
    words = f"; but on the fast tier what is newer than the mover's run at {at} dies"
    if mover:
        return scene.book.step_days(mover), words
    if has_tier(pool):
        return 1.0, words
    return 365.0, f"{words}: and no job moves it, so that all of a year may lie there"


def _reckoned_back(
    scene: Scene, dataset: Dataset, count: int, event: str, why: str, unmoved: float
) -> Strike:
    """Parity over files: the dead disk's are away until they are reckoned back, and not all of them are.

    The parity of a block is reckoned over what every disk had there. What was deleted or changed on another
    disk since is one unknown more: where there are more of them than parity, old files of a dead disk that
    lie at the same places do not come back. Source: snapraid(1), tried on snapraid 12.2.
    """
    pool = scene.index.pools[dataset.pool]
    layout, hour = scene.book.states[pool.id].layout, FAMILIES[pool.family].parity_at
    why += f", and until then the dead disk's files are away; what is newer than the parity of {hour} is lost"
    left, others = layout.survives_any - count, len(pool.groups[0]) - 1
    repair = (
        *_replaced(scene, pool, count),
        Step(_from_parity(pool), layout.rebuild_hours or 0.0, "", "replace"),
    )
    stirred = stirred_bytes_per_day(scene.index, pool)
    if stirred and others > left:
        many = "another disk" if not left else f"{left + 1} other disks"
        return Strike(
            state="gone",
            why=f"{why}; and up to {size_words(stirred)} are deleted or changed from one parity to the next: "
            f"what was so on {many} takes old files of the dead one with it that lie at the same place",
            event=event,
            dies=(f"old files on pool {pool.name} beside what changed",),
            lost_copy=on_pool(pool.id, f"lies on pool {pool.name} itself"),
            repair=repair,
            share_of_data=min(stirred / max(dataset.size_bytes, 1), 1.0),
        )
    return Strike(
        state="down",
        why=why,
        event=event,
        repair=repair,
        unmoved_days=max(PARITY_DAYS, unmoved),
        unmoved_as=UNMOVED if unmoved > PARITY_DAYS else NO_PARITY_YET,
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
