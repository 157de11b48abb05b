"""The power fails in the middle of a long copy."""

from kavrel.core.bench.power import falls
from kavrel.core.copies.keys import locked_after_start
from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.plan import Dataset
from kavrel.core.proof.hazards.hazard import Hazard, Lived, Scene, Step, Strike

WORDS = {
    "by_itself": "comes back alone",
    "over_network": "is woken over the network",
    "by_hand": "waits for a hand",
}


def _strike(scene: Scene, dataset: Dataset) -> Strike:
    index = scene.index
    host = scene.home(dataset)
    fed, falls_by = host.id in index.on_ups, falls(index.plan).get(host.id, "")
    steps = [scene.step("the power is back", "power_cut_hours", "replace")]
    if host.after_power_cut == "by_hand":
        steps.insert(0, scene.step("notice", "notice_hours", "notice"))
    filesystem = index.pools[dataset.pool].filesystem
    if fed and not falls_by:
        why = (
            f"{host.name} is told by its UPS, shuts down in order and {WORDS[host.after_power_cut]}"
        )
    else:
        why = f"{host.name} stops in the middle of a write and {WORDS[host.after_power_cut]}"
        if falls_by:
            why += f"; {falls_by}"
        layout = scene.book.states[dataset.pool].layout
        if FILESYSTEMS[filesystem].copy_on_write:
            why += "; copy-on-write keeps the state of moments before"
        else:
            why += f"; {filesystem} has to be checked, and parity may not match"
            hours = layout.scrub_hours or layout.surface_hours
            steps.append(Step("check parity and file system", hours, "", "verify"))
    if locked_after_start(index, dataset):
        why += f"; {dataset.name} is locked until somebody types its passphrase"
        if host.after_power_cut != "by_hand":
            steps.insert(0, scene.step("notice", "notice_hours", "notice"))
        steps.append(scene.step("type its passphrase", "unlock_hours", "verify"))
    again = [j.name for j in index.plan.jobs if dataset.id in j.datasets and not j.resumable]
    if again:
        why += f"; {', '.join(again)} begins from the start again"
    return Strike(state="down", why=why, event=f"cut {host.site}", repair=tuple(steps))


def _lived(scene: Scene, dataset: Dataset, strike: Strike) -> Lived | None:
    index, known = scene.index, scene.index.assumptions
    pool = index.pools[dataset.pool]
    in_order = pool.host in index.on_ups and pool.host not in falls(index.plan)
    if in_order or FILESYSTEMS[pool.filesystem].copy_on_write:
        return None
    spoils = known["power_cut_rate"] * known["power_cut_spoils"]
    return Lived(spoils, 0.0, known["corruption_share"])


POWER_CUT = Hazard(
    "power_cut",
    "power cut in a copy",
    "power cut",
    "The power fails during a long copy.",
    _strike,
    lifetimes="spoils part of what is written in place, where no UPS has the box stop in order",
    lived=_lived,
)
