"""Part of the data goes bad on the disks, and nothing says so."""

from kavrel.core.plan import Dataset
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Strike


def _strike(scene: Scene, dataset: Dataset) -> Strike:
    index, known = scene.index, scene.index.assumptions
    pool = index.pools[dataset.pool]
    layout = scene.book.states[pool.id].layout
    summed = pool.filesystem in ("zfs", "btrfs") and dataset.checksums
    scrubbed = next((j for j in index.plan.jobs if j.kind == "scrub" and j.pool == pool.id), None)
    every = scene.book.mean_interval_days(scrubbed) if scrubbed else known["scrub_days"]
    if summed and layout.survives_any:
        return Strike(
            state="stands",
            why=f"checksums find it and {layout.title} mends it, at the latest in the scrub after "
            f"{every:.0f} days",
        )
    days = every if summed else known["corruption_notice_days"]
    why = (
        f"checksums find it in the scrub, up to {days:.0f} days later; there is no second copy in the "
        "pool to mend it from"
        if summed
        else f"nothing finds it until somebody opens the file, {days:.0f} days later"
    )
    return Strike(
        state="spoiled",
        why=why,
        event=f"dataset {dataset.id}",
        dies=(f"some files of {dataset.name}",),
        seen_after_days=days,
        share_of_data=known["corruption_share"],
    )


CORRUPTION = Hazard(
    "corruption",
    "silent corruption",
    "corruption",
    "Sectors or memory spoil data, and nothing says so.",
    _strike,
    ("corruption_notice_days", "corruption_share", "scrub_days"),
)
