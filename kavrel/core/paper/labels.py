"""Labels for trays, shelves and cables: what a person with a disk in the hand has to read."""

from pydantic import BaseModel, ConfigDict

from kavrel.core.index import Index
from kavrel.core.plan import Disk, Plan


class Label(BaseModel):
    """One sticker: a name to read from afar, lines beside it, and what its QR code says."""

    model_config = ConfigDict(frozen=True)

    title: str
    lines: tuple[str, ...]
    code: str
    path: str = ""  # of the page that the code opens, below the plan's


def tray_labels(plan: Plan) -> list[Label]:
    """One for each disk, box by box and bay by bay, those on shelves last."""
    index = Index(plan)
    order = {h.id: n for n, h in enumerate(plan.hosts)}
    disks = sorted(
        plan.disks, key=lambda d: (order.get(d.host or "", len(order)), _bay(d), d.label)
    )
    return [_tray(index, d) for d in disks]


def _bay(disk: Disk) -> tuple[str, int]:
    head, _, number = (disk.bay or "").rpartition("-")
    return head, int(number) if number.isdigit() else 0


def _tray(index: Index, disk: Disk) -> Label:
    host = index.hosts.get(disk.host or "")
    pool = index.disks_in_pools.get(disk.id)
    place = f"{host.name}, bay {disk.bay}" if host else "on the shelf"
    return Label(
        title=disk.label,
        lines=(
            disk.serial or "no serial in the plan",
            place,
            f"pool {index.pools[pool].name}" if pool else "in no pool",
            f"{disk.capacity_bytes / 1e12:.3g} TB {disk.kind}",
        ),
        code=disk.serial or disk.label,
        path=f"bench?disk={disk.id}",
    )


def cable_tags(plan: Plan) -> list[Label]:
    """For both ends of each box's network cable, of its mains cable behind a UPS, of the wire that tells it."""
    index = Index(plan)
    return [*_network_tags(plan), *_supply_tags(index)]


def _network_tags(plan: Plan) -> list[Label]:
    """A cable that fell out is put back by these; laptops have none that stays."""
    tags = []
    for host in plan.hosts:
        if host.kind == "pc":
            continue
        speed = host.network_mbit
        port = f"{speed / 1000:g} Gbit/s" if speed >= 1000 else f"{speed:g} Mbit/s"
        where = host.address or "address by DHCP"
        for end in ("at the box", "at the switch"):
            tags.append(
                Label(
                    title=f"{host.name} > network",
                    lines=(f"network, {port}", end, where),
                    code=f"network cable of {host.name}",
                )
            )
    return tags


def _supply_tags(index: Index) -> list[Label]:
    plan, tags = index.plan, []
    for supply in plan.supplies:
        for host in supply.hosts:
            name = index.hosts[host].name
            for end in ("at the UPS", "at the box"):
                tags.append(
                    Label(
                        title=f"{supply.name} > {name}",
                        lines=("mains, behind the battery", end, "do not unplug while it runs"),
                        code=f"{supply.name} feeds {name}",
                    )
                )
        for host in supply.signals:
            name = index.hosts[host].name
            tags.append(
                Label(
                    title=f"{supply.name} > {name}",
                    lines=(
                        "signal of the UPS",
                        f"tells {name} to stop after {supply.delay_minutes:g} min",
                    ),
                    code=f"{supply.name} tells {name}",
                )
            )
    return tags
