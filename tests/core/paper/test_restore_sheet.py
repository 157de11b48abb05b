"""The sheet for whoever restores without the administrator."""

from typing import Any

import pytest

from kavrel.core.evaluate import evaluate
from kavrel.core.paper.restore_sheet import RULES, restore_sheet
from kavrel.core.plan import App, Bucket, Dataset, Export, Mount, Plan, Pool, Retention
from kavrel.formats.document_markdown import document_markdown
from kavrel.formats.servers.files import fstab
from tests.builders import GB, TODAY, disk, job, lab

NEAR = {"kind": "backup", "target_pool": "second", "credentials": "source"}
FAR = {"kind": "replication", "target_pool": "second", "credentials": "target"}
KEPT = {**FAR, "kind": "backup"}


def sheet_of(plan: Plan) -> str:
    return document_markdown(restore_sheet(plan, evaluate(plan, TODAY), "revision 7"))


def part(text: str, title: str) -> str:
    """What stands under a heading."""
    return text.partition(f"## {title}")[2].partition("\n## ")[0]


def test_it_says_where_boxes_copies_and_keys_are() -> None:
    host = lab().hosts[1].model_copy(update={"vpn_address": "100.64.0.9"})
    text = sheet_of(
        lab(
            hosts=(lab().hosts[0], host),
            jobs=(
                job("r", **FAR),
                job(
                    "b", kind="backup", target_pool="second", encrypted=True, key_kept_at=("away",)
                ),
            ),
        )
    )
    assert "far, at away, address 100.64.0.9 over the VPN: holds second" in text
    # A day, the hour of the autumn night, and both jobs' runs on the one link.
    assert "r: replication of files on second at away, at most 26 h old" in text
    assert "- b: away" in part(text, "Where the keys are")
    for rule in RULES:
        assert rule in text


def test_what_is_worth_most_comes_first_and_what_all_need_is_said_once() -> None:
    cheap = Dataset(id="cheap", name="a cheap one", pool="main", size_bytes=GB)
    plan = lab(
        datasets=(cheap, lab().datasets[0]), jobs=(job("r", datasets=("files", "cheap"), **FAR),)
    )
    fire = part(sheet_of(plan), "fire at its site: home")
    assert fire.index("### files") < fire.index("### a cheap one")
    assert fire.count("- [ ] replace box and disks (72.0 h)") == 1
    assert fire.index("replace box") < fire.index("### files")
    # Whoever reads it has noticed.
    assert "notice" not in fire
    assert fire.count("- [ ] fetch: find the point in r") == 2
    assert "- [ ] fetch: bring far from away (3.0 h)" in fire
    assert fire.count("- [ ] check: read it back to verify") == 2


def test_what_is_not_there_yet_is_said_beside_what_will_be() -> None:
    """It may be needed on the very night on which it was printed."""
    waits = lab(jobs=(job("r", **FAR, first_copy="over_link"),))
    text = sheet_of(waits)
    assert f"As of {TODAY}: not there yet: its first copy is not done" in part(
        text, "Where the copies lie"
    )
    fire = part(text, "fire at its site: home")
    now, _, later = fire.partition("Once all runs as planned: ")
    assert f"as of {TODAY} has no copy that helps" in now
    assert later.startswith("comes back from r, up to")
    settled = sheet_of(lab(jobs=(job("r", **FAR),)))
    assert "As of" not in settled
    assert "as of" not in settled
    pools = tuple(p.model_copy(update={"standing": p.id == "main"}) for p in lab().pools)
    assert "holds second (still to be made: print this sheet anew" in sheet_of(lab(pools=pools))


def test_nobody_gives_up_before_having_looked(demo: Plan) -> None:
    """A copy that has it at most moments, and not at all, is looked into first."""
    cells = {(c.dataset, c.hazard): c for c in evaluate(demo, TODAY).proof}
    cell = cells["scans", "deleted"]
    assert cell.fate == "lost"
    assert 0 < cell.never_share < 1
    name = next(j.name for j in demo.jobs if j.id == cell.otherwise_job)
    deleted = part(sheet_of(demo), "deleted, missed late")
    (said,) = [x for x in deleted.split("\n\n") if "negative scans" in x or name in x][1:]
    assert f"look into {name} first" in said
    assert "else no copy helps" in said


