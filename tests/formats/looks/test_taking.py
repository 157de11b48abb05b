"""From a look into a plan, and a look held against the plan that it became."""

import json
from datetime import date
from typing import Any

import pytest

from kavrel.core.edit import checked
from kavrel.core.index import Index
from kavrel.core.plan import Plan
from kavrel.core.seen.drifted import Drift
from kavrel.core.seen.machine import Machine
from kavrel.core.seen.offer import Takes
from kavrel.core.seen.rhythm import retention_of, schedule_of
from kavrel.core.shares.access import access_matrix
from kavrel.formats.looks.drifted import whole_drift
from kavrel.formats.looks.read import read_look
from kavrel.formats.looks.taking import takes
from tests.formats.looks.machines import (
    NOON,
    STATUS,
    TB,
    disk,
    look,
    lsblk,
    nas,
    second_box,
    snapshots,
    system_disk,
    zfs,
)

TODAY = date(2026, 3, 10)
HOUR, DAY = 3600.0, 86_400.0


def machine(content: bytes) -> Machine:
    return read_look(content, NOON).machine


def taken(content: bytes, plan: Plan | None = None) -> tuple[Plan, Takes]:
    """The plan with everything taken over, in the order in which it is offered."""
    plan = plan or Plan(name="lab")
    offer = takes(plan, machine(content), None, TODAY)
    for thing in offer.things:
        mine = {i.id: i for i in getattr(plan, thing.collection)}
        model = type(plan).model_fields[thing.collection].annotation.__args__[0]  # type: ignore[union-attr]
        mine[thing.item["id"]] = model.model_validate(thing.item)
        plan = plan.model_copy(update={thing.collection: tuple(mine.values())})
    return checked(plan), offer


def drifted(plan: Plan, content: bytes) -> Drift:
    return whole_drift(Index(plan), plan.hosts[0].id, machine(content), TODAY)


def said(found: Drift) -> set[tuple[str, str, str]]:
    return {(d.verdict, d.name, d.field) for d in found.differences}


def test_everything_of_a_box_is_taken_over_and_then_nothing_differs() -> None:
    plan, offer = taken(nas())
    assert {d.serial for d in plan.disks} == {"H1", "H2", "H3", "H4", "H5"}
    assert {d.bay for d in plan.disks} == {f"3.5-{n}" for n in range(1, 6)}
    (pool,) = plan.pools
    assert (pool.family, pool.path, len(pool.groups[0]), len(pool.spares)) == (
        "raidz1",
        "/tank",
        4,
        1,
    )
    sizes = {d.name: (d.size_bytes, d.quota_bytes) for d in plan.datasets}
    assert sizes["photos"] == (2 * 10**12, 3 * 10**12)
    # Nobody said what it is worth: the worse is taken, and said to be a guess.
    assert {d.worth for d in plan.datasets} == {"irreplaceable"}
    rights = {(c.account, c.right) for c in access_matrix(Index(plan), TODAY) if c.right != "none"}
    logins = {a.login: a.id for a in plan.accounts}
    assert rights == {(logins["ana"], "write"), (logins["bo"], "write"), (logins["kiosk"], "read")}
    (job,) = plan.jobs
    assert (job.kind, job.schedule.kind, job.retention.hourly) == ("snapshot", "hourly", 48)
    assert all(
        t.guess for t in offer.things if t.collection in ("hosts", "disks", "datasets", "jobs")
    )
    assert any("nvme0n1" in n and "system" in n for n in offer.not_taken)
    found = drifted(plan, nas(("timers", "x", "Id=apt-daily.timer\nActiveState=active\n")))
    # The job was guessed from its points: nothing of Kavrel's starts it yet, nor looks after the pool.
    scrub = "scrub of pool tank, about every three months"
    assert said(found) == {("missing", "auto", "start"), ("missing", scrub, "start")}
    assert found.agreed > 8
    again = takes(plan, machine(nas()), None, TODAY)
    assert {t.what for t in again.things} == {"same"}


