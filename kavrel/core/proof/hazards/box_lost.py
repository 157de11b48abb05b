"""The box, or its controller with all it wrote, is lost with every disk in it."""

from kavrel.core.copies.book import Copy
from kavrel.core.copies.keys import key_of
from kavrel.core.plan import Dataset
from kavrel.core.proof.hazards.hazard import (
    Hazard,
    Reason,
    Scene,
    Strike,
    new_box,
    set_up_anew,
)


def in_box(scene: Scene, dataset: Dataset) -> Reason:
    """Copies in the dataset's own box are lost, and those whose key was only there."""
    host = scene.home(dataset)

    def lost(copy: Copy) -> str | None:
        if copy.place.host(scene.index) == host.id:
            return f"lies in {host.name} too"
        key = key_of(scene.index, copy.job, copy.dataset.id)
        if key and key.in_box_alone:
            return f"its key was only in {host.name}"
        return None

    return lost


def _strike(scene: Scene, dataset: Dataset) -> Strike:
    host = scene.home(dataset)
    return Strike(
        state="gone",
        why=f"{host.name} is lost with all disks in it",
        event=f"host {host.id}",
        dies=(host.name, *(p.name for p in scene.index.plan.pools if p.host == host.id)),
        lost_copy=in_box(scene, dataset),
        repair=new_box(scene),
    )


BOX_LOST = Hazard(
    "box_lost",
    "box lost",
    "box",
    "The box is lost with every disk in it.",
    _strike,
    lifetimes="boxes die with all that is in them, by their rate",
    on_sheet="box",
    told=set_up_anew,
)