def test_each_box_and_site_has_its_own_part() -> None:
    there = Dataset(id="there", name="there", pool="second", size_bytes=GB)
    text = sheet_of(lab(datasets=(*lab().datasets, there)))
    assert "### files" in part(text, "box lost: box")
    assert "### files" not in part(text, "box lost: far")
    assert "### there" in part(text, "fire at its site: away")


HOW = [
    ("snapshot", {}, "zfs clone main/files@POINT main/files-back"),
    (
        "replication",
        {"target_pool": "second"},
        "ssh far zfs send second/it/files@POINT | zfs receive -u main/files-back",
    ),
    ("backup", {"target_pool": "second", "encrypted": True}, "only in the box that made it"),
    (
        "folder_mirror",
        {"target_pool": "second", "retention": Retention(trash_days=7)},
        "lies by days in /srv/second/it/.trash-files, for 7 days",
    ),
    (
        "mirror",
        {"target_pool": "second", "retention": Retention()},
        "stop it before anything else",
    ),
    ("image", {"target_pool": "second"}, "with its network unplugged"),
    ("dump", {"target_pool": "second"}, "into a new, empty one"),
    ("bucket", {"target_bucket": "pail"}, "sign in to the provider of bucket pail as me"),
    ("shelf", {"target_disk": "loose9"}, "take down disk loose 9, serial S-9"),
]


@pytest.mark.parametrize(("kind", "more", "told"), HOW, ids=[h[0] for h in HOW])
def test_every_kind_of_copy_says_how_it_is_fetched(kind: str, more: dict, told: str) -> None:  # type: ignore[type-arg]
    disks = (*lab().disks[:-1], disk(9, None, serial="S-9"))
    plan = lab(
        disks=disks,
        buckets=(Bucket(id="pail", name="pail", site="away", account="me"),),
        jobs=(job("it", kind=kind, **more),),
    )
    told_of = part(sheet_of(plan), "Where the copies lie")
    assert told in told_of.replace("\\", "")


def test_btrfs_is_fetched_in_its_own_way() -> None:
    pools = tuple(
        p.model_copy(update={"filesystem": "btrfs", "family": "mirror"}) for p in lab().pools
    )
    pools = (pools[0].model_copy(update={"groups": (("box1", "box2"),)}), pools[1])
    text = sheet_of(lab(pools=pools, jobs=(job("s"), job("r", **FAR))))
    assert "ls /srv/main/.points/files" in text
    assert "btrfs send /srv/second/r/.points/files/POINT | ssh box btrfs receive" in text


def test_where_nothing_helps_it_says_to_touch_nothing() -> None:
    assert "switch off, touch nothing, ask a recovery service" in sheet_of(lab())


def test_names_are_plain_text() -> None:
    files = lab().datasets[0].model_copy(update={"name": "a [link](x) & <b>"})
    text = sheet_of(lab(datasets=(files,), jobs=(job("r", **FAR),)))
    assert "a \\[link\\](x) & \\<b>" in text


def test_a_system_installed_anew_is_told_what_belongs_to_whom() -> None:
    """Its numbers are new: what was of one person would be another's."""
    text = sheet_of(lab(jobs=(job("r", **FAR),)))
    for title in ("box lost", "fire", "theft"):
        heading = next(x for x in text.splitlines() if x.startswith(f"## {title}"))
        assert "hold `ls -ln` against `id` and" in part(text, heading.removeprefix("## ")), title
    boot = next(x for x in text.splitlines() if x.startswith("## boot device dies: box"))
    said = part(text, boot.removeprefix("## "))
    assert "leave the data disks unplugged until it runs (box 1" in said
    assert "gives every account the number that its files carry" in said
    closed = lab().hosts[0].model_copy(update={"kind": "bought_box"})
    of_closed = sheet_of(lab(hosts=(closed, *lab().hosts[1:]), jobs=(job("r", **KEPT),)))
    assert "setup.sh" not in part(of_closed, boot.removeprefix("## "))


