"""The key or pass phrase of the encrypted copies is lost where it was kept."""

from kavrel.core.copies.book import Copy
from kavrel.core.copies.keys import key_of
from kavrel.core.plan import Dataset
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Strike


def _strike(scene: Scene, dataset: Dataset) -> Strike:
    def lost(copy: Copy) -> str | None:
        key = key_of(scene.index, copy.job, copy.dataset.id)
        if not key or not key.in_one_place:
            return None
        if key.in_box_alone:
            return "its key was in the box alone"
        return f"its key was kept at {key.where(scene.index)} alone"

    return Strike(
        state="stands",
        why="works on; encrypted copies whose key was kept in one place cannot be read any more",
        event="key",
        lost_copy=lost,
        strips=True,
    )


KEY_LOST = Hazard(
    "key_lost",
    "key lost",
    "key lost",
    "The key of the copies is lost where it was kept.",
    _strike,
    lifetimes="the key of a copy that is kept in one place alone is lost by its rate",
)
