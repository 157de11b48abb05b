"""A hypervisor whose guests go to a NAS every night, and from there on to the shelf."""

from kavrel.core.plan import Plan, Retention, Schedule
from kavrel.sketches.bricks import Bricks
from kavrel.sketches.sketch import Ask, Said, Sketch


def _draw(said: Said) -> Plan:
    lab = Bricks("a hypervisor and a NAS")
    lab.home()
    lab.away("friend", "a friend's")
    forge = lab.box(
        "hypervisor",
        said.name("box"),
        "hypervisor",
        slots_nvme=2,
        ram_gib=32.0,
        network_mbit=2500.0,
    )
    nas = lab.box(
        "nas", said.name("nas"), "small_box", bays_35=4, ram_gib=16.0, network_mbit=2500.0
    )
    sticks = lab.disks(forge, 2, said.disk("stick"), "nvme")
    disks = lab.disks(nas, 4, said.disk("disk"))
    vms = lab.pool("vms", "vms", forge, "mirror", "zfs", sticks, purpose="vms", record_kib=16)
    main = lab.pool("main", "main", nas, "raidz2", "zfs", disks)
    everybody = lab.people(said.people("people"))
    guests = lab.data(
        "guests",
        "guests",
        vms,
        said.data("guests"),
        use="vm_disks",
        file_bytes=20 * 10**9,
        repeat_share=0.8,
    )
    files = lab.data("files", "files", main, said.data("files"))
    lab.share(files, everybody)
    lab.snapshots(["guests"], "guests-hourly")
    lab.snapshots(["files"], "files-hourly")
    lab.job(
        "images", "images", "replication", [guests.id], "01:00", target_pool="main", alarm_days=2.0,
        credentials="target", retention=Retention(daily=14, weekly=8),
    )  # fmt: skip
    lab.vault(["files"], "03:00", up=100.0)
    lab.job(
        "guests-away", "guests away", "bucket", [guests.id], "05:00", target_bucket="vault",
        reads_from="images", schedule=Schedule(kind="weekly", at="05:00", weekdays=(6,)),
        encrypted=True, key_kept_at=("home", "friend"), alarm_days=16.0,
        retention=Retention(weekly=8, monthly=6),
    )  # fmt: skip
    lab.by_hand(["files"], lab.shelf_disk("shelf disk", said.disk("shelf"), "friend"))
    lab.upkeep(vms)
    lab.upkeep(main, 8)
    return lab.plan()


HYPERVISOR = Sketch(
    "hypervisor",
    "a hypervisor and a NAS",
    "Guests on mirrored flash, each night to a NAS that may lose two disks, each quarter out of the house.",
    (
        Ask("box", "The hypervisor is called", "name", "forge"),
        Ask("nas", "The NAS is called", "name", "nas"),
        Ask("stick", "Each NVMe stick", "disk", "1TB"),
        Ask("disk", "Each disk of the NAS", "disk", "8TB"),
        Ask("shelf", "The disk on the shelf", "disk", "8TB"),
        Ask("guests", "Disks of guests today", "data", "250 GB"),
        Ask("files", "Files today", "data", "3 TB"),
        Ask("people", "Who uses it", "people", "ana bo"),
    ),
    _draw,
)