def test_a_disk_that_dies_is_the_first_thing_of_each_pool_and_names_what_is_typed() -> None:
    text = sheet_of(
        lab(
            jobs=(
                job("s", retention=Retention(last=3)),
                job("r", kind="replication", target_pool="second", reads_from="s"),
                job("b", kind="backup", target_pool="second", credentials="target"),
            )
        )
    )
    dies = part(text, "a disk dies: pool main")
    assert text.index("## a disk dies: pool main") < text.index("## second disk during rebuild")
    assert "until the new disk is filled no other may die" in dies
    assert "- box 2: bay 3.5-2, serial not in the plan: read it off the disk now, 4.00 TB" in dies
    assert "- [ ] `zpool replace main OLD NEW`\n" in dies
    # What is sent on is taken first, each on the box that does it.
    assert "; on box: `lab-job s`, `lab-job r`; on far: `lab-job b`" in dies
    # What stands on two more needs no haste.
    disks = (*lab().disks, disk(4), disk(5))
    groups = (tuple(f"box{n}" for n in (1, 2, 3, 4, 5)),)
    first = lab().pools[0].model_copy(update={"family": "raidz3", "groups": groups})
    dies = part(sheet_of(lab(disks=disks, pools=(first, lab().pools[1]))), "a disk dies: pool main")
    assert "any 2 more may die" in dies
    assert "copied once more" not in dies


def test_a_bought_box_is_mended_in_its_page_and_a_disk_alone_comes_from_its_copy() -> None:
    closed = lab().hosts[0].model_copy(update={"kind": "bought_box"})
    dies = part(sheet_of(lab(hosts=(closed, lab().hosts[1]))), "a disk dies: pool main")
    assert "- [ ] in its web page, under storage, see which disk is marked as failed" in dies
    assert "zpool" not in dies
    alone = lab().pools[0].model_copy(update={"family": "single", "groups": (("box1",),)})
    text = sheet_of(lab(pools=(alone, lab().pools[1]), jobs=(job("r", **FAR),)))
    assert "a disk dies: pool main" not in text
    one = part(text, "one disk: pool main")
    assert "comes back from r" in one
    assert "zpool replace" not in one
    assert one.index("Pool main is made anew first") < one.index("bring back")


def test_after_a_power_cut_boxes_come_back_in_their_order_and_what_is_locked_is_opened() -> None:
    hosts = (
        lab().hosts[0].model_copy(update={"after_power_cut": "by_hand", "start_order": 2}),
        lab()
        .hosts[1]
        .model_copy(update={"site": "home", "after_power_cut": "over_network", "start_order": 1}),
    )
    first, second = lab().pools
    pools = (
        first.model_copy(update={"encrypted": True, "passphrase_at": "the tin in the larder"}),
        second.model_copy(update={"filesystem": "ext4"}),
    )
    text = sheet_of(lab(hosts=hosts, pools=pools, jobs=(job("r", **NEAR),)))
    away = part(text, "the power was away: home")
    assert away.index("far: wake it over the network") < away.index("box: press its button")
    opened = "box: open pool main, passphrase at the tin in the larder: `zfs load-key -r main`; `zfs mount -a`"
    assert away.index("box: press its button") < away.index(opened)
    assert away.index(opened) < away.index(
        "box: see that its pools are there and whole: `zpool status -x main`"
    )
    assert "box: start what found its folder missing" in away
    assert "far: start what" not in away, "nothing there waited for a passphrase"
    assert (
        "far: see that its pools are there and whole: `findmnt /srv/second`; `cat /proc/mdstat`"
        in away
    )
    assert "box: `lab-job overdue` names" in away
    assert "far: `lab-job overdue`" not in away, "no job runs there"
    assert "the power was away: away" not in text, "nothing stands there"
    # One pool that is not mounted keeps NFS from serving the others.
    assert "NFS starts only once" not in away
    near = second.model_copy(update={"host": "box", "groups": (("box4", "box5"),)})
    spare = Dataset(id="spare", name="spare", pool="second", size_bytes=GB)
    given = tuple(
        Export.model_validate(
            {"id": d, "protocol": "nfs", "name": d, "dataset": d, "clients": ("192.168.1.0/24",)}
        )
        for d in ("files", "spare")
    )
    disks = (*lab().disks, disk(4), disk(5))
    both = lab(disks=disks, pools=(first, near), datasets=(*lab().datasets, spare), exports=given)
    assert "NFS starts only once" in part(sheet_of(both), "the power was away: home")


