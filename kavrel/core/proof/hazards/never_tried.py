"""The pool is lost, and copies that were never tried turn out to be no good."""

from kavrel.core.copies.book import Copy
from kavrel.core.plan import Dataset
from kavrel.core.proof.hazards.box_lost import in_box
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Strike, new_box


def _strike(scene: Scene, dataset: Dataset) -> Strike:
    boxed = in_box(scene, dataset)
    host = scene.home(dataset)

    def lost(copy: Copy) -> str | None:
        reason = boxed(copy)
        if reason is None and not scene.tried(copy):
            return "nobody has restored anything from it, or not for too long"
        return reason

    return Strike(
        state="gone",
        why=f"{host.name} is lost, and only copies that somebody has tried come back",
        event=f"host {host.id}",
        dies=(host.name, *(p.name for p in scene.index.plan.pools if p.host == host.id)),
        lost_copy=lost,
        repair=new_box(scene),
    )


NEVER_TRIED = Hazard(
    "never_tried",
    "box lost, copies never tried",
    "never tried",
    "The box is lost; copies that were never tried turn out to be no good.",
    _strike,
    lifetimes="a share of the copies that nobody tries is no good when it is needed",
)