def test_what_is_taken_needs_what_it_stands_on() -> None:
    _, offer = taken(nas())
    by_key = {t.key: t for t in offer.things}
    pool = next(t for t in offer.things if t.collection == "pools")
    assert sum(n.startswith("disks/") for n in pool.needs) == 5
    order = list(by_key)
    assert all(order.index(n) < order.index(t.key) for t in offer.things for n in t.needs)


def test_two_boxes_with_one_serial_are_one_disk_that_moved() -> None:
    plan, _ = taken(nas())
    other = look("far", lsblk(system_disk(), disk("sda", "H1"), disk("sdb", "F2")))
    offer = takes(plan, machine(other), None, TODAY)
    # By its name it is another box; the disk is told by its serial.
    assert offer.host not in {h.id for h in plan.hosts}
    assert not [t for t in offer.things if t.collection == "disks" and t.item["serial"] == "H1"]
    # It is in a pool of the other box: it cannot simply move.
    assert any(n.startswith("nas H1: ") for n in offer.not_taken)
    free = plan.model_copy(
        update={"pools": (), "datasets": (), "shares": (), "grants": (), "jobs": ()}
    )
    offer = takes(free, machine(other), None, TODAY)
    moved = next(t for t in offer.things if t.collection == "disks" and t.item["serial"] == "H1")
    assert moved.what == "changed"
    assert "planned in nas" in moved.why


def photos(own: int = 2 * TB, quota: int = 3 * TB, record: int = 2**20) -> str:
    return zfs("tank/photos", 3 * TB, own, quota, record)


