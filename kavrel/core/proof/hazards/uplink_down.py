"""The line is down for days: nothing travels, nothing can be fetched over it."""

from kavrel.core.copies.book import Copy
from kavrel.core.kinds import KINDS
from kavrel.core.plan import Dataset
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Strike


def _strike(scene: Scene, dataset: Dataset) -> Strike:
    index = scene.index
    home = index.site_of_pool(dataset.pool)
    days = index.assumptions["uplink_days"]

    def stopped(copy: Copy) -> str | None:
        by_hand = KINDS[copy.job.kind].by_hand
        away = copy.place.site(index) != home
        return f"nothing has arrived for {days:g} days" if away and not by_hand else None

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
