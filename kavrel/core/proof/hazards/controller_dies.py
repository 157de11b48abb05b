"""The card between disks and system dies: the disks are whole, and only its like can read them."""

from kavrel.core.index import Index
from kavrel.core.plan import Dataset
from kavrel.core.pools.families import FAMILIES
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Strike, on_pool


def _has_card(index: Index) -> bool:
    return any(FAMILIES[p.family].card for p in index.plan.pools)


def _strike(scene: Scene, dataset: Dataset) -> Strike:
    pool = scene.index.pools[dataset.pool]
    if not FAMILIES[pool.family].card:
        why = f"no card makes pool {pool.name}: any machine of its kind reads its disks"
        return Strike(state="stands", why=why)
    card = pool.card or "the card"
    event = f"pool {pool.id}"
    notice = scene.step("notice", "notice_hours", "notice")
    if pool.spare_card:
        text = f"fit the spare card, and let it take over what it finds on the disks ({card})"
        return Strike(
            state="down",
            why=f"{card} dies, the disks are whole; its spare takes pool {pool.name} over",
            event=event,
            repair=(notice, scene.step(text, "fit_disk_hours", "replace")),
        )
    if pool.card_readable:
        text = "put one disk on an ordinary port, and mount it reading only first"
        return Strike(
            state="down",
            why=f"{card} dies, the disks are whole, and pool {pool.name} is read without it",
            event=event,
            repair=(notice, scene.step(text, "fit_disk_hours", "replace")),
        )
    return Strike(
        state="gone",
        why=f"{card} dies; the disks are whole, and nothing here reads what it wrote: whether its like can "
        "still be bought is not known",
        event=event,
        dies=(card,),
        lost_copy=on_pool(pool.id, f"lies on pool {pool.name}, behind the card that died"),
        repair=(
            notice,
            scene.step("order and fit disks and a port", "order_disk_hours", "replace"),
        ),
    )


CONTROLLER_DIES = Hazard(
    "controller_dies",
    "hardware card dies",
    "card",
    "The card that makes a mirror of the disks dies.",
    _strike,
    lifetimes="not drawn: no rate of it is published",
    on_sheet="pool",
    concerns=_has_card,
)
