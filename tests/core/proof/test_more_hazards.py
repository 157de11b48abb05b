"""The hazards beyond disks, boxes and fire: each made to strike, and to miss."""

from typing import Any

import pytest

from kavrel.core.copies.ladder import ladder
from kavrel.core.edit import EditError, checked
from kavrel.core.index import Index
from kavrel.core.plan import (
    Account,
    Bucket,
    Disk,
    Export,
    Host,
    Job,
    LogEntry,
    Plan,
    Pool,
    Retention,
    Schedule,
    Supply,
)
from kavrel.core.proof.cell import Cell
from kavrel.core.proof.hazards import HAZARDS
from kavrel.core.proof.hazards.malware_credentials import by_way_of
from kavrel.core.proof.pairs import PAIRED, PAIRS
from kavrel.core.proof.proof import prove
from kavrel.core.shares.access import access_matrix
from tests.builders import GB, TODAY, assume, book, cell, disk, job, lab, result, rules

FAR = {"kind": "replication", "target_pool": "second", "credentials": "target"}
PAIL = (Bucket(id="pail", name="pail", site="away", account="me"),)


def hosts(**more: Any) -> tuple[Host, ...]:
    first, second = lab().hosts
    return first.model_copy(update=more), second


def pair(plan: Plan, which: str) -> Cell:
    """A cell of the pairs."""
    found = book(plan)
    cells = prove(found.index, found, access_matrix(found.index, TODAY), PAIRED)
    return next(c for c in cells if c.hazard == which)


def test_the_boot_device_takes_nothing_but_time() -> None:
    bare = cell(lab(hosts=hosts(boot_device="usb_stick")), "boot_lost")
    assert (bare.fate, bare.rpo_seconds) == ("down", 0.0)
    assert "nowhere else" in bare.why
    settings = Job(
        id="c",
        name="settings",
        kind="config",
        host="box",
        target_pool="second",
        schedule=Schedule(kind="daily"),
        retention=Retention(last=5),
    )
    kept = cell(lab(hosts=hosts(boot_device="usb_stick"), jobs=(settings,)), "boot_lost")
    assert kept.rto_seconds is not None
    assert bare.rto_seconds is not None
    assert bare.rto_seconds - kept.rto_seconds == pytest.approx(7 * 3600)  # 10 h instead of 3 h


def test_a_power_cut_is_nothing_with_a_told_ups_and_a_check_without_copy_on_write() -> None:
    ups = Supply(
        id="u",
        name="ups",
        site="home",
        va=900.0,
        watts=540.0,
        battery_wh=200.0,
        hosts=("box",),
        signals=("box",),
    )
    told = cell(lab(supplies=(ups,), hosts=hosts(after_power_cut="by_itself")), "power_cut")
    assert "shuts down in order" in told.why
    assert told.rto_seconds == pytest.approx(2 * 3600)
    deaf = ups.model_copy(update={"signals": ()})
    assert "tells it nothing" in cell(lab(supplies=(deaf,)), "power_cut").why
    ext4 = Pool(
        id="main",
        name="main",
        host="box",
        family="raid5",
        filesystem="ext4",
        groups=(("box1", "box2", "box3"),),
    )
    frail = lab(hosts=hosts(on_ups=False), pools=(ext4, lab().pools[1]))
    assert any(s.phase == "verify" for s in cell(frail, "power_cut").steps)


def test_what_is_locked_after_a_cut_waits_for_whoever_has_the_passphrase() -> None:
    def cut(**more: Any) -> Cell:
        pools = tuple(p.model_copy(update=more) for p in lab().pools)
        return cell(lab(hosts=hosts(after_power_cut="by_itself"), pools=pools), "power_cut")

    plain, typed = cut(), cut(encrypted=True)
    alone = cut(encrypted=True, unlock="key_file")
    assert "locked until somebody types its passphrase" in typed.why
    assert [s.text for s in typed.steps if s not in plain.steps] == [
        "notice",
        "type its passphrase",
    ]
    assert (typed.rto_seconds or 0) > (plain.rto_seconds or 0)
    # A key file opens it; but whoever carries the box off carries the key.
    assert alone.rto_seconds == plain.rto_seconds
    by_file = tuple(
        p.model_copy(update={"encrypted": True, "unlock": "key_file"}) for p in lab().pools
    )
    stolen = cell(lab(pools=by_file), "theft")
    assert stolen.readable
    assert "its key file goes with it" in stolen.why
    # A dataset that ZFS locks by itself is typed all the same.
    own = lab().datasets[0].model_copy(update={"encrypted": True})
    assert not cell(lab(pools=by_file, datasets=(own,)), "theft").readable


