"""The off-site box falls silent for weeks and nobody notices."""

from kavrel.core.copies.book import Copy
from kavrel.core.plan import Dataset
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Strike


def _strike(scene: Scene, dataset: Dataset) -> Strike:
    index = scene.index
    home = index.site_of_pool(dataset.pool)
    days = index.assumptions["silence_days"]

    def silent(copy: Copy) -> str | None:
        if not copy.place.host(index) or copy.place.site(index) == home:
            return None
        alarm = copy.job.alarm_days
        if alarm is not None and alarm < days:
            return None  # somebody is told long before
        return f"has had no new point for {days:.0f} days"

    return Strike(
        state="stands",
        why=f"works on; copies to other sites stop for {days:.0f} days",
        event="silence",
        stale_copy=silent,
        silent_days=days,
        strips=True,
    )


OFFSITE_SILENT = Hazard(
    "offsite_silent",
    "off-site box silent",
    "off-site silent",
    "The off-site box falls silent for weeks and nobody notices.",
    _strike,
    ("silence_days",),
)
