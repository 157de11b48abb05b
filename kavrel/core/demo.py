"""The demo lab: an invented pair of flats, a workshop and a cabin, with a few honest mistakes."""

from datetime import date

from kavrel.core.bench.capacity import labelled_bytes
from kavrel.core.edit import checked
from kavrel.core.plan import (
    AcceptedRisk,
    Account,
    App,
    AssumptionValue,
    Bucket,
    Cap,
    Dataset,
    DefaultLogin,
    Disk,
    Export,
    Grant,
    Group,
    Holding,
    Host,
    Job,
    Link,
    LogEntry,
    Mount,
    Network,
    Offer,
    Opening,
    Plan,
    Pool,
    Quota,
    Retention,
    Schedule,
    Share,
    Site,
    Supply,
    Tick,
    Window,
)

GB = 10**9


def demo_plan() -> Plan:
    """A consistent plan: 4 hosts at 4 sites, 19 disks of 6 sizes, 4 pools, 14 datasets, 20 jobs."""
    return checked(
        Plan(
            name="Lantern Row",
            variant="as it stands",
            currency="EUR",
            zone="Europe/Lisbon",
            sites=(
                Site(id="row", name="Lantern Row"),
                Site(id="mill", name="Old Mill workshop"),
                Site(id="aunt", name="Aunt's flat", own=False),
                Site(id="store", name="rented store", own=False),
            ),
            links=(
                Link(id="row-mill", a="row", b="mill", mbit_a_to_b=40.0, mbit_b_to_a=100.0),
                Link(
                    id="row-store",
                    a="row",
                    b="store",
                    mbit_a_to_b=40.0,
                    mbit_b_to_a=250.0,
                    encrypted=False,
                    allowance_bytes_per_month=300 * GB,
                ),
            ),
            caps=(
                Cap(id="awake", link="row-mill", from_at="07:00", to_at="23:00", mbit=10.0),
                Cap(id="supper", link="row-store", from_at="17:00", to_at="22:30", mbit=5.0),
            ),
            buckets=(
                Bucket(
                    id="ark",
                    name="lantern-ark",
                    site="store",
                    account="steward of Lantern Row",
                    locked_days=30,
                    locks_renewed=True,
                    price_minor=620,
                ),
            ),
            accepted=(
                AcceptedRisk(
                    id="risk-1",
                    dataset="course",
                    hazard="box_lost",
                    reason="nobody teaches this any more",
                    on=date(2026, 10, 4),
                    who="Inês",
                    basis="0000000000000000",
                ),
                AcceptedRisk(
                    id="risk-2",
                    dataset="blocks",
                    hazard="fire",
                    reason="the cutter is set up again in an evening",
                    on=date(2026, 10, 4),
                    who="Rui",
                    basis="78778f6cd86abfe6",
                ),
            ),
            hosts=_hosts(),
            supplies=(
                Supply(
                    id="cellar",
                    name="cellar UPS",
                    site="row",
                    va=900.0,
                    watts=540.0,
                    battery_wh=216.0,
                    health_percent=85,
                    hosts=("heron", "wren"),
                    signals=("heron",),
                    delay_minutes=5.0,
                    price_minor=14_900,
                ),
            ),
            offers=_offers(),
            disks=_disks(),
            pools=_pools(),
            datasets=_datasets(),
            holdings=(
                Holding(id="h1", disk="d12", dataset="reels"),
                Holding(id="h2", disk="d15", dataset="field"),
                Holding(id="h3", disk="d16", dataset="course"),
            ),
            ticks=(
                Tick(
                    id="t1",
                    step="create:loft:d13+d14",
                    on="2026-11-22",
                    hours=0.4,
                    who="Inês",
                ),
            ),
            shares=_shares(),
            accounts=_accounts(),
            groups=(
                Group(id="household", name="household", members=("ines", "rui", "tomas")),
                Group(id="choir", name="choir", members=("rui", "guest-tenor")),
            ),
            grants=_grants(),
            networks=(
                Network(
                    id="lan",
                    site="row",
                    name="house",
                    range="192.168.20.0/24",
                    dhcp_from="192.168.20.100",
                    dhcp_to="192.168.20.199",
                    gateway="192.168.20.1",
                ),
                Network(id="storage", site="row", name="storage", range="10.20.0.0/28"),
                Network(
                    id="mill-lan",
                    site="mill",
                    name="mill",
                    range="192.168.77.0/24",
                    dhcp_from="192.168.77.20",
                    dhcp_to="192.168.77.250",
                    gateway="192.168.77.1",
                ),
            ),
            quotas=(
                Quota(id="q-ines", account="ines", dataset="homes", bytes=300 * GB),
                Quota(id="q-rui", account="rui", dataset="homes", bytes=300 * GB),
                Quota(id="q-tomas", account="tomas", dataset="homes", bytes=50 * GB),
            ),
            exports=_exports(),
            apps=(
                App(id="gallery", name="gallery", host="wren", account="gallery", ports=(8080,)),
                App(id="cinema-app", name="cinema server", host="heron", ports=(8096,)),
                App(id="books", name="book-keeping", host="wren", account="books", ports=(8080,)),
            ),
            mounts=(
                Mount(id="m1", app="gallery", dataset="scans", inside="/photos"),
                Mount(id="m2", app="cinema-app", dataset="films", inside="/media/films"),
                Mount(
                    id="m3", app="books", dataset="ledger", inside="/var/lib/ledger", may="write"
                ),
            ),
            default_logins=(
                DefaultLogin(
                    id="heron-web",
                    host="heron",
                    service="web",
                    login="admin",
                    changed_on="2026-02-11",
                    off=True,
                ),
                DefaultLogin(
                    id="heron-shell",
                    host="heron",
                    service="root shell",
                    login="root",
                    changed_on="2026-02-11",
                ),
                DefaultLogin(id="dipper-web", host="dipper", service="web", login="admin"),
            ),
            openings=(
                Opening(id="op1", host="heron", port=8096, purpose="films on the road"),
                Opening(
                    id="op2", host="heron", port=22, source="vpn", purpose="shell for the steward"
                ),
            ),
            jobs=_jobs(),
            log=_log(),
            assumptions=(
                AssumptionValue(id="order_disk_hours", value=72, note="post comes on Tuesdays"),
            ),
        )
    )