def test_apps_that_started_over_a_locked_pool_are_stopped_before_it_is_opened() -> None:
    """A container makes the folder that it misses: what it writes there is on the system disk."""
    locked = lab().pools[0].model_copy(update={"encrypted": True})
    apps = (App(id="player", name="player", host="box"), App(id="door", name="door", host="box"))
    sees = (Mount(id="m", app="player", dataset="files", inside="/media"),)
    fields: dict[str, Any] = {"apps": apps, "mounts": sees}
    text = part(
        sheet_of(lab(pools=(locked, *lab().pools[1:]), **fields)), "the power was away: home"
    )
    assert "Before that stop player, and start again once the pool is open" in text
    assert "Before that stop" not in part(sheet_of(lab(**fields)), "the power was away: home")
    # SFTP accounts see what is mounted, and nothing before.
    shown = Export(id="in", protocol="sftp", name="in", dataset="files", accounts=("ana",))
    text = part(
        sheet_of(lab(pools=(locked, *lab().pools[1:]), exports=(shown,))),
        "the power was away: home",
    )
    assert "`zfs mount -a`; `mount /srv/sftp/in/files`" in text
    line = "/srv/main/files /srv/sftp/in/files none bind,nofail,"
    assert f"{line}x-systemd.requires=zfs-mount.service 0 0" in fstab(
        lab(exports=(shown,)), "box", "r"
    )


def test_what_serves_a_pool_that_came_late_is_started_by_name_for_it_does_not_fail() -> None:
    """Targetctl says what it cannot find and ends well; a unit given up with its mount has not failed."""
    locked = lab().pools[0].model_copy(update={"encrypted": True})
    facts: tuple[dict[str, Any], ...] = (
        {"protocol": "iscsi", "size_bytes": GB, "clients": ("iqn.2026-01.lan.pc:one",)},
        {
            "protocol": "s3",
            "size_bytes": GB,
            "port": 9000,
            "buckets": ("one",),
            "accounts": ("ana",),
        },
        {"protocol": "nfs", "clients": ("192.168.1.0/24",)},
        {"protocol": "rsync", "clients": ("192.168.1.0/24",), "accounts": ("ana",)},
    )
    given = tuple(
        Export.model_validate(
            {"id": f["protocol"], "name": f"my-{f['protocol']}", "dataset": "files", **f}
        )
        for f in facts
    )
    text = part(
        sheet_of(lab(pools=(locked, *lab().pools[1:]), exports=given)), "the power was away: home"
    )
    told = "`systemctl restart rtslib-fb-targetctl`; `systemctl start s3-my-s3`; `exportfs -ra`;"
    assert f"box: start what found its folder missing: {told}" in text
    assert "their clients wait a moment" in text
    # A pool of Btrfs that lacks a disk is not mounted by the start: what it serves is told again, too.
    copies = lab().pools[0].model_copy(update={"family": "copies2", "filesystem": "btrfs"})
    text = sheet_of(lab(pools=(copies, *lab().pools[1:]), exports=given[:1]))
    steps = part(text, "a disk dies: pool main")
    first = steps.partition("see which one it is")[2].partition("- [ ]")[0]
    assert "Once, first of all: `mount -o degraded /srv/main`" in first
    assert "`systemctl restart rtslib-fb-targetctl`" in first


def test_a_new_box_is_set_up_before_anything_is_brought_back() -> None:
    text = sheet_of(lab(jobs=(job("r", **FAR),)))
    for title in ("box lost: box", "fire at its site: home"):
        lost = part(text, title)
        assert lost.index("On the Bench give its disks their new serials") < lost.index(
            "bring back"
        )
        assert "on Pools take off that main stands" in lost
        assert "run `sh setup.sh`" in lost
    bought = lab().hosts[0].model_copy(update={"kind": "bought_box"})
    lost = part(
        sheet_of(lab(hosts=(bought, lab().hosts[1]), jobs=(job("r", **KEPT),))), "box lost: box"
    )
    assert "values.txt of its bundle" in lost
    assert "setup.sh" not in lost


def test_what_came_back_beside_is_put_into_place_by_what_is_typed() -> None:
    mirror = job(
        "m", kind="folder_mirror", target_pool="second", credentials="target",
        retention=Retention(trash_days=7),
    )  # fmt: skip
    text = sheet_of(lab(jobs=(mirror, job("r", **FAR))))
    copies = part(text, "Where the copies lie")
    assert (
        "rsync -aHAX --partial /srv/second/m/.trash-files/DAY/ box:/srv/main/files-back/" in copies
    )
    assert "`rsync -aHAX /srv/main/files-back/ /srv/main/files/`;" in copies
    assert "`zfs rename main/files main/files-damaged`," in copies
    assert "`zfs rename main/files-back main/files`;" in copies


