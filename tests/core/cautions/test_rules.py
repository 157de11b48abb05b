"""Every rule is made to speak by one change of a quiet plan, and is silent without it."""

from collections.abc import Callable, Sequence
from typing import Any

import pytest

from kavrel.core.cautions import RULES, cautions, raised
from kavrel.core.cautions.causes import Cause, causes
from kavrel.core.cautions.caution import Caution, View
from kavrel.core.edit import put, remove
from kavrel.core.evaluate import evaluate
from kavrel.core.index import Index
from kavrel.core.paper.runbook import runbook
from kavrel.core.plan import (
    COLLECTIONS,
    AcceptedRisk,
    Account,
    App,
    Bucket,
    Dataset,
    DefaultLogin,
    Export,
    Grant,
    Holding,
    Job,
    Link,
    LogEntry,
    Mount,
    Network,
    Opening,
    Plan,
    Pool,
    Retention,
    Schedule,
    Share,
    Site,
    Supply,
)
from kavrel.core.works.folders import folder_works
from kavrel.demo import demo_plan
from tests.builders import GB, TB, TODAY, assume, daily, dataset, disk, job, lab, result, rules

FAR: dict[str, Any] = {"kind": "replication", "target_pool": "second"}
SEALED: dict[str, Any] = {"kind": "backup", "target_pool": "second", "encrypted": True}
ALONE = Pool(
    id="main", name="main", host="box", family="single", filesystem="zfs", groups=(("box1",),)
)


def disks(*changed: Any) -> tuple[Any, ...]:
    named = {d.id: d for d in changed}
    return tuple(named.get(d.id, d) for d in lab().disks)


def host(**more: Any) -> tuple[Any, ...]:
    first, second = lab().hosts
    return (first.model_copy(update=more), second)


def account(role: str) -> tuple[Account, ...]:
    return (
        Account.model_validate({"id": "ana", "login": "ana", "full_name": "Ana", "role": role}),
        lab().accounts[1],
    )


def share(**more: Any) -> tuple[Share, ...]:
    return (lab().shares[0].model_copy(update=more),)


def pool(**more: Any) -> tuple[Pool, ...]:
    first, second = lab().pools
    return (first.model_copy(update=more), second)


def sealed(**more: Any) -> tuple[Pool, ...]:
    return tuple(p.model_copy(update={"encrypted": True, **more}) for p in lab().pools)


def supply(**more: Any) -> tuple[Supply, ...]:
    fields = {"id": "u", "name": "u", "site": "home", "va": 900.0, "watts": 540.0}
    return (Supply.model_validate({**fields, "battery_wh": 216.0, "hosts": ("box",), **more}),)


def old(**more: Any) -> dict[str, Any]:
    """A wanted mirror over two disks, one of which holds the only copy of what belongs on it."""
    wanted = Pool(
        id="new",
        name="new",
        host="box",
        family="mirror",
        filesystem="zfs",
        groups=(("box4", "box5"),),
        standing=False,
    )
    letters = dataset(id="letters", name="letters", pool="new", size_bytes=10 * GB)
    return {
        "disks": (*lab().disks, disk(4), disk(5)),
        "pools": (*lab().pools, wanted),
        "datasets": (*lab().datasets, letters),
        "holdings": (Holding(id="h", disk="box4", dataset="letters", **more),),
    }


def exported(protocol: str, **more: Any) -> dict[str, Any]:
    """The lab with one export of its files."""
    fields = {"id": "e", "protocol": protocol, "name": "e", "dataset": "files", **more}
    return {"exports": (Export.model_validate(fields),)}


def nested(protocol: str, **more: Any) -> Plan:
    """The files are offered, and a folder in them is shared with nobody yet."""
    both = (*share(), Share(id="in", name="inner", dataset="inner"))
    plain = {"family": "raid5", "filesystem": "ext4"}
    pools = (lab().pools[0].model_copy(update=plain), *lab().pools[1:])
    sets = (dataset(), child())
    return lab(pools=pools, datasets=sets, shares=both, **exported(protocol, **more))


def nfs(**more: Any) -> Plan:
    return lab(**exported("nfs", **{"clients": ("10.0.0.5",), **more}))