def _hosts() -> tuple[Host, ...]:
    return (
        Host(
            id="heron",
            name="heron",
            kind="tower",
            site="row",
            bays_35=11,
            bays_25=2,
            slots_nvme=2,
            ram_gib=16.0,
            network_mbit=2500.0,
            boot_device="usb_stick",
            boot_copied=False,
            on_ups=True,
            after_power_cut="by_itself",
            addressing="static",
            address="192.168.20.10",
            vpn_address="100.80.0.10",
            shutdown_minutes=4.0,
            price_minor=52_000,
        ),
        Host(
            id="wren",
            name="wren",
            kind="hypervisor",
            site="row",
            bays_25=4,
            slots_nvme=2,
            ram_gib=64.0,
            network_mbit=2500.0,
            boot_device="ssd",
            boot_copied=True,
            on_ups=True,
            after_power_cut="over_network",
            addressing="reserved",
            address="192.168.20.11",
            start_order=2,
            price_minor=61_000,
        ),
        Host(
            id="dipper",
            name="dipper",
            kind="small_box",
            site="mill",
            bays_35=4,
            ram_gib=8.0,
            network_mbit=1000.0,
            boot_device="ssd",
            boot_copied=True,
            on_ups=False,
            default_passwords_changed=False,
            vpn_address="100.80.0.20",
            price_minor=29_000,
        ),
        Host(
            id="perch",
            name="perch",
            kind="single_board",
            site="row",
            ports_usb=2,
            ram_gib=4.0,
            network_mbit=1000.0,
            boot_device="sd_card",
            boot_copied=True,
            price_minor=9_000,
        ),
    )


