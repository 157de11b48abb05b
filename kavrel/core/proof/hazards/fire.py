"""Fire or flood takes the whole site that the dataset lives at."""

from kavrel.core.copies.book import Copy
from kavrel.core.copies.keys import key_of
from kavrel.core.plan import Dataset
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Strike, new_box, set_up_anew


def _strike(scene: Scene, dataset: Dataset) -> Strike:
    index = scene.index
    site = index.sites[index.site_of_pool(dataset.pool)]

    def lost(copy: Copy) -> str | None:
        if copy.place.site(index) in (site.id, None):
            return f"burns at {site.name} too"
        key = key_of(index, copy.job, copy.dataset.id)
        if key and key.burns_at(site.id):
            return f"its key burns at {site.name}"
        return None

    dies = [h.name for h in index.plan.hosts if h.site == site.id]
    dies += [d.label for d in index.plan.disks if d.shelf == site.id]
    return Strike(
        state="gone",
        why=f"everything at {site.name} is gone",
        event=f"site {site.id}",
        dies=tuple(dies),
        lost_copy=lost,
        repair=new_box(scene),
    )


FIRE = Hazard(
    "fire",
    "fire at its site",
    "fire",
    "Fire or flood takes the site it lives at.",
    _strike,
    lifetimes="sites burn or flood with all that is there, by their rate",
    on_sheet="site",
    told=set_up_anew,
)