def lun(**more: Any) -> Plan:
    fields = {"clients": ("iqn.2026-01.lab:a",), "size_bytes": 64 * GB, **more}
    return lab(**exported("iscsi", **fields))


def s3(**more: Any) -> Plan:
    fields = {"accounts": ("ana",), "size_bytes": GB, "port": 9000, "buckets": ("one",), **more}
    return lab(**exported("s3", **fields))


def ftp(**more: Any) -> Plan:
    return lab(**exported("ftp", **{"accounts": ("ana",), **more}))


def login(**more: Any) -> Plan:
    fields = {"id": "l", "host": "box", "service": "web", "login": "admin", **more}
    return lab(default_logins=(DefaultLogin.model_validate(fields),))


def opening(port: int, **more: Any) -> Plan:
    fields = {"id": "o", "host": "box", "port": port, "purpose": "p", **more}
    return lab(openings=(Opening.model_validate(fields),))


def person(**more: Any) -> tuple[Account, ...]:
    first, second = lab().accounts
    return (first.model_copy(update=more), second)


def app(may: str = "write", account: str | None = "bo", host: str = "box") -> dict[str, Any]:
    return {
        "apps": (App(id="a", name="a", host=host, account=account),),
        "mounts": (
            Mount.model_validate(
                {"id": "m", "app": "a", "dataset": "files", "inside": "/data", "may": may}
            ),
        ),
    }


def child(**more: Any) -> Dataset:
    return dataset(id="inner", name="inner", parent="files", **more)


LAN = Network(
    id="lan",
    site="home",
    name="lan",
    range="192.168.1.0/24",
    dhcp_from="192.168.1.100",
    dhcp_to="192.168.1.200",
)
WRITE = Grant(id="g1", share="share", account="ana", right="write")
# Disks with a Btrfs each below one tree, as an older plan may have them.
SEVERAL = {"family": "union", "filesystem": "btrfs", "groups": (("box1", "box2", "box3"),)}