def _offers() -> tuple[Offer, ...]:
    def offer(key: str, gigabytes: int, price: int, **more: object) -> Offer:
        return Offer.model_validate(
            {
                "id": key,
                "label": f"{gigabytes // 1000} TB" + (" refurbished" if more else ""),
                "capacity_bytes": labelled_bytes(gigabytes),
                "price_minor": price,
                **more,
            }
        )

    return (
        offer("o4", 4000, 9_400),
        offer("o8", 8000, 17_200),
        offer("o12", 12000, 24_300),
        offer("o16", 16000, 30_500),
        offer("o20", 20000, 38_900),
        offer("o16r", 16000, 20_500, condition="refurbished", at_most=4),
    )


def _disks() -> tuple[Disk, ...]:
    def hdd(
        number: int,
        gigabytes: int,
        price: int,
        speed: float,
        host: str | None = None,
        bay: int | None = None,
        **more: object,
    ) -> Disk:
        return Disk.model_validate(
            {
                "id": f"d{number}",
                "label": f"D{number}",
                "serial": f"LR-{4100 + 37 * number}",
                "capacity_bytes": labelled_bytes(gigabytes),
                "price_minor": price,
                "mb_per_s": speed,
                "host": host,
                "bay": f"3.5-{bay}" if bay else None,
                **more,
            }
        )

    def ssd(number: int, gigabytes: int, price: int, host: str, bay: str, batch: str) -> Disk:
        return Disk(
            id=f"s{number}",
            label=f"S{number}",
            serial=f"SX-{700 + 11 * number}",
            capacity_bytes=labelled_bytes(gigabytes),
            kind="ssd",
            form="2.5",
            price_minor=price,
            mb_per_s=480.0,
            batch=batch,
            host=host,
            bay=bay,
        )

    return (
        hdd(1, 8000, 17_900, 170.0, "heron", 1, batch="A-24"),
        hdd(2, 8000, 17_900, 170.0, "heron", 2, batch="A-24"),
        hdd(3, 8000, 17_900, 170.0, "heron", 3, batch="A-24"),
        hdd(4, 8000, 18_400, 175.0, "heron", 4, batch="B-31"),
        hdd(5, 8000, 18_400, 175.0, "heron", 5, batch="B-31"),
        hdd(6, 8000, 11_000, 160.0, "heron", 6, condition="refurbished"),
        hdd(7, 12000, 24_900, 185.0, "dipper", 1),
        hdd(8, 12000, 24_900, 185.0, "dipper", 2),
        hdd(9, 16000, 29_900, 200.0, "dipper", 3),
        hdd(10, 16000, 21_000, 195.0, shelf="row", condition="refurbished"),
        hdd(11, 8000, 17_500, 175.0, shelf="row"),
        hdd(12, 4000, 6_000, 140.0, "perch", bay=None, condition="used").model_copy(
            update={"bay": "usb-1", "holds_data": True}
        ),
        hdd(13, 12000, 24_900, 190.0, "heron", 7, batch="C-02", bought_on="2026-11-02"),
        hdd(14, 12000, 24_900, 190.0, "heron", 8, batch="C-03", bought_on="2026-11-02"),
        hdd(15, 12000, 15_000, 180.0, "heron", 9, condition="used", run_hours=21_000),
        hdd(16, 12000, 15_000, 180.0, "heron", 10, condition="used", run_hours=19_500),
        ssd(1, 2000, 13_500, "wren", "2.5-1", "S-7"),
        ssd(2, 2000, 13_500, "wren", "2.5-2", "S-7"),
        ssd(3, 1000, 7_200, "heron", "2.5-1", ""),
    )


