"""The sheet for whoever restores without the administrator."""

import pytest

from kavrel.core.evaluate import evaluate
from kavrel.core.paper.restore_sheet import RULES, restore_sheet
from kavrel.core.plan import Bucket, Dataset, Plan, Retention
from kavrel.formats.document_markdown import document_markdown
from tests.builders import GB, TODAY, disk, job, lab

FAR = {"kind": "replication", "target_pool": "second", "credentials": "target"}


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
    assert "far, at away, address 100.64.0.9: holds second" in text
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


def test_each_box_and_site_has_its_own_part() -> None:
    there = Dataset(id="there", name="there", pool="second", size_bytes=GB)
    text = sheet_of(lab(datasets=(*lab().datasets, there)))
    assert "### files" in part(text, "box lost: box")
    assert "### files" not in part(text, "box lost: far")
    assert "### there" in part(text, "fire at its site: away")


HOW = [
    ("snapshot", {}, "zfs clone main/files@POINT main/files-back"),
    ("replication", {"target_pool": "second"}, "ssh box zfs receive -u main/files-back"),
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
    assert "btrfs send /srv/second/r/.points/files/POINT \\| ssh box btrfs receive" in text


def test_where_nothing_helps_it_says_to_touch_nothing() -> None:
    assert "switch off, touch nothing, ask a recovery service" in sheet_of(lab())


def test_names_are_plain_text() -> None:
    files = lab().datasets[0].model_copy(update={"name": "a [link](x) & <b>"})
    text = sheet_of(lab(datasets=(files,), jobs=(job("r", **FAR),)))
    assert "a \\[link\\](x) \\& \\<b\\>" in text


def test_a_system_installed_anew_is_told_what_belongs_to_whom() -> None:
    """Its numbers are new: what was of one person would be another's."""
    text = sheet_of(lab(jobs=(job("r", **FAR),)))
    for title in ("box lost", "fire", "theft"):
        heading = next(x for x in text.splitlines() if x.startswith(f"## {title}"))
        assert "hold ls -ln against id" in part(text, heading.removeprefix("## ")), title
    boot = next(x for x in text.splitlines() if x.startswith("## boot device dies: box"))
    said = part(text, boot.removeprefix("## "))
    assert "leave the data disks unplugged until it runs (box 1" in said
    assert "gives every account the number that its files carry" in said
    closed = lab().hosts[0].model_copy(update={"kind": "bought_box"})
    of_closed = sheet_of(lab(hosts=(closed, *lab().hosts[1:]), jobs=(job("r", **FAR),)))
    assert "setup.sh" not in part(of_closed, boot.removeprefix("## "))
