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


def test_errors_that_a_pool_counted_stand_at_the_disk_that_made_them() -> None:
    """Rows as OpenZFS 2.1.11 drew them of a disk that answered nothing any more: the pool stays ONLINE."""
    row = "ata-HERON_4000_H3-part1  ONLINE       0     0     0"
    assert row in STATUS
    ill = STATUS.replace(row, "ata-HERON_4000_H3-part1  ONLINE       3 1.50K     0")
    plan, _ = taken(nas())
    found = [d for d in drifted(plan, nas(status=ill)).differences if d.field == "errors"]
    (third,) = (d for d in plan.disks if d.serial == "H3")
    assert [(d.collection, d.about, d.seen, d.urgent) for d in found] == [
        ("disks", third.id, "3 read, 1.50K write errors counted in pool tank", True)
    ]


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
        # Four disks of 4 TB were put in the place of others, and the pool was not told to use them.
        ({"tank": 2 * TB}, ("different", "tank", "room")),
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
        zfs("tank", change.get("tank", 3 * TB), 1),
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


@pytest.mark.parametrize(
    ("used", "state", "smaller"),
    [(3, "ONLINE", False), (2, "ONLINE", True), (2, "DEGRADED", False)],
)
def test_a_pool_that_has_less_room_than_planned_is_seen_once_all_its_disks_are_there(
    used: int, state: str, smaller: bool
) -> None:
    """Three of the four disks' worth are 11.48 TB; it shows 11.48 or 10.48 of them."""
    plan, _ = taken(nas())
    content = look(
        "nas",
        lsblk(system_disk(), *(disk(f"sd{'abcde'[n]}", f"H{n + 1}") for n in range(5))),
        ("zpool-status", "zpool status -P", STATUS.replace("state: ONLINE", f"state: {state}")),
        ("zfs-list", "zfs list", zfs("tank", used * TB, 1)),
    )
    rows = [d for d in drifted(plan, content).differences if d.field == "room"]
    assert len(rows) == smaller
    for row in rows:
        assert (row.planned, row.urgent) == ("11.48 TB", True)
        assert row.seen == "10.48 TB: it has a part of its disks, or was not grown onto larger ones"


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


def both() -> Plan:
    """Two boxes; on the second lies data by a name that no point of the first one has."""
    plan, _ = taken(nas())
    return taken(second_box().replace(b"photos@auto-", b"photos@by-hand-"), plan)[0]


def cron(*lines: str) -> tuple[str, str, str]:
    return "crontab", "/etc/crontab", "\n".join(lines)


def test_scrubs_that_crontabs_start_become_jobs() -> None:
    lines = (
        "15 3 8 * * root zpool scrub tank",
        "*/5 * * * * root zpool scrub tank",
        "17 * * * * root run-parts /etc/cron.hourly",
    )
    plan, offer = taken(nas(cron(*lines)))
    (scrub,) = [j for j in plan.jobs if j.kind == "scrub"]
    assert (scrub.schedule.kind, scrub.schedule.at, scrub.schedule.day) == ("monthly", "03:15", 8)
    assert any("*/5" in n for n in offer.not_taken)
    assert not any("run-parts" in n for n in offer.not_taken)


def test_copies_that_crontabs_start_become_jobs_with_what_nobody_printed_said() -> None:
    """Whatever a line does not say is the worse: not there yet, and the source could delete it."""
    plan = both()
    before = {j.id for j in plan.jobs}
    lines = (
        "0 4 * * * root rsync -a --delete --exclude=.cache --bwlimit=1000 /tank/photos cellar:/vault/from-nas",
        "30 5 * * 1,4 root rsync -a /tank/home/ root@cellar.lan:/vault/homes/ >/dev/null 2>&1",
    )
    plan, offer = taken(nas(cron(*lines)), plan)
    jobs = {j.schedule.at: j for j in plan.jobs if j.id not in before}
    names = {d.id: d.name for d in plan.datasets}
    vault = next(p.id for p in plan.pools if p.name == "vault")
    mirror, kept = jobs["04:00"], jobs["05:30"]
    assert (mirror.kind, mirror.target_pool, mirror.schedule.kind) == ("mirror", vault, "daily")
    assert [names[d] for d in mirror.datasets] == ["photos"]
    assert (mirror.left_out, mirror.credentials) == ((".cache",), "source")
    assert (mirror.wire_encrypted, mirror.limit_mbit) == (True, 8.192)
    assert (mirror.first_copy, mirror.first_on) == ("side_by_side", TODAY)
    # What deletes nothing does not become a job that deletes.
    assert (kept.kind, kept.retention.trash_days) == ("folder_mirror", 365)
    assert {"home"} <= {names[d] for d in kept.datasets}
    assert kept.schedule.weekdays == (0, 3)
    guesses = {t.name: (t.why, t.guess) for t in offer.things if t.collection == "jobs"}
    why, guess = guesses[mirror.name]
    assert "once lab-job copies, take that line out there" in why
    assert "all of it is copied anew" in guess
    assert "; /vault/from-nas/photos on cellar is planned as data: if that is this copy" in guess
    assert mirror.name == "photos to vault"
    # Once taken it is not offered again.
    again = takes(plan, machine(nas(cron(*lines))), None, TODAY)
    assert not [t for t in again.things if t.collection == "jobs" and t.what == "new"]


