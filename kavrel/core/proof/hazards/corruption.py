"""Part of the data goes bad on the disks, and nothing says so."""

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.kinds import jobs_that
from kavrel.core.plan import Dataset, Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.proof.hazards.hazard import Hazard, Lived, Scene, Strike


def mends_itself(pool: Pool) -> bool:
    """Whether the file system itself has the second copy: below an array it sees one device only.

    Source: zpool-scrub(8) and btrfs-scrub(8): repairs come from the file system's own redundancy.
    """
    return FILESYSTEMS[pool.filesystem].repairs or FAMILIES[pool.family].copies > 0


def _strike(scene: Scene, dataset: Dataset) -> Strike:
    index, known = scene.index, scene.index.assumptions
    pool = index.pools[dataset.pool]
    layout = scene.book.states[pool.id].layout
    summed = FILESYSTEMS[pool.filesystem].checksums and dataset.checksums
    scrubs = jobs_that(index, lambda kind: kind.scrubs)
    scrubbed = next((j for j in scrubs if j.pool == pool.id), None)
    every = scene.book.mean_interval_days(scrubbed) if scrubbed else known["scrub_days"]
    if summed and layout.survives_any and mends_itself(pool):
        return Strike(
            state="stands",
            why=f"checksums find it and {layout.title} mends it, at the latest in the scrub after "
            f"{every:.0f} days",
        )
    days = every if summed else known["corruption_notice_days"]
    why = (
        f"checksums find it in the scrub, up to {days:.0f} days later; {pool.filesystem} sees one device "
        "and has no second copy to mend it from"
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


def _lived(scene: Scene, dataset: Dataset, strike: Strike) -> Lived | None:
    known = scene.index.assumptions
    if strike.state != "spoiled":
        return None
    notice = strike.seen_after_days or 0.0
    return Lived(known["corruption_rate"], notice, known["corruption_share"], spread=True)


CORRUPTION = Hazard(
    "corruption",
    "silent corruption",
    "corruption",
    "Sectors or memory spoil data, and nothing says so.",
    _strike,
    ("corruption_notice_days", "corruption_share", "scrub_days"),
    lifetimes="strikes each dataset that cannot mend itself, by its rate",
    lived=_lived,
)