MADE: dict[str, Callable[[], Plan]] = {
    "no_copy": lambda: lab(jobs=(job("s"),)),
    "no_offsite": lambda: lab(jobs=(job("x", kind="shelf", target_disk="loose9"),)),
    "lost_for_good": lambda: lab(jobs=(job("s"),)),
    "no_redundancy": lambda: lab(pools=(ALONE, lab().pools[1])),
    "same_batch": lambda: lab(disks=disks(disk(1, batch="A"), disk(2, batch="A"))),
    "refurbished_at_work": lambda: lab(disks=disks(disk(2, condition="refurbished"))),
    "read_error_in_rebuild": lambda: lab(
        datasets=(dataset(size_bytes=4000 * GB),), assumptions=assume(hdd_bits_per_read_error=1e13)
    ),
    "stranded_space": lambda: lab(disks=disks(disk(3, capacity_bytes=8 * TB))),
    "pool_full": lambda: lab(datasets=(dataset(size_bytes=7000 * GB),)),
    "pool_too_small": lambda: lab(datasets=(dataset(size_bytes=9000 * GB),)),
    "holds_data": lambda: lab(disks=disks(disk(1, holds_data=True))),
    "little_memory": lambda: lab(hosts=host(ram_gib=4.0)),
    "usb_power": lambda: lab(
        hosts=host(kind="single_board", ports_usb=2),
        disks=(*lab().disks, disk(7, "box").model_copy(update={"bay": "usb-1"})),
    ),
    "system_room": lambda: lab(hosts=host(boot_disk="box1", system_bytes=4 * GB)),
    "boot_without_copy": lambda: lab(hosts=host(boot_device="sd_card")),
    "no_ups": lambda: lab(hosts=host(on_ups=False)),
    "default_passwords": lambda: lab(hosts=host(default_passwords_changed=False)),
    "not_surface_checked": lab,
    "many_shares": lambda: lab(
        assumptions=assume(shares_wanted=1),
        shares=(*share(), Share(id="two", name="two", dataset="files")),
    ),
    "guest_write": lambda: lab(shares=share(guest="write")),
    "smb1": lambda: lab(shares=share(smb1=True)),
    "admin_every_day": lambda: lab(accounts=account("administrator")),
    "player_writes": lambda: lab(accounts=account("player")),
    "homes_readable": lambda: lab(shares=share(home=True)),
    "source_can_delete": lambda: lab(jobs=(job("r", credentials="source", **FAR),)),
    "mirror_as_backup": lambda: lab(jobs=(job("r", retention=Retention(last=1), **FAR),)),
    "noticed_too_late": lambda: lab(jobs=(job("r", retention=Retention(last=5), **FAR),)),
    "not_encrypted_away": lambda: lab(
        sites=(lab().sites[0], Site(id="away", name="away", own=False)), jobs=(job("r", **FAR),)
    ),
    "left_out_everywhere": lambda: lab(
        jobs=(
            job("s"),
            job("b", kind="backup", target_pool="second", left_out=(".cache/", "*.o")),
            job("m", kind="shelf", target_disk="loose9", left_out=("*.o",), retention=Retention()),
        )
    ),
    "system_group": lambda: lab().model_copy(
        update={"groups": (lab().groups[0].model_copy(update={"name": "sudo"}),)}
    ),
    "numbers_unsaid": lambda: lab(jobs=(job("r", **FAR),)),
    "system_account": lambda: lab().model_copy(
        update={
            "accounts": (
                lab().accounts[0].model_copy(update={"login": "backup"}),
                lab().accounts[1],
            )
        }
    ),
    "copy_does_not_fit": lambda: lab(
        datasets=(dataset(size_bytes=3900 * GB),),
        jobs=(job("s", kind="shelf", target_disk="loose9", retention=Retention(last=1)),),
    ),
    # As an older plan may have it: an edit that brings it in is refused.
    "not_carried_out": lambda: (p := lab(jobs=(job("r", **FAR),))).model_copy(
        update={"jobs": (p.jobs[0].model_copy(update={"encrypted": True}),)}
    ),
    "no_box_makes_it": lambda: (p := lab()).model_copy(
        update={"pools": (p.pools[0].model_copy(update=SEVERAL), *p.pools[1:])}
    ),
    "key_burns": lambda: lab(jobs=(job("r", key_kept_at=("home",), **SEALED),)),
    "tunnel_missing": lambda: lab(
        links=(lab().links[0].model_copy(update={"encrypted": False}),), jobs=(job("r", **FAR),)
    ),
    "no_way": lambda: lab(links=(), jobs=(job("r", **FAR),)),
    "carry_first_copy": lambda: lab(
        jobs=(job("r", **FAR),), assumptions=assume(carry_instead_hours=24)
    ),
    "runs_into_next": lambda: lab(jobs=(job("r", limit_mbit=0.1, **FAR),)),
    "clash": lambda: lab(
        jobs=(
            job("r", **FAR),
            job("b", kind="backup", target_pool="second", schedule=daily("01:05")),
        )
    ),
    "waking_hours": lambda: lab(jobs=(job("r", schedule=daily("12:00"), **FAR),)),
    "never_restored": lambda: lab(jobs=(job("r", **FAR),)),
    "shelf_overdue": lambda: lab(
        jobs=(
            job(
                "x",
                kind="shelf",
                target_disk="loose9",
                schedule=Schedule(kind="monthly", day=1),
            ),
        ),
        log=(
            LogEntry.model_validate(
                {
                    "id": "l",
                    "on": "2026-01-01",
                    "kind": "shelf_copy",
                    "about_kind": "job",
                    "about": "x",
                }
            ),
        ),
    ),
    "throw_away_copied": lambda: lab(datasets=(dataset(throw_away=True),), jobs=(job("r", **FAR),)),
    "live_database": lambda: lab(
        datasets=(dataset(live_database=True),),
        jobs=(job("x", kind="shelf", target_disk="loose9"),),
    ),
    "same_box": lambda: lab(
        jobs=(job("x", kind="shelf", target_disk="box6"),), disks=(*lab().disks, disk(6))
    ),
    "shingled_in_group": lambda: lab(disks=disks(disk(2, recording="smr"))),
    "mixed_sectors": lambda: lab(disks=disks(disk(2, sector="4kn"))),
    "ups_too_weak": lambda: lab(supplies=supply(signals=("box",), delay_minutes=500.0)),
    "ups_signal": lambda: lab(supplies=supply()),
    "stays_down": lambda: lab(
        sites=(Site(id="home", name="home"), Site(id="away", name="away", own=False))
    ),
    "tier_alone": lambda: lab(
        hosts=host(slots_nvme=1),
        disks=(*lab().disks, disk(8, kind="nvme", form="m.2", bay="nvme-1")),
        pools=pool(tier=("box8",), tier_mirrored=False),
    ),
    "vms_on_parity": lambda: lab(pools=pool(purpose="vms")),
    "footage_copy_on_write": lambda: lab(pools=pool(purpose="footage")),
    "only_copy_on_it": lambda: lab(**old()),
    "holding_unverified": lambda: lab(**old(verified=False)),
    "odds_not_accepted": lambda: lab(assumptions=assume(accepted_loss_odds=1e-9)),
    "full_within_a_year": lambda: lab(
        datasets=(dataset(size_bytes=6000 * GB, growth_bytes_per_year=1000 * GB),)
    ),
    "slow_disk": lambda: lab(disks=disks(disk(2, mb_per_s=60.0))),
    # Shares, accounts, addresses and applications.
    "share_of_nobody": lambda: lab(grants=()),
    "everybody_writes": lambda: lab(
        shares=share(guest="write"),
        grants=(),
        accounts=(
            *lab().accounts,
            *(Account(id=f"p{n}", login=f"p{n}", full_name="P") for n in range(3)),
        ),
    ),
    "twice_shared": lambda: lab(shares=(*share(), Share(id="two", name="two", dataset="files"))),
    "child_through_parent": lambda: nested("rsync", accounts=("ana",), clients=("10.0.0.5",)),
    "guest_sees": lambda: lab(shares=share(guest="read")),
    "no_bin": lab,
    "bin_too_long": lambda: lab(shares=share(recycle_days=400)),
    "many_own_grants": lambda: lab(
        accounts=tuple(Account(id=f"p{n}", login=f"p{n}", full_name="P") for n in range(5)),
        groups=(),
        grants=tuple(
            Grant(id=f"g{n}", share="share", account=f"p{n}", right="read") for n in range(5)
        ),
    ),
    "grant_ran_out": lambda: lab(
        grants=(
            Grant.model_validate({**WRITE.model_dump(mode="json"), "expires_on": "2026-01-01"}),
        )
    ),
    "windows_names": lambda: lab(shares=share(name="aux")),
    "admin_one_factor": lambda: lab(accounts=account("administrator")),
    "no_administrator": lab,
    "many_administrators": lambda: lab(
        accounts=tuple(
            Account(id=f"p{n}", login=f"p{n}", full_name="P", role="administrator")
            for n in range(3)
        ),
        groups=(),
        grants=(),
    ),
    "unused_account": lab,
    "account_ran_out": lambda: lab(accounts=person(expires_on=TODAY)),
    "machine_writes_much": lambda: lab(
        accounts=account("machine"),
        shares=(*share(), Share(id="two", name="two", dataset="files")),
        grants=(WRITE, Grant(id="g2", share="two", account="ana", right="write")),
    ),
    "backup_writes_source": lambda: lab(accounts=account("backup"), jobs=(job("r", **FAR),)),
    "short_passwords": lambda: lab(assumptions=assume(password_length=8)),
    "forced_change": lambda: lab(assumptions=assume(password_days=90)),
    "default_login": login,
    "built_in_admin": lambda: login(changed_on="2026-01-01"),
    "logins_unlisted": lambda: login(off=True),
    "reset_pending": lambda: lab(accounts=person(must_change=True)),
    "root_signs_in": lambda: lab(accounts=person(login="admin")),
    "nfs_root": lambda: nfs(squash="none", may="write", clients=("10.0.0.5", "10.0.0.6")),
    "nfs_to_the_world": lambda: nfs(clients=("0.0.0.0/0",)),
    "nfs_to_a_network": lambda: nfs(clients=("10.0.0.0/8",)),
    "iscsi_without_chap": lun,
    "lun_for_many": lambda: lun(
        clients=("iqn.2026-01.lab:a", "iqn.2026-01.lab:b"), cluster_filesystem=True
    ),
    "lun_many_sessions": lambda: lun(many_sessions=True),
    "ftp_in_use": ftp,
    "ftp_idle": lambda: ftp(idle_minutes=2),
    "s3_in_the_clear": s3,
    "rsync_in_the_clear": lambda: lab(
        **exported("rsync", accounts=("ana",), clients=("10.0.0.5",))
    ),
    "two_ways_to_write": lambda: nfs(may="write"),
    "lun_in_a_share": lun,
    "address_misplaced": lambda: lab(
        networks=(LAN,), hosts=host(addressing="static", address="192.168.1.150")
    ),
    "address_moves": lambda: lab(networks=(LAN,)),
    "offsite_fixed": lambda: lab(
        sites=(lab().sites[0], Site(id="away", name="away", own=False)),
        hosts=(
            lab().hosts[0],
            lab().hosts[1].model_copy(update={"addressing": "static", "address": "10.0.0.9"}),
        ),
    ),
    "offsite_without_vpn": lambda: lab(networks=(LAN,), jobs=(job("r", **FAR),)),
    "port_clash": lambda: lab(
        apps=tuple(App(id=f"a{n}", name=f"a{n}", host="box", ports=(8080,)) for n in (1, 2))
    ),
    "open_to_the_internet": lambda: opening(8096),
    "service_on_the_internet": lambda: opening(445),
    "opening_to_nothing": lambda: opening(8096),
    "promised_too_much": lambda: lun(size_bytes=20 * TB),
    "reserved_too_much": lambda: lun(size_bytes=20 * TB, thick=True),
    "homes_without_quota": lambda: lab(shares=share(home=True)),
    "app_as_root": lambda: lab(**app(account=None)),
    "app_without_path": lambda: lab(apps=app()["apps"]),
    "path_on_another_box": lambda: lab(**app(host="far")),
    "app_cannot_write": lambda: lab(**app()),
    "app_writes_irreplaceable": lambda: lab(**app()),
    "vm_disks_shared": lambda: lab(datasets=(dataset(use="vm_disks"),)),
    "isos_writable": lambda: lab(datasets=(dataset(use="isos"),)),
    "mode_for_all": lambda: lab(datasets=(dataset(mode="0777"),)),
    "mode_denies_grant": lambda: lab(datasets=(dataset(mode="2750"),)),
    "checksums_off": lambda: lab(datasets=(dataset(checksums=False),)),
    "large_records": lambda: lab(datasets=(dataset(use="database"),)),
    "locked_after_a_cut": lambda: lab(datasets=(dataset(encrypted=True),)),
    "server_speaks_smb1": lambda: lab(
        hosts=(lab().hosts[0].model_copy(update={"smb": "old", "kind": "router"}), lab().hosts[1]),
        shares=share(),
    ),
    "pc_backups_without_end": lambda: lab(shares=share(pc_backups=True)),
    "landing_waits": lambda: lab(pools=sealed(passphrase_at="a safe"), jobs=(job("r", **FAR),)),
    "passphrase_unsaid": lambda: lab(pools=sealed(unlock="key_file")),
    "bare_owner": nfs,
}