def _pools() -> tuple[Pool, ...]:
    return (
        Pool(
            id="ridge",
            name="ridge",
            host="heron",
            family="raidz2",
            filesystem="zfs",
            groups=(("d1", "d2", "d3", "d4", "d5", "d6"),),
            encrypted=True,
        ),
        Pool(
            id="anvil",
            name="anvil",
            host="wren",
            family="mirror",
            filesystem="zfs",
            groups=(("s1", "s2"),),
            record_kib=16,
        ),
        Pool(
            id="burrow",
            name="burrow",
            host="dipper",
            family="raidz1",
            filesystem="zfs",
            groups=(("d7", "d8", "d9"),),
        ),
        # Wanted: two new disks now, the two old ones once their data is in it.
        Pool(
            id="loft",
            name="loft",
            host="heron",
            family="striped_mirror",
            filesystem="zfs",
            groups=(("d13", "d14"), ("d15", "d16")),
            standing=False,
        ),
    )


def _datasets() -> tuple[Dataset, ...]:
    def data(
        key: str,
        name: str,
        pool: str,
        size_gb: int,
        growth_gb: int,
        change_gb: float,
        **more: object,
    ) -> Dataset:
        return Dataset.model_validate(
            {
                "id": key,
                "name": name,
                "pool": pool,
                "size_bytes": size_gb * GB,
                "growth_bytes_per_year": growth_gb * GB,
                "change_bytes_per_day": int(change_gb * GB),
                **more,
            }
        )

    return (
        data("scans", "negative scans", "ridge", 5800, 900, 1.5, worth="irreplaceable"),
        data("tapes", "choir tapes", "ridge", 1400, 220, 0.8, worth="irreplaceable"),
        data(
            "papers",
            "household papers",
            "ridge",
            60,
            8,
            0.2,
            worth="irreplaceable",
            compressible=True,
        ),
        data("homes", "home folders", "ridge", 420, 60, 3.0, worth="nuisance", compressible=True),
        data("films", "ripped films", "ridge", 6900, 800, 2.0, worth="fetch_again"),
        data("clips", "door camera", "ridge", 350, 0, 50.0, worth="fetch_again", throw_away=True),
        data("vms", "machine images", "anvil", 520, 60, 12.0, worth="nuisance", compressible=True),
        data(
            "ledger",
            "ledger database",
            "anvil",
            9,
            2,
            0.6,
            worth="irreplaceable",
            compressible=True,
            live_database=True,
        ),
        data("reels", "holiday reels", "loft", 2900, 150, 0.1, worth="irreplaceable"),
        data("field", "field recordings", "loft", 5200, 600, 0.4, worth="irreplaceable"),
        data("course", "old course material", "loft", 3800, 0, 0.0, worth="nuisance"),
        data("cuttings", "workshop cutting files", "burrow", 180, 30, 0.9, worth="irreplaceable"),
        data("blocks", "client disks", "ridge", 64, 0, 0.5, use="vm_disks", record_kib=16),
        data("vault", "backup vault", "burrow", 400, 200, 2.0, quota_bytes=2500 * GB),
    )


def _shares() -> tuple[Share, ...]:
    return (
        Share(
            id="archive", name="archive", dataset="scans", recycle_days=7, comment="scans & prints"
        ),
        Share(id="choir", name="choir", dataset="tapes", comment="rehearsals, Tuesdays"),
        Share(id="papers", name="papers", dataset="papers", recycle_days=7),
        Share(id="homes", name="private", dataset="homes", home=True),
        Share(id="cinema", name="cinema", dataset="films", guest="read"),
        Share(id="drop", name="letter slot", dataset="clips", guest="write"),
        Share(
            id="workshop", name="workshop", dataset="cuttings", smb1=True, comment="the old cutter"
        ),
    )


