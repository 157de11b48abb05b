"""A retired desktop with whatever disks there are."""

from kavrel.core.plan import Plan
from kavrel.sketches.bricks import Bricks
from kavrel.sketches.sketch import Ask, Said, Sketch


def _draw(said: Said) -> Plan:
    lab = Bricks("a retired desktop")
    lab.home()
    lab.away("friend", "a friend's")
    box = lab.box("desktop", said.name("box"), "old_desktop", bays_35=4, bays_25=1, ram_gib=8.0)
    disks = lab.disks(box, 2, said.disk("large"), condition="used")
    disks += lab.disks(box, 1, said.disk("small"), condition="used")
    pool = lab.pool("main", "main", box, "copies2", "btrfs", disks)
    everybody = lab.people(said.people("people"))
    files = lab.data("files", "files", pool, said.data("files"))
    films = lab.data(
        "films", "films", pool, said.data("films"), "fetch_again", file_bytes=4 * 10**9
    )
    for one in (files, films):
        lab.share(one, everybody)
    lab.snapshots(["files"])
    lab.vault(["files"])
    lab.by_hand(["files"], lab.shelf_disk("shelf disk", said.disk("large"), "friend"))
    lab.upkeep(pool)
    return lab.plan()


OLD_DESKTOP = Sketch(
    "old_desktop",
    "a retired desktop",
    "Used disks of any sizes, everything on two of them, and a copy out of the house each quarter.",
    (
        Ask("box", "The desktop is called", "name", "desktop"),
        Ask("large", "Its two larger disks", "disk", "4TB"),
        Ask("small", "Its smaller disk", "disk", "2TB"),
        Ask("files", "Files today", "data", "900 GB"),
        Ask("films", "Films today", "data", "1.5 TB"),
        Ask("people", "Who uses it", "people", "ana bo"),
    ),
    _draw,
)