def test_reported_errors_are_looked_at_by_what_each_pool_can_say() -> None:
    first, second = lab().pools
    md = second.model_copy(update={"filesystem": "ext4"})
    told = part(sheet_of(lab(pools=(first, md))), "errors are reported")
    assert "- [ ] box: `zpool status -v main`: files that are lost stand at its end" in told
    assert (
        "- [ ] far: `cat /proc/mdstat`; `cat /sys/block/md*/md/mismatch_cnt` (pool second)" in told
    )
    assert "md sees that two disks differ, and not which of them is right" in told
    assert "- [ ] box: `zpool clear main`; `zpool scrub -w main`; `zpool status -v main`" in told
    assert "far: `zpool" not in told
    assert told.index("zpool status -v main") < told.index(
        "see what is at fault: `smartctl -a DISK`"
    )
    copies = {"family": "copies2", "filesystem": "btrfs"}
    told = part(sheet_of(lab(pools=(first.model_copy(update=copies), md))), "errors are reported")
    assert "`btrfs device stats -z /srv/main`; `btrfs scrub start -B /srv/main`" in told
    bought = lab().hosts[0].model_copy(update={"kind": "bought_box"})
    told = part(sheet_of(lab(hosts=(bought, lab().hosts[1]))), "errors are reported")
    assert "box: in its web page" in told
    assert "zpool clear main" not in told


def test_what_comes_back_goes_the_way_on_which_one_root_gets_into_the_other() -> None:
    """Only the one that starts the job has a key of the other, and only its door is open."""

    def told(credentials: str) -> str:
        sent = job("r", **{**FAR, "credentials": credentials})
        return part(sheet_of(lab(jobs=(sent,))), "Where the copies lie")

    pulled = "on far, send one back under a new name: `zfs send second/r/files@POINT | ssh box zfs receive"
    assert pulled in told("target")
    pushed = "on box, send one back under a new name: `ssh far zfs send second/r/files@POINT | zfs receive"
    assert pushed in told("source")
    # On one box nobody signs in anywhere.
    disks = (*lab().disks, disk(4), disk(5))
    near = Pool.model_validate(
        {"id": "near", "name": "near", "host": "box", "family": "mirror", "filesystem": "zfs",
         "groups": (("box4", "box5"),)}
    )  # fmt: skip
    here = job("r", kind="replication", target_pool="near")
    text = part(
        sheet_of(lab(disks=disks, pools=(*lab().pools, near), jobs=(here,))), "Where the copies lie"
    )
    assert "send one back under a new name: `zfs send near/r/files@POINT | zfs receive -u" in text


def test_what_landed_in_a_module_comes_back_through_it() -> None:
    """No root of the one gets into the other for it; the password does."""
    mill = Export.model_validate(
        {"id": "m", "protocol": "rsync", "name": "mill", "dataset": "spare", "may": "write",
         "clients": ("192.168.1.0/24",), "accounts": ("ana",)}
    )  # fmt: skip
    spare = Dataset(id="spare", name="spare", pool="second", size_bytes=GB)
    lands = job(
        "m", kind="folder_mirror", target_pool="second", lands_in="m", lands_as="ana",
        retention=Retention(trash_days=7),
    )  # fmt: skip
    plan = lab(datasets=(*lab().datasets, spare), exports=(mill,), jobs=(lands,))
    copies = part(sheet_of(plan), "Where the copies lie").replace("\\", "")
    told = "on box, with the password that the job has, copy it back: `rsync -aHAX --partial "
    assert f"{told}rsync://ana@far/mill/m/files/ /srv/main/files-back/" in copies
    assert "rsync://ana@far/mill/m/.trash-files/DAY/ /srv/main/files-back/" in copies


def test_what_comes_back_without_owners_is_given_to_its_people_again() -> None:
    inner = Dataset(id="inner", name="inner", pool="main", size_bytes=GB, parent="files")
    beside = Dataset(id="beside", name="beside", pool="main", size_bytes=GB)
    plan = lab(datasets=(*lab().datasets, inner, beside), jobs=(job("r", **FAR),))
    assert "## Whose it is" not in sheet_of(plan), "what root sends brings owners and rights along"
    down = job("d", kind="drive", target_bucket="b")
    bucket = Bucket(id="b", name="drive", site="away", account="ana")
    text = sheet_of(plan.model_copy(update={"jobs": (down,), "buckets": (bucket,)}))
    assert "neither owners nor rights come with it" in part(text, "Where the copies lie")
    told = part(text, "Whose it is")
    assert "`setfacl -R --set " in told
    # What goes through a folder goes through what lies in it: that is given its own after it.
    assert told.index("- files on box") < told.index("- inner on box")
    assert "beside" not in told