def _accounts() -> tuple[Account, ...]:
    return (
        Account(id="ines", login="ines", full_name="Inês Faria-Lund"),
        Account(id="rui", login="rui", full_name="Rui Faria-Lund"),
        Account(id="tomas", login="tomas", full_name="Tomás, 9 years"),
        Account(
            id="steward", login="steward", full_name="Steward of the boxes", role="administrator"
        ),
        Account(id="guest-tenor", login="tenor", full_name="Second tenor"),
        Account(id="player", login="player", full_name="Living-room player", role="player"),
        Account(id="courier", login="courier", full_name="Backup courier", role="backup"),
        Account(id="gallery", login="gallery", full_name="Photo gallery", role="machine"),
        Account(id="books", login="books", full_name="Book-keeping", role="machine"),
    )


def _exports() -> tuple[Export, ...]:
    return (
        Export(
            id="e-images",
            protocol="nfs",
            name="machine-images",
            dataset="vms",
            clients=("10.20.0.3", "10.20.0.4"),
            squash="none",
        ),
        Export(
            id="e-scans",
            protocol="nfs",
            name="scans",
            dataset="scans",
            may="read",
            clients=("192.168.20.0/24",),
        ),
        Export(
            id="e-cutter",
            protocol="iscsi",
            name="cutter",
            dataset="blocks",
            clients=("iqn.2026-02.lab.lantern:cutter",),
            size_bytes=64 * GB,
            thick=True,
            secured=True,
        ),
        Export(
            id="e-mill",
            protocol="rsync",
            name="mill",
            dataset="papers",
            may="read",
            clients=("192.168.77.0/24",),
            accounts=("courier",),
        ),
        Export(
            id="e-vault",
            protocol="s3",
            name="vault",
            dataset="vault",
            accounts=("courier",),
            size_bytes=2000 * GB,
            secured=True,
            port=9000,
            console_port=9001,
            buckets=("nightly", "phones"),
        ),
        Export(
            id="e-tapes",
            protocol="sftp",
            name="tapes",
            dataset="tapes",
            may="read",
            accounts=("guest-tenor",),
        ),
    )


def _grants() -> tuple[Grant, ...]:
    rows: tuple[tuple[str, str, str, str], ...] = (
        ("archive", "group", "household", "write"),
        ("archive", "account", "tomas", "read"),
        ("choir", "group", "choir", "write"),
        ("choir", "group", "household", "read"),
        ("papers", "group", "household", "write"),
        ("papers", "account", "tomas", "none"),
        ("papers", "account", "steward", "write"),
        ("homes", "group", "household", "write"),
        ("cinema", "group", "household", "write"),
        ("cinema", "account", "player", "read"),
        ("workshop", "account", "rui", "write"),
        ("workshop", "account", "ines", "read"),
    )
    return tuple(
        Grant.model_validate({"id": f"grant-{n}", "share": share, kind: who, "right": right})
        for n, (share, kind, who, right) in enumerate(rows, 1)
    )


