"""The device that its box boots from dies: the data is whole, and nobody can get at it."""

from dataclasses import replace

from kavrel.core.index import Index
from kavrel.core.plan import Dataset, Host, Pool
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.survival import outlives
from kavrel.core.proof.hazards.hazard import Hazard, Scene, Strike
from kavrel.core.proof.hazards.one_disk import disks_die, on_its_disks
from kavrel.core.proof.hazards.system_again import configuration_kept, system_again
from kavrel.core.quantities import size_words

STICKS = ("usb_stick", "sd_card")


def _strike(scene: Scene, dataset: Dataset) -> Strike:
    host = scene.home(dataset)
    device = host.boot_device.replace("_", " ")
    pool = scene.index.pools[dataset.pool]
    kept = configuration_kept(scene, host.id)
    nowhere = "" if kept else ", and its configuration is nowhere else"
    if on_its_disks(host, pool):
        label = scene.index.disks[host.boot_disk or ""].label
        taken = disks_die(scene, dataset, 1)
        return replace(
            taken,
            why=f"{host.name} boots from a part of {label}, a disk of pool {pool.name}: {taken.why}{nowhere}",
            event=taken.event if taken.state == "gone" else f"boot {host.id}",
            dies=(f"the disk that {host.name} boots from", *taken.dies),
        )
    return Strike(
        state="down",
        why=f"the {device} of {host.name} dies; the pools are whole{nowhere}",
        event=f"boot {host.id}",
        dies=(f"the {device} of {host.name}",),
        repair=(
            scene.step("notice", "notice_hours", "notice"),
            scene.step("get another boot device", "order_disk_hours", "replace"),
            system_again(scene, host),
        ),
    )


def _told(index: Index, host: str) -> tuple[str, ...]:
    """How a box is set up again around disks that are whole."""
    box = index.hosts[host]
    if box.closed or box.personal:
        return ()
    pools = [p for p in index.plan.pools if p.host == host]
    mine = [index.disks[d] for p in pools for d in p.disks]
    named = ", ".join(f"{d.label} {d.serial}".strip() for d in mine if d.id != box.boot_disk)
    unplugged = f": leave the data disks unplugged until it runs ({named})" if named else ""
    part = ""
    if any(on_its_disks(box, p) for p in pools):
        most = f" of at most {size_words(box.system_bytes)}" if box.system_bytes else ""
        part = f", onto a part{most} in a GPT, with the rest left unused"
    return (
        f"Install onto the new device and nowhere else{part}{unplugged}.",
        *(_took_along(box, p) for p in pools if on_its_disks(box, p)),
        f"With all data disks plugged in again, take the bundle of {box.name}, append its fstab to /etc/fstab, "
        "and run `sh setup.sh`. It puts the pools together as they are, asks for a passphrase where one is "
        "locked, makes nothing anew, gives every account the number that its files carry, and names what it "
        "cannot do.",
        "Put the bundle's other files where its README says: until then nothing is served, and no job runs.",
        "Set the passwords that it names in the end. What other boxes know this one by (SSH host keys, "
        "certificates) is new: they have to be told.",
    )


def _took_along(box: Host, pool: Pool) -> str:
    """What becomes of a pool that had the rest of the disk which died."""
    if FAMILIES[pool.family].apart or outlives(
        FAMILIES[pool.family], [len(g) for g in pool.groups]
    ):
        return (
            f"Pool {pool.name} had the rest of that disk: what is left of it is put together without it, and "
            f"the new disk’s rest is put into its place as said under “a disk dies: pool {pool.name}”."
        )
    return (
        f"Pool {pool.name} had the rest of that disk, and is gone with it: on the Bench give the disk its new "
        f"serial, on Pools take off that {pool.name} stands, and go on with {box.name}’s new bundle, which "
        "asks before it wipes anything. What was on it is brought back last."
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
