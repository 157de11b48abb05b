"""The box is stolen, and the disks that stand on the shelf beside it."""

from kavrel.core.copies.book import Copy
from kavrel.core.plan import Dataset
from kavrel.core.proof.hazards.box_lost import in_box
from kavrel.core.proof.hazards.hazard import (
    Hazard,
    Scene,
    Strike,
    at_rest,
    new_box,
    set_up_anew,
)


def _strike(scene: Scene, dataset: Dataset) -> Strike:
    index = scene.index
    host = scene.home(dataset)
    boxed = in_box(scene, dataset)

    def lost(copy: Copy) -> str | None:
        if copy.place.disk and copy.place.site(index) == host.site:
            return f"stood on the shelf at {index.sites[host.site].name}"
        return boxed(copy)

    readable = not at_rest(scene, dataset)
    plain = "the thief can read it"
    if index.pools[dataset.pool].opens_alone:
        plain = "its key file goes with it: " + plain
    shelf = [
        d.label for d in index.plan.disks if d.shelf == host.site and d.id in index.shelf_targets
    ]
    return Strike(
        state="gone",
        why=f"{host.name} is stolen; "
        + (plain if readable else "it is encrypted, the thief reads nothing"),
        event=f"host {host.id}",
        dies=(host.name, *shelf),
        lost_copy=lost,
        readable=readable,
        repair=new_box(scene),
    )


THEFT = Hazard(
    "theft",
    "theft",
    "theft",
    "The box is stolen. Can the thief read it?",
    _strike,
    lifetimes="boxes and shelf disks are stolen, by their rate",
    on_sheet="site",
    told=set_up_anew,
)