def test_corruption_is_mended_where_there_are_checksums_and_redundancy() -> None:
    assert cell(lab(), "corruption").fate == "runs_on"
    ext4 = Pool(
        id="main",
        name="main",
        host="box",
        family="raid5",
        filesystem="ext4",
        groups=(("box1", "box2", "box3"),),
    )
    plain = {"pools": (ext4, lab().pools[1])}
    backup = {"kind": "backup", "target_pool": "second"}
    short = lab(jobs=(job("b", retention=Retention(daily=30), **backup),), **plain)
    assert cell(short, "corruption").fate == "lost"  # noticed after 60 days
    long = lab(jobs=(job("b", retention=Retention(daily=90), **backup),), **plain)
    assert cell(long, "corruption").fate == "restored"
    # A mirror has carried the bad file over long ago.
    mirror = lab(
        jobs=(job("m", kind="mirror", target_pool="second", retention=Retention()),), **plain
    )
    assert cell(mirror, "corruption").fate == "lost"


def test_whoever_has_the_source_deletes_what_it_may_delete() -> None:
    pushed = job("r", kind="replication", target_pool="second", credentials="source")
    assert cell(lab(jobs=(pushed, job("s"))), "malware_credentials").fate == "lost"
    assert cell(lab(jobs=(job("r", **FAR),)), "malware_credentials").fate == "restored"
    bucket: dict[str, Any] = {
        "kind": "bucket",
        "target_bucket": "pail",
        "encrypted": True,
        "key_kept_at": ("home",),
    }
    open_ = lab(jobs=(job("b", **bucket),), buckets=PAIL)
    assert cell(open_, "malware_credentials").fate == "lost"
    locked = (PAIL[0].model_copy(update={"locked_days": 30, "locks_renewed": True}),)
    assert (
        cell(lab(jobs=(job("b", **bucket),), buckets=locked), "malware_credentials").fate
        == "restored"
    )


def test_theft_takes_the_shelf_disk_beside_the_box_and_may_be_read() -> None:
    shelf = job(
        "x", kind="shelf", target_disk="loose9", retention=Retention(last=1), credentials="hand"
    )
    found = cell(lab(jobs=(shelf,)), "theft")
    assert found.fate == "lost"
    assert found.readable
    assert "loose 9" in found.dies
    assert cell(lab(jobs=(shelf,)), "box_lost").fate == "restored"
    closed = lab(pools=tuple(p.model_copy(update={"encrypted": True}) for p in lab().pools))
    assert not cell(closed, "theft").readable


def test_an_alarm_ends_the_silence_early() -> None:
    told = lab(jobs=(job("r", alarm_days=3.0, **FAR),))
    early = cell(told, "offsite_silent")
    late = cell(lab(jobs=(job("r", **FAR),)), "offsite_silent")
    # It falls silent all the same: the copy is as old as the alarm lets it grow.
    assert (early.fate, late.fate) == ("exposed", "exposed")
    assert (early.rpo_seconds or 0) < 5 * 86_400 < (late.rpo_seconds or 0)


def test_the_uplink_down_leaves_the_copy_three_days_older() -> None:
    found = cell(lab(jobs=(job("r", **FAR),), zone="UTC"), "uplink_down")
    usual = cell(lab(jobs=(job("r", **FAR),), zone="UTC"), "box_lost")
    assert found.fate == "exposed"
    assert (found.rpo_seconds or 0) - (usual.rpo_seconds or 0) == pytest.approx(3 * 86_400)


@pytest.mark.parametrize(
    ("places", "fate"), [((), "exposed"), (("away",), "exposed"), (("home", "away"), "runs_on")]
)
def test_a_key_at_two_places_is_not_lost(places: tuple[str, ...], fate: str) -> None:
    plan = lab(
        jobs=(job("r", kind="backup", encrypted=True, key_kept_at=places, target_pool="second"),)
    )
    assert cell(plan, "key_lost").fate == fate


