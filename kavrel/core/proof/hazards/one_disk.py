"""Any one disk of the pool dies."""

from kavrel.core.plan import Dataset
from kavrel.core.pools.pool import spare_for
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Step, Strike, on_pool


def disks_die(scene: Scene, dataset: Dataset, count: int) -> Strike:
    """So many disks of the pool die, the worst ones for it."""
    pool = scene.index.pools[dataset.pool]
    layout = scene.book.states[pool.id].layout
    if layout.survives_any >= count:
        return Strike(
            state="stands",
            why=f"{layout.title} outlives any {layout.survives_any}; "
            f"rebuild takes {layout.rebuild_hours or 0:.0f} h",
        )
    known = scene.index.assumptions
    steps = [Step("notice", known["notice_hours"], "notice_hours")]
    spare = spare_for(scene.index, pool)
    # A spare replaces one disk; the second has to be ordered.
    if spare and count == 1:
        steps.append(Step(f"fit spare {spare.label}", known["fit_disk_hours"], "fit_disk_hours"))
    else:
        steps.append(Step("order and fit a disk", known["order_disk_hours"], "order_disk_hours"))
    return Strike(
        state="gone",
        why=f"{layout.title} outlives {layout.survives}: pool {pool.name} is lost",
        dies=(f"pool {pool.name}",),
        lost_copy=on_pool(pool.id, f"lies on pool {pool.name} itself"),
        repair=tuple(steps),
    )


ONE_DISK = Hazard(
    "one_disk", "one disk", "Any one disk of the pool dies.", lambda s, d: disks_die(s, d, 1)
)