def _jobs() -> tuple[Job, ...]:
    daily = Schedule(kind="daily", at="01:30")
    return (
        Job(
            id="ridge-snaps",
            name="ridge snapshots",
            kind="snapshot",
            datasets=("scans", "tapes", "papers", "homes"),
            schedule=Schedule(kind="hourly", every=1, at="00:00"),
            retention=Retention(hourly=48, daily=28),
        ),
        Job(
            id="anvil-snaps",
            name="anvil snapshots",
            kind="snapshot",
            datasets=("vms", "ledger"),
            schedule=Schedule(kind="hourly", every=4, at="00:15"),
            retention=Retention(last=42),
        ),
        Job(
            id="to-mill",
            name="ridge to the mill",
            kind="replication",
            datasets=("scans", "tapes", "papers", "homes"),
            target_pool="burrow",
            schedule=daily,
            retention=Retention(all_days=28),
            credentials="source",
            catch_up=True,
        ),
        Job(
            id="papers-vault",
            name="papers vault",
            kind="backup",
            datasets=("papers", "homes"),
            target_pool="burrow",
            schedule=Schedule(kind="daily", at="02:00"),
            retention=Retention(daily=7, weekly=2, monthly=12, yearly=1),
            encrypted=True,
            key_kept_at=("row",),
            credentials="target",
        ),
        Job(
            id="images",
            name="machine images to ridge",
            kind="image",
            datasets=("vms",),
            target_pool="ridge",
            schedule=Schedule(kind="weekly", weekdays=(6,), at="01:00"),
            retention=Retention(last=8),
            credentials="source",
        ),
        Job(
            id="ledger-night",
            name="ledger every night",
            kind="replication",
            datasets=("ledger",),
            target_pool="ridge",
            schedule=Schedule(kind="daily", at="00:40"),
            retention=Retention(last=30),
            credentials="target",
        ),
        Job(
            id="shelf",
            name="scans on the shelf",
            kind="shelf",
            datasets=("scans", "tapes"),
            target_disk="d10",
            schedule=Schedule(kind="monthly", every=4, day=15, at="10:00", start=date(2025, 3, 15)),
            retention=Retention(last=1),
            credentials="hand",
        ),
        Job(
            id="mill-snaps",
            name="mill snapshots",
            kind="snapshot",
            datasets=("cuttings",),
            schedule=Schedule(kind="daily", at="22:00"),
            retention=Retention(
                windows=(Window(every="daily", days=14), Window(every="weekly", days=60))
            ),
        ),
        Job(
            id="cuttings-home",
            name="cutting files to the row",
            kind="replication",
            datasets=("cuttings",),
            target_pool="ridge",
            schedule=Schedule(kind="weekly", weekdays=(0, 3), at="07:30"),
            retention=Retention(last=1),
            credentials="everyday",
        ),
        Job(
            id="papers-ark",
            name="papers to the ark",
            kind="bucket",
            datasets=("papers",),
            target_bucket="ark",
            schedule=Schedule(kind="daily", at="03:10"),
            retention=Retention(daily=30, monthly=6),
            encrypted=True,
            key_kept_at=("row", "aunt"),
            wire_encrypted=True,
            alarm_days=3.0,
        ),
        Job(
            id="ledger-dump",
            name="ledger dump",
            kind="dump",
            datasets=("ledger",),
            target_pool="ridge",
            schedule=Schedule(kind="daily", at="00:20"),
            retention=Retention(last=14),
        ),
        Job(
            id="ledger-mill",
            name="ledger dump to the mill",
            kind="backup",
            datasets=("ledger",),
            reads_from="ledger-dump",
            after="ledger-dump",
            target_pool="burrow",
            schedule=Schedule(kind="after"),
            retention=Retention(daily=7, monthly=6),
            credentials="target",
            alarm_days=2.0,
        ),
        Job(
            id="homes-wren",
            name="homes beside the machines",
            kind="folder_mirror",
            datasets=("homes",),
            target_pool="anvil",
            schedule=Schedule(kind="daily", at="04:10"),
            retention=Retention(trash_days=7),
            left_out=(".cache/", "*.part"),
            left_out_share=0.05,
        ),
        Job(
            id="dipper-config",
            name="settings of dipper",
            kind="config",
            host="dipper",
            target_pool="ridge",
            schedule=Schedule(kind="weekly", weekdays=(6,), at="05:00"),
            retention=Retention(last=12),
        ),
        Job(
            id="ridge-scrub",
            name="scrub of ridge",
            kind="scrub",
            pool="ridge",
            schedule=Schedule(kind="monthly", every=3, nth=1, weekdays=(5,), at="03:00"),
        ),
        Job(
            id="burrow-scrub",
            name="scrub of burrow",
            kind="scrub",
            pool="burrow",
            schedule=Schedule(kind="monthly", every=3, nth=2, weekdays=(5,), at="03:00"),
        ),
        Job(
            id="ridge-long",
            name="long tests of ridge",
            kind="smart_long",
            pool="ridge",
            schedule=Schedule(kind="monthly", nth=3, weekdays=(5,), at="06:30"),
            window_from="06:00",
            window_to="23:00",
        ),
        Job(
            id="ridge-short",
            name="short tests of ridge",
            kind="smart_short",
            pool="ridge",
            schedule=Schedule(kind="weekly", weekdays=(2,), at="12:00"),
        ),
        Job(
            id="row-bins",
            name="bins of the row",
            kind="bin",
            datasets=("scans", "papers"),
            schedule=Schedule(kind="daily", at="04:40"),
        ),
        Job(
            id="heron-updates",
            name="updates for heron",
            kind="updates",
            host="heron",
            schedule=Schedule(kind="weekly", weekdays=(0,), at="12:30"),
        ),
        Job(
            id="dipper-restart",
            name="restart of dipper",
            kind="restart",
            host="dipper",
            schedule=Schedule(kind="weekly", every=2, weekdays=(6,), at="06:00"),
        ),
        Job(
            id="try-papers",
            name="try the papers vault",
            kind="restore_test",
            reads_from="papers-vault",
            schedule=Schedule(kind="monthly", every=6, day=8, at="10:00"),
        ),
    )