def test_a_closed_account_takes_the_bucket() -> None:
    plan = lab(jobs=(job("b", kind="bucket", target_bucket="pail"),), buckets=PAIL)
    found = cell(plan, "cloud_closed")
    assert found.fate == "exposed"
    assert found.copies[0].why == "the account me is closed"
    assert cell(lab(jobs=(job("r", **FAR),)), "cloud_closed").fate == "runs_on"


def test_only_what_was_tried_comes_back_when_copies_were_never_tried() -> None:
    plan = lab(jobs=(job("r", **FAR),))
    assert cell(plan, "never_tried").fate == "lost"
    tried = LogEntry(id="l", on=TODAY, kind="restore_test", about_kind="job", about="r")
    assert cell(plan.model_copy(update={"log": (tried,)}), "never_tried").fate == "restored"
    failed = tried.model_copy(update={"result": "failed"})
    assert cell(plan.model_copy(update={"log": (failed,)}), "never_tried").fate == "lost"


def test_figures_are_worst_mean_and_best_over_the_schedule() -> None:
    found = cell(lab(jobs=(job("r", **FAR),), zone="UTC"), "box_lost")
    run = 20 + 2e9 * 8 / (20e6 * 0.88 * 0.96)
    assert found.rpo_seconds == pytest.approx(86_400 + run)
    assert found.rpo_mean_seconds == pytest.approx(43_200 + run)
    assert found.rpo_best_seconds == pytest.approx(run)


def test_the_time_to_be_back_is_the_sum_of_its_phases() -> None:
    found = cell(lab(jobs=(job("r", **FAR),)), "fire")
    phases = {s.phase for s in found.steps}
    assert phases == {"notice", "replace", "fetch", "transfer", "verify"}
    assert found.rto_seconds == pytest.approx(sum(s.hours for s in found.steps) * 3600)


def test_equals_share_the_way_back_and_the_lesser_waits() -> None:
    base = lab().datasets[0]
    twin = base.model_copy(update={"id": "twin", "name": "twin"})
    lesser = base.model_copy(update={"id": "less", "name": "less", "worth": "nuisance"})
    plan = lab(
        datasets=(base, twin, lesser),
        jobs=(job("r", datasets=("files", "twin", "less"), **FAR),),
    )
    alone = cell(lab(jobs=(job("r", **FAR),)), "box_lost").rto_seconds
    first, second, third = (
        cell(plan, "box_lost", d).rto_seconds for d in ("files", "twin", "less")
    )
    assert alone is not None
    assert first is not None
    assert third is not None
    assert first == pytest.approx(second)
    copying = 1000 * GB / (110e6 * 1.0) / 3600  # the LAN's 110 MB/s
    assert first - alone == pytest.approx(copying * 3600, rel=0.01)  # as long again: halved
    assert third - first == pytest.approx(copying * 3600, rel=0.01)  # then it has the way alone
    assert "wait for files, twin" in [s.text for s in cell(plan, "box_lost", "less").steps]


def test_pairs_name_hazards_and_each_says_why() -> None:
    known = set(HAZARDS)
    for p in PAIRS:
        assert {p.first, p.second} <= known
        assert p.why
    assert len({p.id for p in PAIRS}) == len(PAIRS) >= 10


def test_a_pair_is_at_least_as_bad_as_either() -> None:
    rank = {"runs_on": 0, "down": 1, "exposed": 2, "restored": 3, "fetch_again": 4, "lost": 4}
    plan = lab(
        jobs=(
            job("r", **FAR),
            job("b", kind="backup", target_pool="second", encrypted=True, key_kept_at=("home",)),
            job("s"),
        )
    )
    single = {c.hazard: c for c in result(plan).proof}
    found = book(plan)
    for c in prove(found.index, found, access_matrix(found.index, TODAY), PAIRED):
        first, second = c.hazard.split("+")
        worse = max(rank[single[first].fate], rank[single[second].fate])
        assert rank[c.fate] >= worse or (c.fate, worse) == ("down", 2)


def test_fire_with_the_key_in_the_same_room_leaves_nothing() -> None:
    plan = lab(
        jobs=(job("b", kind="backup", encrypted=True, key_kept_at=("away",), target_pool="second"),)
    )
    assert cell(plan, "fire").fate == "restored"
    assert pair(plan, "fire+key_lost").fate == "lost"
    both = lab(
        jobs=(
            job(
                "b",
                kind="backup",
                encrypted=True,
                key_kept_at=("home", "away"),
                target_pool="second",
            ),
        )
    )
    assert pair(both, "fire+key_lost").fate == "restored"


