"""The account with the provider of the bucket is closed."""

from kavrel.core.copies.book import Copy
from kavrel.core.plan import Dataset
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Strike


def _strike(scene: Scene, dataset: Dataset) -> Strike:
    def lost(copy: Copy) -> str | None:
        bucket = scene.index.buckets.get(copy.place.bucket or "")
        return f"the account {bucket.account} is closed" if bucket else None

    return Strike(
        state="stands",
        why="works on; what lay in buckets is gone with the account",
        event="cloud",
        lost_copy=lost,
        strips=True,
    )


CLOUD_CLOSED = Hazard(
    "cloud_closed",
    "cloud account closed",
    "account closed",
    "The provider closes the account: unpaid, blocked, out of business.",
    _strike,
    lifetimes="accounts are closed by their rate, with all that is in their buckets",
)
