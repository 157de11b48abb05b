"""The device that its box boots from dies: the data is whole, and nobody can get at it."""

from dataclasses import replace

from kavrel.core.index import Index
from kavrel.core.kinds import jobs_that
from kavrel.core.plan import Dataset
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Strike
from kavrel.core.proof.hazards.one_disk import disks_die

STICKS = ("usb_stick", "sd_card")


def configuration_kept(scene: Scene, host: str) -> str | None:
    """What keeps the configuration of a box somewhere else, or None."""
    index = scene.index
    for job in jobs_that(index, lambda kind: kind.keeps_settings):
        at = index.pools.get(job.target_pool or "")
        if job.host == host and at and at.host != host:
            return job.name
    return "a copy elsewhere" if index.hosts[host].boot_copied else None


def _strike(scene: Scene, dataset: Dataset) -> Strike:
    host = scene.home(dataset)
    kept = configuration_kept(scene, host.id)
    device = host.boot_device.replace("_", " ")
    key = "reinstall_hours" if kept else "configure_again_hours"
    text = f"install {host.name} anew, load its configuration from {kept}"
    again = scene.step(text if kept else f"set up {host.name} from memory", key, "replace")
    pool = scene.index.pools[dataset.pool]
    nowhere = "" if kept else ", and its configuration is nowhere else"
    if host.boot_disk and host.boot_disk in pool.disks:
        label = scene.index.disks[host.boot_disk].label
        taken = disks_die(scene, dataset, 1)
        if taken.state == "gone":
            return replace(
                taken,
                why=f"{host.name} boots from a part of {label}, a disk of pool {pool.name}: "
                f"{taken.why}{nowhere}",
                dies=(f"the disk that {host.name} boots from", *taken.dies),
                repair=(*taken.repair, again),
            )
        device = f"disk {label}, which it boots from,"
    return Strike(
        state="down",
        why=f"the {device} of {host.name} dies; the pools are whole{nowhere}",
        event=f"boot {host.id}",
        dies=(f"the {device} of {host.name}",),
        repair=(
            scene.step("notice", "notice_hours", "notice"),
            scene.step("get another boot device", "order_disk_hours", "replace"),
            again,
        ),
    )


def _told(index: Index, host: str) -> tuple[str, ...]:
    """How a box is set up again around disks that are whole."""
    box = index.hosts[host]
    if box.closed or box.personal:
        return ()
    mine = [index.disks[d] for p in index.plan.pools if p.host == host for d in p.disks]
    named = ", ".join(f"{d.label} {d.serial}".strip() for d in mine if d.id != box.boot_disk)
    return (
        "Install onto the new device and nowhere else: leave the data disks unplugged until it runs "
        f"({named}).",
        f"Then plug them in, take the bundle of {box.name}, append its fstab to /etc/fstab, and run `sh "
        "setup.sh`. "
        "It puts the pools together as they are, asks for a passphrase where one is locked, makes nothing "
        "anew, gives every account the number that its files carry, and names what it cannot do.",
        "Put the bundle's other files where its README says: until then nothing is served, and no job runs.",
        "Set the passwords that it names in the end. What other boxes know this one by (SSH host keys, "
        "certificates) is new: they have to be told.",
    )


BOOT_LOST = Hazard(
    "boot_lost",
    "boot device dies",
    "boot device",
    "The stick, card or disk that its box boots from dies.",
    _strike,
    lifetimes="takes no data: days without work alone, not counted",
    on_sheet="box",
    told=_told,
)