def test_fire_and_a_silent_copy_lose_the_weeks_of_silence() -> None:
    plan = lab(jobs=(job("r", **FAR),), zone="UTC")
    silent, fire = pair(plan, "fire+offsite_silent"), cell(plan, "fire")
    assert (silent.rpo_seconds or 0) - (fire.rpo_seconds or 0) == pytest.approx(21 * 86_400)


def test_fire_with_the_line_burnt_has_everything_carried() -> None:
    small = lab().datasets[0].model_copy(update={"size_bytes": 10 * GB})
    plan = lab(datasets=(small,), jobs=(job("r", **FAR),))
    assert not any("bring" in s.text for s in cell(plan, "fire").steps)
    assert any("bring far from away" in s.text for s in pair(plan, "fire+uplink_down").steps)


def test_malware_needs_somebody_who_may_write() -> None:
    nobody = lab(grants=(), accounts=(Account(id="ana", login="ana", full_name="Ana"),), groups=())
    assert cell(nobody, "malware").fate == "runs_on"
    assert cell(nobody, "malware_credentials").fate == "lost"


def test_disk_of_another_box_is_no_shelf_disk() -> None:
    spare: Disk = disk(9, None, shelf="away")
    plan = lab(
        disks=(*lab().disks[:-1], spare),
        jobs=(job("x", kind="shelf", target_disk="loose9", retention=Retention(last=1)),),
        assumptions=assume(travel_hours=5.0),
    )
    found = cell(plan, "theft")
    assert found.fate == "restored"
    assert any(s.text == "bring disk loose 9 from away" and s.hours == 5.0 for s in found.steps)


def test_a_sync_and_a_drive_lose_minutes_and_take_the_damage_along() -> None:
    always: dict[str, Any] = {"schedule": Schedule(kind="minutes", every=15)}
    bare = lab(
        buckets=PAIL,
        jobs=(job("s", kind="sync", target_pool="second", retention=Retention(), **always),),
    )
    assert (cell(bare, "box_lost").rpo_seconds or 0) < 20 * 60
    for hazard in ("deleted", "malware", "malware_credentials"):
        assert cell(bare, hazard).fate == "lost"  # it was carried over within minutes
    kept = lab(
        buckets=PAIL,
        jobs=(
            job(
                "d",
                kind="drive",
                target_bucket="pail",
                retention=Retention(trash_days=30),
                **always,
            ),
        ),
    )
    assert cell(kept, "deleted").fate == "restored"  # while the provider's bin has it
    # Who has its password empties the bin as well, and no lock can be set on it.
    assert cell(kept, "malware_credentials").fate == "lost"
    locked = kept.model_copy(update={"buckets": (PAIL[0].model_copy(update={"locked_days": 30}),)})
    with pytest.raises(EditError, match="locks nothing"):
        checked(locked)


# --- never kinder than the truth ---------------------------------------------------------------

PULLED = job("b", kind="backup", target_pool="second", credentials="target")


def stolen(*jobs: Job, **more: Any) -> Cell:
    return cell(lab(jobs=jobs, **more), "malware_credentials")


def test_malware_with_credentials_takes_all_that_root_of_the_box_reaches() -> None:
    assert stolen(PULLED).fate == "restored"
    # A mirror that is pushed goes by SSH as root: whoever has the box has the far one too.
    pushed = job("m", kind="mirror", target_pool="second", retention=Retention())
    found = stolen(PULLED, pushed)
    assert found.fate == "lost"
    assert "root of box gets into far" in {c.job: c.why for c in found.copies}["b"]
    # And so on from there, box by box.
    third = lab().hosts[1].model_copy(update={"id": "third", "name": "third"})
    kept = (
        lab()
        .pools[1]
        .model_copy(
            update={"id": "kept", "name": "kept", "host": "third", "groups": (("t1", "t2"),)}
        )
    )
    parts: dict[str, Any] = {
        "hosts": (*lab().hosts, third),
        "disks": (*lab().disks, *(disk(n, "third", id=f"t{n}") for n in (1, 2))),
        "pools": (*lab().pools, kept),
    }
    away = job("far", kind="backup", target_pool="kept", credentials="target")
    on = job("on", kind="mirror", target_pool="kept", reads_from="m", retention=Retention())
    assert stolen(pushed, away, **parts).fate == "restored"
    assert stolen(pushed, away, on, **parts).fate == "lost"