def scrub(pool: str, week: int) -> Job:
    """A scrub of a pool on a Saturday of every quarter."""
    return Job(
        id=f"scrub-{pool}",
        name=f"scrub of {pool}",
        kind="scrub",
        pool=pool,
        schedule=Schedule(kind="monthly", every=3, nth=week, weekdays=(5,), at="10:00"),
    )


def bucket(**more: Any) -> dict[str, Any]:
    """A bucket at the other site and a job that fills it."""
    return {
        "buckets": (Bucket(id="pail", name="pail", site="away", account="me", **more),),
        "jobs": (
            job("b", kind="bucket", target_bucket="pail", encrypted=True, key_kept_at=("away",)),
        ),
    }


WIRE = lab().links[0]
LATER: dict[str, Callable[[], Plan]] = {
    "encrypted_twice": lambda: lab(jobs=(job("r", wire_encrypted=True, **FAR),)),
    "relayed_link": lambda: lab(
        jobs=(job("r", **FAR),), links=(WIRE.model_copy(update={"relayed": True}),)
    ),
    "allowance_used_up": lambda: lab(
        jobs=(job("r", **FAR),),
        links=(WIRE.model_copy(update={"allowance_bytes_per_month": 50 * GB}),),
    ),
    "no_silence_alarm": lambda: lab(jobs=(job("r", **FAR),)),
    "first_copy_never_ends": lambda: lab(
        datasets=(dataset(size_bytes=7 * TB),),
        jobs=(job("r", first_copy="over_link", limit_mbit=0.2, **FAR),),
    ),
    "window_missed": lambda: lab(
        jobs=(job("r", window_from="02:00", window_to="04:00", **FAR),),
    ),
    "reads_too_early": lambda: lab(
        jobs=(
            job("r", limit_mbit=2.0, **FAR),
            job("x", kind="shelf", reads_from="r", target_disk="loose9", schedule=daily("01:30")),
        )
    ),
    "counted_twice": lambda: lab(
        jobs=(job("r", **FAR), job("b", kind="backup", target_pool="second"))
    ),
    "key_in_one_place": lambda: lab(jobs=(job("r", key_kept_at=("away",), **SEALED),)),
    "readable_when_stolen": lab,
    "signature_out_of_date": lambda: lab(
        accepted=(
            AcceptedRisk(
                id="r1",
                dataset="files",
                hazard="fire",
                reason="we take it",
                on=TODAY,
                basis="0" * 16,
            ),
        )
    ),
    "trash_can_too_short": lambda: lab(
        jobs=(
            job(
                "m",
                kind="folder_mirror",
                target_pool="second",
                retention=Retention(trash_days=7),
            ),
        )
    ),
    "bucket_unlocked": lambda: lab(**bucket()),
    "pool_not_scrubbed": lab,
    "points_fill_the_pool": lambda: lab(
        datasets=(dataset(size_bytes=6 * TB, change_bytes_per_day=60 * GB),),
        jobs=(job("s", retention=Retention(all_days=60)),),
    ),
}
MADE |= LATER


