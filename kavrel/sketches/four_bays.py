"""Four bays, and a board with one large disk at somebody else's."""

from kavrel.core.plan import Plan
from kavrel.sketches.bricks import KEEP, Bricks
from kavrel.sketches.sketch import Ask, Said, Sketch


def _draw(said: Said) -> Plan:
    lab = Bricks("four bays and a far board")
    lab.home()
    lab.away("far", said.name("where"))
    box = lab.box(
        "box", said.name("box"), "small_box", bays_35=4, ram_gib=8.0, vpn_address="100.64.0.1"
    )
    board = lab.box(
        "board", "far board", "single_board", "far", ports_usb=2, ram_gib=4.0, boot_device="ssd",
        addressing="dhcp", address=None, vpn_address="100.64.0.2",
    )  # fmt: skip
    disks = lab.disks(box, 4, said.disk("disk"))
    (large,) = lab.disks(
        board, 1, said.disk("far_disk"), bay="usb", own_supply=True, mb_per_s=150.0
    )
    pool = lab.pool("main", "main", box, "raidz1", "zfs", disks)
    kept = {"encrypted": True, "passphrase_at": "a safe at home"}
    far = lab.pool("far-pool", "far", board, "single", "zfs", [large], **kept)
    everybody = lab.people(said.people("people"))
    photos = lab.data(
        "photos", "photos", pool, said.data("photos"), file_bytes=6_000_000, encrypted=True
    )
    papers = lab.data(
        "papers", "papers", pool, said.data("papers"), file_bytes=400_000, encrypted=True
    )
    films = lab.data(
        "films", "films", pool, said.data("films"), "fetch_again", file_bytes=4 * 10**9
    )
    for one in (photos, papers, films):
        lab.share(one, everybody)
    lab.snapshots(["photos", "papers"])
    lab.job(
        "nightly", "nightly", "replication", ["photos", "papers"], "01:30", target_pool="far-pool",
        retention=KEEP, credentials="target", encrypted=True, key_kept_at=("home", "far"), alarm_days=3.0,
    )  # fmt: skip
    lab.upkeep(pool)
    lab.upkeep(far, 2)
    return lab.plan()


FOUR_BAYS = Sketch(
    "four_bays",
    "four bays and a far board",
    "One disk may die; every night what cannot be replaced goes to a board at somebody else's.",
    (
        Ask("box", "The box is called", "name", "box"),
        Ask("where", "The board stands at", "name", "a friend's"),
        Ask("disk", "Each of the four disks", "disk", "4TB"),
        Ask("far_disk", "The far disk", "disk", "8TB"),
        Ask("photos", "Photos today", "data", "1.8 TB"),
        Ask("papers", "Papers today", "data", "150 GB"),
        Ask("films", "Films today", "data", "2.5 TB"),
        Ask("people", "Who uses it", "people", "ana bo"),
    ),
    _draw,
)
