"""The device that its box boots from dies: the data is whole, and nobody can get at it."""

from kavrel.core.plan import Dataset
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Strike

STICKS = ("usb_stick", "sd_card")


def configuration_kept(scene: Scene, host: str) -> str | None:
    """What keeps the configuration of a box somewhere else, or None."""
    index = scene.index
    for job in index.plan.jobs:
        at = index.pools.get(job.target_pool or "")
        if job.kind == "config" and job.host == host and at and at.host != host:
            return job.name
    return "a copy elsewhere" if index.hosts[host].boot_copied else None


def _strike(scene: Scene, dataset: Dataset) -> Strike:
    host = scene.home(dataset)
    kept = configuration_kept(scene, host.id)
    device = host.boot_device.replace("_", " ")
    key = "reinstall_hours" if kept else "configure_again_hours"
    text = f"install {host.name} anew, load its configuration from {kept}"
    return Strike(
        state="down",
        why=f"the {device} of {host.name} dies; the pools are whole"
        + ("" if kept else ", but its configuration is nowhere else"),
        event=f"boot {host.id}",
        dies=(f"the {device} of {host.name}",),
        repair=(
            scene.step("notice", "notice_hours", "notice"),
            scene.step("get another boot device", "order_disk_hours", "replace"),
            scene.step(text if kept else f"set up {host.name} from memory", key, "replace"),
        ),
    )


BOOT_LOST = Hazard(
    "boot_lost",
    "boot device dies",
    "boot device",
    "The stick, card or disk that its box boots from dies.",
    _strike,
)