def test_a_docked_disk_and_a_second_pool_of_the_same_box_go_with_the_box() -> None:
    hand: dict[str, Any] = {
        "kind": "shelf",
        "credentials": "hand",
        "retention": Retention(last=3),
        "schedule": Schedule(kind="monthly", day=1),
    }
    assert stolen(job("s", target_disk="loose9", **hand)).fate == "restored"
    docked = (*lab().disks, disk(6))
    found = stolen(job("s", target_disk="box6", **hand), disks=docked)
    assert (found.fate, "docked in box" in found.copies[0].why) == ("lost", True)
    own = lab().pools[1].model_copy(update={"host": "box", "groups": (("box4", "box5"),)})
    both = (*lab().disks, disk(4), disk(5))
    assert stolen(PULLED, pools=(lab().pools[0], own), disks=both).fate == "lost"


def test_a_lock_that_is_shorter_than_what_a_point_needs_protects_nothing() -> None:
    sent = job("b", kind="bucket", target_bucket="pail")

    def fate(**more: Any) -> str:
        late = assume(malware_notice_days=14.0)
        return stolen(sent, buckets=(PAIL[0].model_copy(update=more),), assumptions=late).fate

    assert fate(locked_days=3) == "lost"
    assert fate(locked_days=30) == "lost"  # only changes are sent: the first objects are years old
    half = lab(jobs=(sent,), buckets=(PAIL[0].model_copy(update={"locked_days": 30}),))
    assert "bucket_unlocked" in rules(half)
    assert ladder(book(half), "files").undeletable == 0
    assert fate(locked_days=30, locks_renewed=True) == "restored"
    assert fate(locked_days=10, locks_renewed=True) == "lost"  # it is noticed after 14 days


def test_a_silence_is_as_long_as_nobody_is_told_of_it_for_buckets_too() -> None:
    known = result(lab()).assumptions
    silence = next(a.value for a in known if a.id == "silence_days")

    def lost(one: Job) -> tuple[str, float]:
        found = cell(lab(jobs=(one,), buckets=PAIL), "offsite_silent")
        return found.fate, (found.rpo_seconds or 0.0) / 86_400

    bucket = job("b", kind="bucket", target_bucket="pail")
    for alarm, days in ((None, silence), (3.0, 3.0), (silence + 30, silence)):
        for one in (bucket, PULLED):
            fate, age = lost(one.model_copy(update={"alarm_days": alarm}))
            assert (fate, days < age < days + 2) == ("exposed", True), (one.kind, alarm)


def test_half_a_copy_is_none() -> None:
    large = lab().datasets[0].model_copy(update={"size_bytes": 3900 * GB})
    shelf = job(
        "s", kind="shelf", target_disk="loose9", credentials="hand", retention=Retention(last=1)
    )
    plan = lab(jobs=(shelf,), datasets=(large,))
    found = cell(plan, "box_lost")
    # A disk of 4 TB holds 3.74 TB with ext4 on it (mke2fs, 5 % kept for root).
    assert (found.fate, found.copies[0].why) == (
        "lost",
        "3.90 TB do not go into the 3.74 TB of loose 9: half a copy is none",
    )
    assert "copy_does_not_fit" in rules(plan)
    assert cell(lab(jobs=(shelf,)), "box_lost").fate == "restored"
    grows = lab().datasets[0].model_copy(update={"growth_bytes_per_year": 2000 * GB})
    assert "copy_does_not_fit" in rules(lab(jobs=(shelf,), datasets=(grows,)))


def test_below_an_array_a_file_system_finds_corruption_and_cannot_mend_it() -> None:
    def found(family: str) -> Cell:
        fields = {"id": "main", "name": "main", "host": "box", "groups": (("box1", "box2"),)}
        pool = Pool.model_validate({**fields, "family": family, "filesystem": "btrfs"})
        return cell(lab(pools=(pool, lab().pools[1])), "corruption")

    assert found("copies2").fate == "runs_on"
    assert found("mirror").fate == "lost"
    assert "sees one device" in found("mirror").why


