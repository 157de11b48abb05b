"""A disk at the router's USB port, and one on the shelf."""

from kavrel.core.plan import Plan
from kavrel.sketches.bricks import Bricks
from kavrel.sketches.sketch import Ask, Said, Sketch


def _draw(said: Said) -> Plan:
    lab = Bricks("a disk at the router")
    lab.home()
    router = lab.box(
        "router", said.name("box"), "router", ports_usb=1, ram_gib=0.5, addressing="static",
        address="192.168.1.1", boot_device="sd_card",
    )  # fmt: skip
    (disk,) = lab.disks(router, 1, said.disk("disk"), bay="usb", own_supply=True, mb_per_s=90.0)
    pool = lab.pool("main", "main", router, "single", "ext4", [disk])
    everybody = lab.people(said.people("people"))
    files = lab.data("files", "files", pool, said.data("data"), "nuisance")
    lab.share(files, everybody, recycle_days=0)
    lab.away("friend", "a friend's")
    lab.by_hand(["files"], lab.shelf_disk("shelf disk", said.disk("disk"), "friend"))
    return lab.plan()


ROUTER_DISK = Sketch(
    "router_disk",
    "a disk at the router",
    "The least there is: one disk that everybody reaches, and a second that is copied to by hand.",
    (
        Ask("box", "The router is called", "name", "router"),
        Ask("disk", "Its disk, and the one on the shelf", "disk", "4TB"),
        Ask("data", "Files today", "data", "900 GB"),
        Ask("people", "Who uses it", "people", "ana bo"),
    ),
    _draw,
)