def test_what_does_not_fit_beside_what_is_there_is_said_before_somebody_fills_the_pool() -> None:
    jobs = (job("s"), job("r", **FAR))
    other = Dataset(id="other", name="other", pool="main", size_bytes=6700 * GB)
    text = sheet_of(lab(datasets=(*lab().datasets, other), jobs=jobs))
    copies = part(text, "Where the copies lie")
    assert copies.count("files does not fit beside what is there: 1.00 TB, and ") == 1
    assert "does not fit" not in copies.partition("- r: ")[0], "a clone takes no room of its own"
    assert "does not fit" not in sheet_of(lab(jobs=jobs))


def test_what_parity_over_files_leaves_lost_is_told_apart_from_what_comes_back() -> None:
    groups = (("box1", "box2"), ("box3",))
    first = lab().pools[0].model_copy(
        update={"family": "parity1", "filesystem": "ext4", "groups": groups}
    )  # fmt: skip
    for worth, words in (
        ("irreplaceable", "what is lost of it has no copy that helps: keep the dead disk"),
        ("fetch_again", "what is lost of it is not copied: fetch that again from where it came"),
    ):
        files = lab().datasets[0].model_copy(update={"worth": worth, "change_bytes_per_day": GB})
        text = sheet_of(lab(pools=(first, lab().pools[1]), datasets=(files,)))
        one = part(text, "one disk: pool main")
        assert "First as under “a disk dies: pool main”" in one
        assert words in one
    dies = part(text, "a disk dies: pool main")
    assert "Its jobs refuse to run while a disk’s folder is empty" in dies
    assert "if it is one of the parity, have everything copied once more" in dies
    assert "`rsync -aHAX FOLDER/ OTHER/`" in dies


def test_where_the_dead_disk_is_what_its_box_boots_from_the_system_comes_first() -> None:
    box = lab().hosts[0].model_copy(update={"boot_disk": "box1", "system_bytes": 64 * GB})
    plan = lab(hosts=(box, *lab().hosts[1:]))
    (section,) = [
        s
        for s in restore_sheet(plan, evaluate(plan, TODAY), "r").sections
        if s.title == "a disk dies: pool main"
    ]
    first, second = section.facts[:2]
    left = (lab().disks[0].capacity_bytes - 64 * GB) // 2**20 - 2
    assert "the system is installed onto the new one first" in first.how[0]
    assert f"echo size={left}MiB | sfdisk -q --append --no-reread" in first.how[0]
    assert "no `wipefs` on it" in first.how[0]
    assert second.how == ()
    unknown = box.model_copy(update={"system_bytes": None})
    plan = lab(hosts=(unknown, *lab().hosts[1:]))
    told = document_markdown(restore_sheet(plan, evaluate(plan, TODAY), "r"))
    assert "the system is installed onto the new one first" in told
    assert "sfdisk" not in told


def test_a_pool_that_goes_with_the_disk_that_its_box_boots_from_is_made_anew_behind_the_system() -> (
    None
):
    box = lab().hosts[0].model_copy(update={"boot_disk": "box1", "system_bytes": 64 * GB})
    fields = {"family": "single", "filesystem": "ext4", "groups": (("box1",),)}
    alone = lab().pools[0].model_copy(update=fields)
    far = job("far", kind="backup", target_pool="second")
    plan = lab(hosts=(box, *lab().hosts[1:]), pools=(alone, lab().pools[1]), jobs=(far,))
    sections = restore_sheet(plan, evaluate(plan, TODAY), "r").sections
    told = {s.title: [f.text for f in s.facts] for s in sections}
    assert "its system comes first, see boot device dies" in told["one disk: pool main"][0]
    boots = told["boot device dies: box"]
    assert "onto a part of at most 64 GB in a GPT, with the rest left unused" in boots[0]
    assert "()" not in boots[0]
    assert "Pool main had the rest of that disk, and is gone with it" in boots[1]
    assert "box’s new bundle" in boots[1]
    assert "run `sh setup.sh`" in boots[2]
    # One that outlives a disk is put together without it.
    plan = lab(hosts=(box, *lab().hosts[1:]))
    sections = restore_sheet(plan, evaluate(plan, TODAY), "r").sections
    (boots,) = [[f.text for f in s.facts] for s in sections if s.title == "boot device dies: box"]
    assert "what is left of it is put together without it" in boots[1]
    assert any(s.title == "a disk dies: pool main" for s in sections)