def quiet() -> Plan:
    """A plan that only the rules about untested copies and unchecked disks can find fault with."""
    checked = tuple(
        LogEntry.model_validate(
            {
                "id": f"c-{d.id}",
                "on": "2026-11-01",
                "kind": "disk_check",
                "about_kind": "disk",
                "about": d.id,
            }
        )
        for d in lab().disks
    )
    restored = LogEntry.model_validate(
        {
            "id": "t",
            "on": "2026-11-02",
            "kind": "restore_test",
            "about_kind": "dataset",
            "about": "files",
        }
    )
    plan = lab(
        jobs=(
            job("s", retention=Retention(daily=40)),
            job(
                "r",
                credentials="target",
                key_kept_at=("home", "away"),
                retention=Retention(daily=14, monthly=6),
                alarm_days=3.0,
                **SEALED,
            ),
            scrub("main", 1),
            scrub("second", 2),
        ),
        log=(*checked, restored),
        links=(Link(id="wire", a="home", b="away", mbit_a_to_b=100.0, mbit_b_to_a=100.0),),
        assumptions=assume(hdd_bits_per_read_error=1e15),
        accounts=(
            lab().accounts[0].model_copy(update={"number": 3001}),
            Account.model_validate(
                {"id": "bo", "login": "bo", "full_name": "Bo", "number": 3002}
                | {"role": "administrator", "second_factor": True}
            ),
        ),
        groups=tuple(g.model_copy(update={"number": 4001}) for g in lab().groups),
        shares=share(recycle_days=7),
    )
    # What a thief may read is signed: encrypted, it would be locked after every power cut.
    theft = next(c for c in result(plan).proof if c.hazard == "theft")
    risk = AcceptedRisk(
        id="r1", dataset="files", hazard="theft", reason="no secrets", on=TODAY, basis=theft.basis
    )
    return plan.model_copy(update={"accepted": (risk,)})


