"""Two bays, mirrored, with a disk on the shelf."""

from kavrel.core.plan import Plan
from kavrel.sketches.bricks import Bricks
from kavrel.sketches.sketch import Ask, Said, Sketch


def _draw(said: Said) -> Plan:
    lab = Bricks("two bays, mirrored")
    lab.home()
    lab.away("friend", "a friend's")
    box = lab.box("box", said.name("box"), "small_box", bays_35=2, ram_gib=8.0)
    disks = lab.disks(box, 2, said.disk("disk"))
    pool = lab.pool("main", "main", box, "mirror", "zfs", disks)
    everybody = lab.people(said.people("people"))
    photos = lab.data("photos", "photos", pool, said.data("photos"), file_bytes=6_000_000)
    papers = lab.data("papers", "papers", pool, said.data("papers"), file_bytes=400_000)
    for one in (photos, papers):
        lab.share(one, everybody)
    lab.snapshots(["photos", "papers"])
    lab.vault(["photos", "papers"])
    lab.by_hand(["photos", "papers"], lab.shelf_disk("shelf disk", said.disk("disk"), "friend"))
    lab.upkeep(pool)
    return lab.plan()


TWO_BAYS = Sketch(
    "two_bays",
    "two bays, mirrored",
    "A disk dies and nobody notices; the third is copied to every quarter and lives at a friend's.",
    (
        Ask("box", "The box is called", "name", "box"),
        Ask("disk", "Each disk", "disk", "4TB"),
        Ask("photos", "Photos today", "data", "900 GB"),
        Ask("papers", "Papers today", "data", "120 GB"),
        Ask("people", "Who uses it", "people", "ana bo"),
    ),
    _draw,
)
