"""Which bays a host has and which disks fit them."""

from kavrel.core.plan import Disk, Host


def bays(host: Host) -> list[str]:
    """Names of a host's bays and ports: `3.5-1`, `2.5-1`, `nvme-1`, `usb-1`, in that order."""
    kinds = (
        ("3.5", host.bays_35),
        ("2.5", host.bays_25),
        ("nvme", host.slots_nvme),
        ("usb", host.ports_usb),
    )
    return [f"{kind}-{n}" for kind, count in kinds for n in range(1, count + 1)]


def misfit(disk: Disk, bay: str) -> str | None:
    """Why this disk does not go into a bay of that name, or None when it does."""
    kind = bay.partition("-")[0]
    if kind == "usb":
        return None if disk.kind != "nvme" else "an NVMe stick needs an NVMe slot"
    if (kind == "nvme") != (disk.form == "m.2"):
        return f"a disk of form {disk.form} does not fit an {kind} bay"
    if kind == "2.5" and disk.form == "3.5":
        return "a 3.5-inch disk does not fit a 2.5-inch bay"
    return None