def test_a_plan_without_fault_has_no_cautions() -> None:
    assert rules(quiet()) == set()


@pytest.mark.parametrize("rule", sorted(r.id for r in RULES))
def test_rule_speaks_when_it_should(rule: str) -> None:
    found = [c for c in result(MADE[rule]()).cautions if c.rule == rule]
    assert found
    for caution in found:
        assert caution.why.endswith(".")
        assert caution.remedy.endswith(".")
        assert caution.name


def settled(rule: str) -> bool:
    """Whether what it finds has a click that settles it."""
    return any(c.fix for c in result(MADE[rule]()).cautions if c.rule == rule)


@pytest.mark.parametrize("rule", sorted(r.id for r in RULES))
def test_one_click_settles_the_finding(rule: str) -> None:
    plan = MADE[rule]()
    (first, *_) = [c for c in result(plan).cautions if c.rule == rule]
    if not first.fix:
        return  # by hand
    for change in first.fix.puts:
        if change.item is None:
            plan = remove(plan, change.collection, change.id)
        else:
            item = COLLECTIONS[change.collection].model_validate(change.item)
            plan = put(plan, change.collection, item)
    assert not [c for c in result(plan).cautions if c.rule == rule and c.about == first.about]


def test_forty_findings_are_about_shares_accounts_addresses_and_apps() -> None:
    assert sum(1 for r in RULES if r.sheet == "shares") >= 40
    ids = [r.id for r in RULES]
    first, last = ids.index("share_of_nobody"), ids.index("bare_owner")
    assert all(r.could for r in RULES[first : last + 1])
    assert sum(settled(r.id) for r in RULES) >= 20


