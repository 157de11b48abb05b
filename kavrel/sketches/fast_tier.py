"""A tower of single disks with parity, and a fast tier in front."""

from kavrel.core.plan import Plan
from kavrel.sketches.bricks import Bricks
from kavrel.sketches.sketch import Ask, Said, Sketch


def _draw(said: Said) -> Plan:
    lab = Bricks("a tower with a fast tier")
    lab.home()
    lab.away("friend", "a friend's")
    tower = lab.box("tower", said.name("box"), "tower", bays_35=8, bays_25=2, ram_gib=16.0)
    disks = lab.disks(tower, 4, said.disk("disk"))
    fast = lab.disks(tower, 2, said.disk("fast"), "ssd")
    pool = lab.pool(
        "main", "main", tower, "parity1", "xfs", disks[:3], disks[3:], tier=fast, tier_mirrored=True
    )
    everybody = lab.people(said.people("people"))
    films = lab.data(
        "films", "films", pool, said.data("films"), "fetch_again", file_bytes=4 * 10**9
    )
    files = lab.data("files", "files", pool, said.data("files"))
    for one in (films, files):
        lab.share(one, everybody)
    lab.vault(["files"], "04:00")
    lab.by_hand(["files"], lab.shelf_disk("shelf disk", said.disk("disk"), "friend"))
    lab.upkeep(pool)
    return lab.plan()


FAST_TIER = Sketch(
    "fast_tier",
    "a tower with a fast tier",
    "Disks are bought one at a time, one may die, and what is new lands on flash first.",
    (
        Ask("box", "The tower is called", "name", "tower"),
        Ask("disk", "Each of the four disks", "disk", "8TB"),
        Ask("fast", "Each of the two SSDs", "disk", "1TB"),
        Ask("films", "Films today", "data", "9 TB"),
        Ask("files", "Files today", "data", "1.2 TB"),
        Ask("people", "Who uses it", "people", "ana bo"),
    ),
    _draw,
)