def test_a_pair_is_never_milder_than_its_parts() -> None:
    tiered = Pool(
        id="main",
        name="main",
        host="box",
        family="raidz2",
        filesystem="zfs",
        groups=(("box1", "box2", "box3", "box4"),),
        tier=("n1",),
        tier_mirrored=False,
    )
    fast = disk(1, "box", id="n1", label="n1", kind="nvme", form="m.2", bay="nvme-1")
    hosts = (lab().hosts[0].model_copy(update={"slots_nvme": 1, "on_ups": False}), lab().hosts[1])
    plan = lab(pools=(tiered, lab().pools[1]), disks=(*lab().disks, disk(4), fast), hosts=hosts)
    both, second = pair(plan, "power_cut+second_disk"), cell(plan, "second_disk")
    assert (both.rpo_seconds or 0) >= (second.rpo_seconds or 0) > 0
    assert (both.rto_seconds or 0) >= (cell(plan, "power_cut").rto_seconds or 0)


def test_a_boot_device_that_is_a_data_disk_takes_the_pool_with_it() -> None:
    far = job("far", kind="replication", target_pool="second")
    alone = (
        lab()
        .pools[0]
        .model_copy(update={"family": "single", "filesystem": "ext4", "groups": (("box1",),)})
    )
    bare = lab(hosts=hosts(boot_disk="box1"), pools=(alone, lab().pools[1]), jobs=())
    assert cell(bare, "boot_lost").fate == "lost"
    assert "boots from a part of box 1" in cell(bare, "boot_lost").why
    # A pool that outlives a disk stands still until the box is set up again.
    kept = cell(lab(hosts=hosts(boot_disk="box1"), jobs=(far,)), "boot_lost")
    assert kept.fate == "down"
    elsewhere = lab(hosts=hosts(boot_disk="box2"), pools=(alone, lab().pools[1]))
    assert cell(elsewhere, "boot_lost").fate == "down"


def test_the_disk_that_a_box_boots_from_is_the_worst_of_its_pool_to_lose() -> None:
    """A pool that outlives a disk works on without it, and nobody reaches it until the box runs again."""
    far = job("far", kind="replication", target_pool="second")
    same = lab(hosts=hosts(boot_disk="box1"), jobs=(far,))
    again = Index(same).assumptions["configure_again_hours"]
    for hazard in ("one_disk", "second_disk"):
        without, with_it = cell(lab(jobs=(far,)), hazard), cell(same, hazard)
        assert (with_it.rto_seconds or 0) >= (without.rto_seconds or 0) + 3600 * again
        assert "does not start until its system is there again" in with_it.why
    assert (cell(lab(jobs=(far,)), "one_disk").fate, cell(same, "one_disk").fate) == (
        "runs_on",
        "down",
    )


def test_one_administrator_of_all_boxes_who_works_with_it_reaches_every_copy_in_a_box() -> None:
    pulled = job("far", kind="replication", target_pool="second", credentials="target")
    assert cell(lab(jobs=(pulled,)), "malware_credentials").fate == "restored"

    def with_admin(**more: object) -> Plan:
        boss, other = lab().accounts
        steward = boss.model_copy(update={"role": "administrator", **more})
        return lab(jobs=(pulled,), accounts=(steward, other))

    one = cell(with_admin(), "malware_credentials")
    assert one.fate == "lost"
    assert "administers every box with a password alone" in one.copies[0].why
    # A second factor stands in the way; so does an administrator who writes nothing every day.
    assert cell(with_admin(second_factor=True), "malware_credentials").fate == "restored"
    idle = with_admin().model_copy(update={"grants": ()})
    assert cell(idle, "malware_credentials").fate == "restored"
    sftp = Export(id="s", protocol="sftp", name="s", dataset="files", accounts=("ana",))
    by_key = idle.model_copy(update={"exports": (sftp,)})
    assert cell(by_key, "malware_credentials").fate == "lost"