@pytest.mark.parametrize("rule", sorted(MADE))
def test_what_a_rule_finds_without_prices_and_log_it_finds_with_them(
    rule: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Its fix too: a thing that is put back whole has its price."""
    plan = MADE[rule]()
    disks = tuple(d.model_copy(update={"price_minor": 12_345}) for d in plan.disks)
    hosts = tuple(h.model_copy(update={"price_minor": 54_321}) for h in plan.hosts)
    plan = plan.model_copy(update={"disks": disks, "hosts": hosts})
    views: list[View] = []

    def seen(view: View, every: Sequence[Caution]) -> tuple[Cause, ...]:
        views.append(view)
        return causes(view, every)

    monkeypatch.setattr("kavrel.core.evaluate.causes", seen)
    told = evaluate(plan, TODAY).cautions
    (view,) = views
    anew = cautions(view, raised(view, whole=False))
    assert [c.model_dump() for c in told] == [c.model_dump() for c in anew]


def test_every_rule_has_its_case() -> None:
    assert set(MADE) == {r.id for r in RULES}
    assert len(RULES) >= 15


def test_serious_cautions_come_first() -> None:
    order = [c.severity for c in result(demo_plan()).cautions]
    ranks = {"serious": 0, "caution": 1, "advice": 2}
    assert order == sorted(order, key=lambda s: ranks[s])


def test_a_grant_through_a_group_makes_a_player_a_writer_too() -> None:
    plan = lab(
        accounts=account("player"),
        grants=(Grant(id="g1", share="share", group="all", right="write"),),
    )
    assert "player_writes" in rules(plan)


def test_one_fixed_client_that_needs_root_is_accepted_and_said_so() -> None:
    alone = nfs(squash="none", may="write", clients=("10.0.0.5",))
    assert "nfs_root" not in {c.rule for c in result(alone).cautions}
    steps = [s.minds for part in runbook(alone, result(alone), "r").sections for s in part.steps]
    assert ("Root of 10.0.0.5 is root on it, by the plan: for that machine alone.",) in steps
    many = nfs(squash="none", may="write", clients=("10.0.0.0/30",))
    assert "nfs_root" in {c.rule for c in result(many).cautions}


def through_parent(plan: Plan) -> list[str]:
    raised = evaluate(plan, TODAY).cautions
    return [c.why for c in raised if c.rule == "child_through_parent"]


def test_who_gets_through_to_a_child_is_who_its_folder_lets_in() -> None:
    """The list of the child's folder keeps accounts out; what acts as root it does not keep out."""
    both = (*share(), Share(id="in", name="inner", dataset="inner"))
    kept_out = lab(datasets=(dataset(), child()), shares=both)
    assert through_parent(kept_out) == []
    to_all = (dataset(), child(mode="2775"))
    assert through_parent(lab(datasets=to_all, shares=both)) == []  # accounts are kept out by name
    guests = (*share(guest="read"), both[1])
    assert through_parent(lab(datasets=to_all, shares=guests)) == [
        f"guests: not let in here, and gets in through {both[0].name}."
    ]
    (why,) = through_parent(lab(datasets=(dataset(), child(owner="ana")), shares=both))
    assert why == f"ana: not let in here, and gets in through {both[0].name}."
    sftp = nested("sftp", accounts=("bo",))
    assert through_parent(sftp) == []
    for protocol, more, who in (
        ("rsync", {"accounts": ("bo",), "clients": ("10.0.0.5",)}, "bo"),
        ("nfs", {"clients": ("10.0.0.5",), "squash": "none"}, "10.0.0.5"),
    ):
        (why,) = through_parent(nested(protocol, **more))
        assert why == f"{who}: not let in here, and gets in through e."
    # Whoever is taken for nobody gets what nobody has there: nothing, until something gives it.
    squashed = {"clients": ("10.0.0.5",), "squash": "all", "may": "write"}
    assert through_parent(nested("nfs", **squashed)) == []
    other = Export.model_validate(
        {"id": "x", "protocol": "nfs", "name": "x", "dataset": "inner", **squashed}
        | {"clients": ("10.0.0.9",), "may": "read"}
    )
    plan = nested("nfs", **squashed)
    plan = plan.model_copy(update={"exports": (*plan.exports, other)})
    assert through_parent(plan) == ["10.0.0.5: not let in here, and gets in through e."]
    # NFS does not go on into another file system.
    assert through_parent(plan.model_copy(update={"pools": lab().pools})) == []


def test_a_child_that_nothing_offers_is_a_part_of_what_it_lies_in() -> None:
    plan = lab(datasets=(dataset(), child()))
    assert through_parent(plan) == []
    whole, part = (
        next(w for w in folder_works(Index(plan), "box", TODAY) if w.makes == (("datasets", d),))
        for d in ("files", "inner")
    )
    assert whole.entries() == part.entries()
    own = lab(
        datasets=(dataset(), child()), shares=(*share(), Share(id="in", name="in", dataset="inner"))
    )
    apart = next(
        w for w in folder_works(Index(own), "box", TODAY) if w.makes == (("datasets", "inner"),)
    )
    assert (apart.users, apart.groups, apart.group_bits) == ({}, {}, 0)


def test_who_writes_is_asked_over_every_protocol() -> None:
    """SMB is one way of several: a right given over another is as wide."""

    def why(plan: Plan, rule: str) -> list[str]:
        return [c.why for c in evaluate(plan, TODAY).cautions if c.rule == rule]

    ana, bo = lab().accounts
    sftp = exported("sftp", accounts=("bo",))
    courier = (ana, bo.model_copy(update={"role": "backup"}))
    copied = (job("r", **FAR),)
    assert why(lab(accounts=courier, jobs=copied, **sftp), "backup_writes_source") == [
        "It can write files over SFTP."
    ]
    player = (ana, bo.model_copy(update={"role": "player"}))
    (said,) = why(lab(accounts=player, **sftp), "player_writes")
    assert said.endswith("can write e.")
    images = (dataset(use="isos"),)
    nobody = {"grants": (), "datasets": images}
    assert why(lab(**nobody, **sftp), "isos_writable") == ["bo can change them."]
    desks = exported("nfs", clients=("10.0.0.5",))
    assert why(lab(**nobody, **desks), "isos_writable") == [
        "whoever works at 10.0.0.5 can change them."
    ]


def test_what_a_system_takes_of_a_data_disk_is_asked_for_where_a_pool_has_the_rest() -> None:
    def said(**fields: Any) -> list[str]:
        found = result(lab(hosts=host(**fields))).cautions
        return [c.why for c in found if c.rule == "system_room"]

    (unknown,) = said(boot_disk="box1")
    assert "32 GB are assumed, and setup.sh makes no pool of the rest." in unknown
    (small,) = said(boot_disk="box1", system_bytes=4 * GB)
    assert "4.00 GB: a bare one needs about 8.00 GB" in small
    assert said(boot_disk="box1", system_bytes=8 * GB) == []
    assert said(system_bytes=4 * GB) == []