def test_a_copy_that_is_pulled_and_snapshots_that_are_sent_become_jobs() -> None:
    plan = both()
    sent = "ssh nas zfs send -w -i @a tank/home@$(date +\\%F) | zfs receive -u vault/home"
    lines = f"0 1 * * * root rsync -a --delete nas:/tank/photos/ /vault/p/\n@daily root {sent}"
    box = second_box().replace(b"photos@auto-", b"photos@by-hand-")
    listing = {"listing": "crontab", "asked": "/etc/crontab", "code": 0, "said": lines}
    document = json.loads(box)
    document["listings"].append(listing)
    plan, _ = taken(json.dumps(document).encode(), plan)
    jobs = {j.kind: j for j in plan.jobs}
    vault = next(p.id for p in plan.pools if p.name == "vault")
    names = {d.id: d.name for d in plan.datasets}
    pulled, replicated = jobs["mirror"], jobs["replication"]
    assert (pulled.target_pool, replicated.target_pool) == (vault, vault)
    assert (pulled.credentials, replicated.credentials) == ("target", "target")
    assert [names[d] for d in replicated.datasets] == ["home"]
    # How many are kept there no line says, and home is not encrypted: sent as it lies it is none the more.
    assert (replicated.retention.last, replicated.encrypted) == (2, False)


def test_what_is_pulled_from_a_module_comes_in_the_clear_whatever_ssh_would_do() -> None:
    module = "[pics]\npath = /tank/photos\nauth users = ana\nhosts allow = 192.0.2.0/24\n"
    plan, _ = taken(nas(("rsyncd.conf", "/etc/rsyncd.conf", module)))
    plan, _ = taken(second_box().replace(b"photos@auto-", b"photos@by-hand-"), plan)
    document = json.loads(second_box().replace(b"photos@auto-", b"photos@by-hand-"))
    line = "0 1 * * * root rsync -a --delete nas::pics/ /vault/p/"
    listing = {"listing": "crontab", "asked": "/etc/crontab", "code": 0, "said": line}
    document["listings"].append(listing)
    plan, _ = taken(json.dumps(document).encode(), plan)
    (job,) = [j for j in plan.jobs if j.kind == "mirror"]
    names = {d.id: d.name for d in plan.datasets}
    assert ([names[d] for d in job.datasets], job.credentials) == (["photos"], "target")
    assert job.wire_encrypted is False


@pytest.mark.parametrize(
    ("line", "why"),
    [
        ("rsync -a /tank/photos far:/x", "far is no box of the plan yet"),
        ("rsync -a /tank/photos/2025 cellar:/vault/x", "takes a part of /tank/photos alone"),
        ("rsync -a /etc cellar:/vault/etc", "/etc holds no dataset of the plan"),
        ("rsync -a /tank/photos /mnt/usb", "/mnt/usb on nas is on no pool"),
        ("rsync -a /tank/photos /tank/old", "lands on the pool that it comes from"),
        ("rsync -ax /tank cellar:/vault/x", "stays on one file system"),
        ("rsync -a x:/a cellar:/vault/x", "not two boxes, of which this is one"),
        ("zfs send tank/none@$X | ssh cellar zfs recv vault/x", "tank/none is no dataset"),
        ("rsync -an /tank/photos cellar:/vault/x", "a dry run"),
        ("rsync -a mod::x /tank/photos", "mod is no box"),
        ("/usr/local/bin/backup.sh", "it looks like a copy"),
        ("cp -a --target-directory=/mnt/x /tank/photos", "it looks like a copy"),
    ],
)
def test_a_copy_that_cannot_be_planned_as_it_stands_is_named_with_the_reason(
    line: str, why: str
) -> None:
    plan = both()
    jobs = {j.id for j in plan.jobs}
    plan, offer = taken(nas(cron(f"0 4 * * * root {line}")), plan)
    assert {j.id for j in plan.jobs} == jobs
    (said,) = [n for n in offer.not_taken if "enter it on Copies" in n]
    assert why in said
    assert line[:40] in said


def test_what_timers_and_folders_of_crontabs_start_is_read_as_a_crontab_is() -> None:
    """Text of `systemctl show` from systemd 252 under a real kernel, but for the paths."""
    plan = both()
    jobs = {j.id for j in plan.jobs}
    timers = (
        "Id=copy-away.timer\nUnit=copy-away.service\n"
        "TimersCalendar={ OnCalendar=Mon,Thu *-*-* 04:30:00 ; next_elapse=n/a }\n"
        "ActiveState=active\nUnitFileState=enabled\n"
    )
    runs = "; start_time=[n/a] ; stop_time=[n/a] ; pid=0 ; code=(null) ; status=0/0 }"
    started = (
        "Id=copy-away.service\n"
        "ExecStart={ path=/bin/sh ; argv[]=/bin/sh -c mountpoint -q / && nice -n 19 rsync -a --delete "
        f"/tank/photos/ cellar:/vault/p/ ; ignore_errors=no {runs}\n"
        "ExecStart={ path=/usr/bin/rsync ; argv[]=/usr/bin/rsync -a --delete /tank/home/ cellar:/vault/h/ "
        f"; ignore_errors=no {runs}\n"
    )
    content = nas(
        ("timers", "systemctl show *.timer", timers),
        ("timer-services", "systemctl show copy-away.service", started),
        ("cron-scripts", "/etc/cron.*ly/*", "/etc/cron.daily/backup\n/etc/cron.daily/man-db\n"),
    )
    plan, offer = taken(content, plan)
    mine = [j for j in plan.jobs if j.kind == "mirror" and j.id not in jobs]
    assert {(j.schedule.at, j.schedule.weekdays) for j in mine} == {("04:30", (0, 3))}
    assert len(mine) == 2
    assert [n for n in offer.not_taken if "Copies" in n] == [
        "cron @daily: /etc/cron.daily/backup: it looks like a copy; enter it on Copies"
    ]


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
