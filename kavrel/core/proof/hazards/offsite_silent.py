"""The off-site box falls silent for weeks and nobody notices."""

from kavrel.core.copies.book import Copy
from kavrel.core.plan import Dataset
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Strike


def _strike(scene: Scene, dataset: Dataset) -> Strike:
    index = scene.index
    home = index.site_of_pool(dataset.pool)
    days = index.assumptions["silence_days"]

    def silent(copy: Copy) -> str | None:
        elsewhere = copy.place.host(index) and copy.place.site(index) != home
        return f"has had no new point for {days:.0f} days" if elsewhere else None

    return Strike(
        state="stands",
        why=f"works on; copies to other sites stop for {days:.0f} days",
        lost_copy=silent,
        silent_days=days,
    )


OFFSITE_SILENT = Hazard(
    "offsite_silent",
    "off-site box silent",
    "The off-site box falls silent for weeks and nobody notices.",
    _strike,
)
