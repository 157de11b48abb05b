"""The line is down for days: nothing travels, nothing can be fetched over it."""

from kavrel.core.copies.book import Copy
from kavrel.core.plan import Dataset
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Strike, over_lines


def _strike(scene: Scene, dataset: Dataset) -> Strike:
    index = scene.index
    days = index.assumptions["uplink_days"]

    def stopped(copy: Copy) -> str | None:
        fed = over_lines(scene, copy.job)
        return f"nothing has arrived for {days:g} days" if fed else None

    return Strike(
        state="stands",
        why=f"works on at home; copies over the line wait for {days:g} days",
        event="uplink",
        stale_copy=stopped,
        silent_days=days,
        strips=True,
        no_link=True,
    )


UPLINK_DOWN = Hazard(
    "uplink_down",
    "uplink down",
    "uplink",
    "The line to the outside is down for days.",
    _strike,
    ("uplink_days",),
    lifetimes="delays what travels for days: too short to count over years",
)
