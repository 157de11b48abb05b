"""The box, or its controller with all it wrote, is lost with every disk in it."""

from kavrel.core.copies.book import Copy
from kavrel.core.plan import Dataset
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Step, Strike


def _strike(scene: Scene, dataset: Dataset) -> Strike:
    index, known = scene.index, scene.index.assumptions
    host = index.hosts[index.pools[dataset.pool].host]

    def lost(copy: Copy) -> str | None:
        if copy.place.host(index) == host.id:
            return f"lies in {host.name} too"
        if copy.job.encrypted and not copy.job.key_kept_at:
            return f"its key was only in {host.name}"
        return None

    return Strike(
        state="gone",
        why=f"{host.name} is lost with all disks in it",
        dies=(host.name, *(p.name for p in index.plan.pools if p.host == host.id)),
        lost_copy=lost,
        repair=(
            Step("notice", known["notice_hours"], "notice_hours"),
            Step("replace box and disks", known["order_box_hours"], "order_box_hours"),
        ),
    )


BOX_LOST = Hazard("box_lost", "box lost", "The box is lost with every disk in it.", _strike)