def test_a_copy_that_lands_as_an_everyday_account_goes_with_it() -> None:
    drop = Export(
        id="drop",
        protocol="rsync",
        name="drop",
        dataset="there",
        accounts=("ana",),
        clients=("10.0.0.0/24",),
    )
    there = lab().datasets[0].model_copy(update={"id": "there", "name": "there", "pool": "second"})

    def landing(role: str, *others: str, **more: Any) -> Cell:
        ana, bo = lab().accounts
        third = ana.model_copy(update={"id": "carrier", "login": "carrier", "role": role})
        copy = job(
            "far",
            kind="folder_mirror",
            target_pool="second",
            lands_in="drop",
            lands_as="carrier",
            datasets=("files",),
            retention=Retention(trash_days=30),
        )
        return cell(
            lab(
                datasets=(*lab().datasets, there),
                accounts=(ana, bo, third),
                exports=(drop.model_copy(update={"accounts": ("carrier", *others)}),),
                jobs=(copy,),
                **more,
            ),
            "malware",
        )

    assert landing("backup").fate == "restored"
    assert "whom people work as" in landing("everyday").copies[0].why
    # Though nobody can write the data itself.
    stands = landing("everyday", grants=())
    assert (stands.fate, stands.copies[0].usable) == ("runs_on", False)
    # Whoever else gets into where it lies has it as well.
    (copy,) = landing("backup", "ana").copies
    assert "ana can write where it lies" in copy.why


def test_what_comes_back_home_over_the_line_stops_with_it() -> None:
    """A copy at home of a copy that lies away: nothing new reaches it while the line is down, or silent."""
    image = job("image", "image", target_pool="second", retention=Retention(last=3))
    home = job(
        "home", "backup", target_pool="main", reads_from="image", after="image",
        schedule=Schedule(kind="after"), retention=Retention(last=3),
    )  # fmt: skip
    plan = lab(jobs=(image, home))
    fresh = next(c for c in cell(plan, "key_lost").copies if c.job == "home")
    for hazard, days in (("uplink_down", 3), ("offsite_silent", 21)):
        old = next(c for c in cell(plan, hazard).copies if c.job == "home")
        assert old.loses_seconds == pytest.approx((fresh.loses_seconds or 0) + days * 86_400)
    told = plan.model_copy(update={"jobs": (image.model_copy(update={"alarm_days": 2.0}), home)})
    heard = next(c for c in cell(told, "offsite_silent").copies if c.job == "home")
    assert heard.loses_seconds == pytest.approx((fresh.loses_seconds or 0) + 3 * 86_400)


def test_another_job_of_the_box_that_was_taken_opens_the_door_to_a_copy() -> None:
    """A copy that its own job could not delete: somebody else's key to the same place lies on the box."""
    room = lab().datasets[0].model_copy(update={"id": "room", "name": "room", "pool": "second"})
    mill = Export(
        id="mill", protocol="rsync", name="mill", dataset="room", accounts=("ana",),
        clients=("10.0.0.0/24",),
    )  # fmt: skip
    by_hand = job("kept", "backup", target_pool="second", retention=Retention(last=30)).model_copy(
        update={"lands_in": "mill", "lands_as": "ana", "credentials": "hand", "host": "far"}
    )
    other = job(
        "lands", "mirror", target_pool="second", lands_in="mill", lands_as="ana",
        retention=Retention(),
    )  # fmt: skip
    index = Index(lab(datasets=(*lab().datasets, room), exports=(mill,), jobs=(other,)))
    said = by_way_of(index, by_hand, {"box"})
    assert said == "box signs in as ana where it lies: it is deleted there"
    assert by_way_of(index, by_hand, {"far"}) is None
    mounted = mill.model_copy(
        update={
            "id": "n",
            "name": "n",
            "protocol": "nfs",
            "accounts": (),
            "clients": ("10.0.0.0/24",),
        }
    )
    near, far = lab().hosts
    plan = lab(
        hosts=(near.model_copy(update={"address": "10.0.0.7"}), far),
        datasets=(*lab().datasets, room),
        exports=(mill, mounted),
    )
    said = by_way_of(Index(plan), by_hand, {"box"})
    assert said == "box mounts n, where it lies: it is deleted there"


def test_two_jobs_of_one_bucket_share_what_opens_it() -> None:
    pail = Bucket(id="pail", name="pail", site="away", account="me")
    keep = {"target_bucket": "pail", "retention": Retention(last=30)}
    one = job("one", "bucket", credentials="hand", **keep)
    alone = lab(buckets=(pail,), jobs=(one,))
    assert cell(alone, "malware_credentials").copies[0].usable
    both = lab(buckets=(pail,), jobs=(one, job("two", "bucket", **keep)))
    assert not any(c.usable for c in cell(both, "malware_credentials").copies)