def _log() -> tuple[LogEntry, ...]:
    rows: tuple[tuple[str, str, str, str, str, str, int | None, str], ...] = (
        ("2025-02-02", "disk_check", "disk", "d1", "ok", "rui", 780, "no bad sectors"),
        ("2025-02-02", "disk_check", "disk", "d2", "ok", "rui", 780, ""),
        ("2025-02-03", "disk_check", "disk", "d3", "ok", "rui", 785, ""),
        ("2025-02-04", "disk_check", "disk", "d4", "ok", "rui", 760, ""),
        ("2025-02-04", "disk_check", "disk", "d5", "ok", "rui", 760, ""),
        ("2025-02-20", "disk_check", "disk", "d7", "ok", "ines", 1085, "18 h, as expected"),
        ("2025-02-20", "disk_check", "disk", "d8", "ok", "ines", 1090, ""),
        ("2025-02-22", "disk_check", "disk", "d9", "ok", "ines", 1330, ""),
        ("2025-03-15", "shelf_copy", "job", "shelf", "ok", "rui", 700, "first shelf copy"),
        ("2025-07-19", "shelf_copy", "job", "shelf", "ok", "rui", 735, ""),
        (
            "2026-08-08",
            "restore_test",
            "job",
            "papers-vault",
            "ok",
            "ines",
            12,
            "one letter, opened",
        ),
        (
            "2026-04-11",
            "restore_test",
            "dataset",
            "scans",
            "failed",
            "ines",
            40,
            "wrong point mounted",
        ),
        ("2026-08-30", "scrub", "pool", "ridge", "ok", "rui", 560, "0 errors"),
        (
            "2026-09-12",
            "incident",
            "host",
            "dipper",
            "noted",
            "rui",
            None,
            "power cut, came back alone",
        ),
        ("2026-10-18", "smart_reading", "disk", "d1", "ok", "rui", None, "0 reallocated, 34 C"),
        ("2026-10-18", "smart_reading", "disk", "d6", "noted", "rui", None, "8 reallocated, 36 C"),
        ("2026-11-02", "update", "host", "heron", "ok", "ines", 25, ""),
    )
    return tuple(
        LogEntry.model_validate(
            {
                "id": f"log-{n}",
                "on": date.fromisoformat(on),
                "kind": kind,
                "about_kind": about_kind,
                "about": about,
                "result": result,
                "who": who,
                "minutes": minutes,
                "note": note,
            }
        )
        for n, (on, kind, about_kind, about, result, who, minutes, note) in enumerate(rows, 1)
    )
