"""What lies off-site, a box or a bucket, gets nothing new for weeks and nobody notices."""

from kavrel.core.copies.book import Copy
from kavrel.core.copies.carrier import heard_days
from kavrel.core.plan import Dataset
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Strike, over_lines


def _strike(scene: Scene, dataset: Dataset) -> Strike:
    index = scene.index
    days = index.assumptions["silence_days"]

    def age(copy: Copy) -> float:
        """Days until somebody is told; the near end hears it, for it asks or is told of each run."""
        own = heard_days(index, copy.job)
        alarms = [] if own is None else [own]
        # Of what feeds it somebody is told by the age of that one, in a look a day: this may be older.
        fed = (heard_days(index, j) for j in over_lines(scene, copy.job) if j.id != copy.job.id)
        alarms += [days_of_it + 1 for days_of_it in fed if days_of_it is not None]
        return min([days, *alarms])

    def silent(copy: Copy) -> str | None:
        # Nobody expects to hear from a disk on a shelf.
        if copy.place.disk or not over_lines(scene, copy.job):
            return None
        told = ", then somebody is told" if age(copy) < days else ""
        return f"has had no new point for {age(copy):.0f} days{told}"

    return Strike(
        state="stands",
        why=f"works on; copies to other sites stop for {days:.0f} days",
        event="silence",
        stale_copy=silent,
        silent_days=days,
        silent_for=age,
        strips=True,
    )


OFFSITE_SILENT = Hazard(
    "offsite_silent",
    "off-site box silent",
    "off-site silent",
    "The off-site box falls silent for weeks and nobody notices.",
    _strike,
    ("silence_days",),
    lifetimes="jobs fall silent by their rate, until an alarm or somebody finds it",
)