@pytest.mark.parametrize(
    ("change", "wanted"),
    [
        ({"zfs": photos(quota=4 * TB)}, ("different", "photos", "quota")),
        ({"zfs": photos(record=2**17)}, ("different", "photos", "record size")),
        ({"zfs": photos(own=25 * TB // 10)}, ("different", "photos", "size")),
        ({"zfs": ""}, ("missing", "photos", "dataset")),
        ({"status": STATUS.replace("state: ONLINE", "state: DEGRADED")}, ("different", "tank", "state")),
        ({"disks": ("H1", "H2", "H3", "H4", "H6")}, ("missing", "nas H5", "disk")),
        ({"disks": ("H1", "H2", "H3", "H4", "H5", "H6")}, ("extra", "H6", "disk")),
    ],
)  # fmt: skip
def test_each_difference_is_found_with_its_ways_out(
    change: dict[str, Any], wanted: tuple[str, str, str]
) -> None:
    plan, _ = taken(nas())
    serials = change.get("disks", ("H1", "H2", "H3", "H4", "H5"))
    rows = [
        zfs("tank", 3 * 10**12, 1),
        change.get("zfs", photos()),
        zfs("tank/home", 10**11, 10**11, packed="zstd"),
        zfs("tank/home/ana", 8 * 10**11, 8 * 10**11, packed="zstd"),
    ]
    content = look(
        "nas",
        lsblk(system_disk(), *(disk(f"sd{'abcdef'[n]}", s) for n, s in enumerate(serials))),
        ("zpool-status", "zpool status -P", change.get("status", STATUS)),
        ("zfs-list", "zfs list", "\n".join(r for r in rows if r)),
    )
    found = drifted(plan, content)
    one = next(d for d in found.differences if (d.verdict, d.name, d.field) == wanted)
    assert one.change or one.command or one.urgent
    assert one.planned != one.seen


def test_a_folder_where_a_dataset_is_planned_is_no_dataset() -> None:
    """It is in the snapshots of what lies around it, if any, and a dataset made over it would hide it."""
    plan, _ = taken(nas())
    acl = "# file: /tank/photos\n# owner: root\n# group: root\nuser::rwx\ngroup::---\nother::---\n"
    content = look(
        "nas",
        ("zpool-status", "zpool status -P", STATUS),
        ("zfs-list", "zfs list", zfs("tank", 3 * 10**12, 1)),
        ("getfacl", "getfacl -p /tank/photos", acl),
    )
    rows = drifted(plan, content).differences
    seen = {d.name: d.seen for d in rows if d.field == "dataset"}
    assert seen["photos"].startswith("a folder, no file system of its own")
    assert seen["home"] == "nothing there"


def test_what_no_listing_shows_is_unknown_and_not_missing() -> None:
    plan, _ = taken(nas())
    found = drifted(plan, look("nas", ("meminfo", "m", "MemTotal: 32768000 kB\n")))
    assert not found.differences
    assert any("disks" in u for u in found.unknown)
    assert any("timers" in u for u in found.unknown)


def test_a_pool_that_lacks_a_disk_is_not_taken_over_as_if_it_were_whole() -> None:
    gone = STATUS.replace(
        "    /dev/disk/by-id/ata-HERON_4000_H4-part1  ONLINE", "    123456789012345678  UNAVAIL"
    )
    content = look(
        "nas",
        lsblk(*(disk(f"sd{x}", f"H{n}") for n, x in enumerate("abc", 1))),
        ("zpool-status", "z", gone),
    )
    plan, offer = taken(content)
    assert not plan.pools
    assert any("gone" in n for n in offer.not_taken)


def test_a_plain_disk_with_shares_in_its_folders() -> None:
    tree = disk("sda", "E1")
    tree["children"][0] |= {
        "fstype": "ext4",
        "uuid": "11111111-2222-3333-4444-555555555555",
        "mountpoint": "/mnt/big",
    }
    mounts = {
        "filesystems": [
            {"target": "/mnt/big", "source": "/dev/sda1", "fstype": "ext4", "used": 10**12}
        ]
    }
    smb = (
        "[global]\n[music]\npath = /mnt/big/music\nread only = no\n[films]\npath = /mnt/big/films\n"
    )
    content = look(
        "board",
        lsblk(system_disk(), tree),
        ("findmnt", "f", json.dumps(mounts)),
        ("testparm", "t", smb),
    )
    plan, offer = taken(content)
    (pool,) = plan.pools
    assert (pool.family, pool.filesystem, pool.path) == ("single", "ext4", "/mnt/big")
    assert {d.name for d in plan.datasets} == {"music", "films"}
    assert sum(d.size_bytes for d in plan.datasets) == 10**12
    assert all("even parts" in t.guess for t in offer.things if t.collection == "datasets")
    assert {s.name for s in plan.shares} == {"music", "films"}


@pytest.mark.parametrize(
    ("gap", "count", "kind", "field"),
    [
        (900.0, 60, "minutes", "hourly"),
        (HOUR, 48, "hourly", "hourly"),
        (6 * HOUR, 40, "hourly", "daily"),
        (DAY, 30, "daily", "daily"),
        (7 * DAY, 10, "weekly", "weekly"),
        (30 * DAY, 8, "monthly", "monthly"),
    ],
)
def test_the_rhythm_of_points_that_exist(gap: float, count: int, kind: str, field: str) -> None:
    times = [NOON - n * gap for n in range(count)]
    schedule = schedule_of(times, "UTC")
    assert schedule is not None
    assert schedule.kind == kind
    assert getattr(retention_of(times, "UTC"), field) >= 2


def test_too_few_points_are_no_rhythm() -> None:
    assert schedule_of([NOON, NOON - DAY], "UTC") is None


def test_points_thinned_by_a_retention_give_that_retention_back() -> None:
    """24 hours, 14 days and 8 weeks kept: as many are inferred, or one more where two rules meet."""
    hours = [NOON - n * HOUR for n in range(24)]
    days = [NOON - n * DAY for n in range(14)]
    weeks = [NOON - n * 7 * DAY for n in range(8)]
    got = retention_of(sorted({*hours, *days, *weeks}), "UTC")
    assert (got.hourly, got.daily, got.weekly) == (25, 15, 8)
    schedule = schedule_of(sorted({*hours, *days, *weeks}), "UTC")
    assert schedule is not None
    assert schedule.kind == "hourly"


def test_the_nightly_copy_on_a_second_box_is_known_by_the_names_of_its_points() -> None:
    plan, _ = taken(nas())
    plan, offer = taken(second_box(), plan)
    job = next(j for j in plan.jobs if j.kind == "replication")
    photos = next(d for d in plan.datasets if d.name == "photos")
    assert (job.datasets, job.schedule.kind, job.schedule.at) == ((photos.id,), "daily", "06:00")
    assert job.retention.daily == 20
    # The worse of what nobody printed: who holds the keys could delete it from the source.
    assert job.credentials == "source"
    # What it copies into is no data of its own.
    assert [d.name for d in plan.datasets].count("photos") == 1
    assert not any(d.name == "photos" and d.id != photos.id for d in plan.datasets)
    again = takes(plan, machine(second_box()), None, TODAY)
    assert {t.what for t in again.things} == {"same"}
    assert not [n for n in offer.not_taken if "system" not in n]


def test_a_box_that_gave_another_number_than_the_plan_has_differs() -> None:
    plan, _ = taken(nas())
    assert {a.login: a.number for a in plan.accounts}["bo"] == 1001, "as the box has it"
    unsaid = tuple(a.model_copy(update={"number": None}) for a in plan.accounts)
    at_will = plan.model_copy(update={"accounts": unsaid})
    assert not [d for d in drifted(at_will, nas()).differences if d.collection == "accounts"]
    other = nas().replace(b"bo:x:1001", b"bo:x:1044")
    assert not [d for d in drifted(at_will, other).differences if d.collection == "accounts"]
    (row,) = [d for d in drifted(plan, other).differences if d.collection == "accounts"]
    assert (row.verdict, row.name, row.seen) == ("different", "bo", "its number here is 1044")
    assert row.change
    assert row.change.item["number"] == 1044


def test_what_servers_let_in_is_held_against_the_plan_too() -> None:
    plan, _ = taken(nas())
    other = nas().replace(b"read list = kiosk", b"read list = bo")
    other = other.replace(b"bo:x:1001", b"eve:x:1001")
    rows = {(d.verdict, d.name, d.field): d for d in drifted(plan, other).differences}
    kiosk = rows["different", "kiosk on photos", "right"]
    # Who may do more there than planned is urgent, who may do less is not.
    assert (kiosk.planned, kiosk.seen, kiosk.urgent) == ("read", "write", True)
    assert not rows["different", "bo on photos", "right"].urgent
    assert rows["missing", "bo", "passwd"].command
    assert rows["extra", "eve", "passwd"].change
    change = rows["extra", "eve", "passwd"].change
    assert change
    assert change.item["id"] not in {a.id for a in plan.accounts}


def test_two_hundred_disks_and_two_thousand_points_are_gone_through() -> None:
    letters = [f"sd{a}{b}" for a in "abcdefgh" for b in "abcdefghijklmnopqrstuvwxy"]
    points = [("tank/photos", f"auto-{n}", NOON - n * HOUR) for n in range(2000)]
    content = look(
        "nas",
        lsblk(*(disk(n, f"S-{n}") for n in letters)),
        ("zfs-list", "zfs list", zfs("tank/photos", TB, TB)),
        snapshots(*points),
    )
    plan, offer = taken(content)
    # More than a box can hold in bays: those for which there is none are named, none is lost silently.
    assert len(plan.disks) == 60
    told = [n for n in offer.not_taken if n.startswith("nas ")]
    assert len(told) == 140


def test_what_crontabs_start_becomes_a_job_or_is_named() -> None:
    text = (
        "15 3 8 * * root zpool scrub tank\n0 4 * * * root rsync -a /tank/photos far:/x\n"
        "*/5 * * * * root zpool scrub tank\n17 * * * * root run-parts /etc/cron.hourly\n"
    )
    plan, offer = taken(nas(("crontab", "/etc/crontab", text)))
    (scrub,) = [j for j in plan.jobs if j.kind == "scrub"]
    assert (scrub.schedule.kind, scrub.schedule.at, scrub.schedule.day) == ("monthly", "03:15", 8)
    assert any("rsync" in n and "enter it on Copies" in n for n in offer.not_taken)
    assert any("*/5" in n for n in offer.not_taken)
    assert not any("run-parts" in n for n in offer.not_taken)


def told(**jobs: Any) -> tuple[str, str, str]:
    """The file of a box's own script."""
    document = {"host": "nas", "written_from": "revision 3", "zone": "UTC", "jobs": jobs}
    return "lab-jobs.json", "/etc/lab-jobs.json", json.dumps(document, indent=1)


def test_what_its_own_script_was_told_is_taken_as_it_stands_and_the_rest_is_named() -> None:
    """Where a plan is lost its boxes still know their nights: nothing is guessed, or left out silently."""
    often = {"kind": "hourly", "at": "00:10"}
    jobs = {
        "auto": {"kind": "snapshot", "schedule": often, "retention": {"hourly": 72, "daily": 30},
                 "pool": "tank", "filesystem": "zfs", "sets": ["tank/photos", "tank/home"]},
        "quarterly": {"kind": "scrub", "pool": "tank", "catch_up": True,
                      "schedule": {"kind": "monthly", "every": 3, "nth": 2, "weekdays": [5], "at": "03:00"}},
        "news": {"kind": "updates", "schedule": {"kind": "weekly", "weekdays": [0], "at": "12:30"}},
        "to-the-mill": {"kind": "replication", "title": "replication", "schedule": {"kind": "daily"},
                        "pairs": [["tank/photos", "burrow/photos"]], "peer": "10.0.0.9"},
        "elsewhere": {"kind": "snapshot", "title": "snapshot", "schedule": often, "sets": ["vault/x"]},
        "upkeep-bins": {"kind": "bin", "title": "bins of shares", "schedule": {"kind": "daily"}},
    }  # fmt: skip
    plan, offer = taken(nas(told(**jobs)))
    found = {j.name: j for j in plan.jobs}
    assert set(found) == {"auto", "quarterly", "news"}
    names = {d.id: d.name for d in plan.datasets}
    assert [names[d] for d in found["auto"].datasets] == ["photos", "home"]
    assert (found["auto"].schedule.at, found["auto"].retention.daily) == ("00:10", 30)
    assert (found["quarterly"].pool, found["quarterly"].catch_up) == (plan.pools[0].id, True)
    assert found["news"].host == plan.hosts[0].id
    assert not any(t.guess for t in offer.things if t.collection == "jobs")
    assert "lab-job to-the-mill, replication: enter it on Copies" in offer.not_taken
    assert "lab-job elsewhere, snapshot: enter it on Copies" in offer.not_taken
    assert not any("upkeep" in n for n in offer.not_taken)


@pytest.mark.parametrize(
    "odd",
    [
        {},
        {"kind": 3},
        {"kind": "snapshot", "schedule": 7, "sets": [[1]]},
        {"kind": "scrub", "schedule": {"kind": "weekly"}, "pool": "tank"},
    ],
)
def test_an_odd_job_of_its_script_is_named_and_takes_nothing_along(odd: dict[str, Any]) -> None:
    plan, offer = taken(nas(told(odd=odd)))
    assert [j.name for j in plan.jobs] == ["auto"]
    assert any(n.startswith(("odd:", "lab-job odd, ")) for n in offer.not_taken)
