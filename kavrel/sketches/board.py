"""A small board with one disk, a bucket elsewhere and a disk on the shelf."""

from kavrel.core.plan import Plan
from kavrel.sketches.bricks import Bricks
from kavrel.sketches.sketch import Ask, Said, Sketch


def _draw(said: Said) -> Plan:
    lab = Bricks("a board with one disk")
    lab.home()
    lab.away("friend", "a friend's")
    board = lab.box(
        "board", said.name("box"), "single_board", ports_usb=2, ram_gib=4.0, boot_device="sd_card"
    )
    (disk,) = lab.disks(board, 1, said.disk("disk"), bay="usb", own_supply=True, mb_per_s=120.0)
    pool = lab.pool("main", "main", board, "single", "btrfs", [disk])
    everybody = lab.people(said.people("people"))
    files = lab.data("files", "files", pool, said.data("data"))
    lab.share(files, everybody)
    lab.snapshots(["files"])
    lab.vault(["files"])
    lab.by_hand(["files"], lab.shelf_disk("shelf disk", said.disk("disk"), "friend"))
    lab.upkeep(pool)
    return lab.plan()


BOARD = Sketch(
    "board",
    "a board with one disk",
    "A few watts, one disk, hourly points on it, and a copy every night that no fire reaches.",
    (
        Ask("box", "The board is called", "name", "board"),
        Ask("disk", "Its disk, and the one on the shelf", "disk", "4TB"),
        Ask("data", "Files today", "data", "600 GB"),
        Ask("people", "Who uses it", "people", "ana bo"),
    ),
    _draw,
)
