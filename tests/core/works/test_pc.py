"""A PC that somebody works at: its data, its own copy into a share, and what malware there reaches."""

import json
import re
from typing import Any

import pytest

from kavrel.core.consistency import problems
from kavrel.core.edit import EditError, checked
from kavrel.core.index import Index
from kavrel.core.paper.runbook import runbook
from kavrel.core.plan import Dataset, Disk, Grant, Host, Plan, Pool, Retention, Share
from kavrel.core.shares.names import copy_folders
from kavrel.core.works.page import page_works
from kavrel.formats.lab_jobs import lab_jobs
from kavrel.formats.papers import PAPERS
from kavrel.formats.servers.bundle import host_files
from tests.builders import GB, TODAY, job, lab, result

COPY: dict[str, Any] = {
    "kind": "pc_copy",
    "datasets": ("pictures",),
    "target_pool": "second",
    "lands_share": "pcs",
    "lands_as": "ana",
    "retention": Retention(),
}


def desk(system: str = "windows", jobs: tuple[Any, ...] = (), **of_share: Any) -> Plan:
    base = lab()
    pc = Host(id="desk", name="desk", site="home", kind="pc", system=system, slots_nvme=1)
    ssd = Disk(
        id="ssd", label="inside", kind="nvme", form="m.2", capacity_bytes=10**12, host="desk",
        bay="nvme-1", serial="PC-1",
    )  # fmt: skip
    inside = {"windows": "ntfs", "macos": "apfs", "linux": "ext4"}[system]
    pool = Pool.model_validate(
        {"id": "c", "name": "C", "host": "desk", "family": "single", "filesystem": inside}
        | {"groups": [["ssd"]]}
    )
    mine = Dataset(id="pictures", name="Pictures", pool="c", size_bytes=100 * GB)
    kept = Dataset(id="kept", name="of PCs", pool="second", size_bytes=0, quota_bytes=300 * GB)
    share = {"id": "pcs", "name": "pcs", "dataset": "kept", "pc_backups": True, **of_share}
    return base.model_copy(
        update={
            "hosts": (*base.hosts, pc),
            "disks": (*base.disks, ssd),
            "pools": (*base.pools, pool),
            "datasets": (*base.datasets, mine, kept),
            "shares": (Share.model_validate(share),),
            "grants": (Grant(id="g", share="pcs", account="ana", right="write"),),
            "jobs": jobs or (job("desk-copy", **COPY),),
        }
    )


@pytest.mark.parametrize("system", ["windows", "macos", "linux"])
def test_its_own_scheduler_copies_into_the_share_and_nothing_of_ours_runs_on_it(
    system: str,
) -> None:
    plan = checked(desk(system))
    works = {w.title: dict(w.values) for w in page_works(Index(plan), "desk", TODAY)}
    task = works["Task desk-copy: Pictures"]
    assert "share pcs of far" in task["to"]
    assert "signed in as ana" in task["to"]
    word = {"windows": "robocopy", "macos": "/Volumes/pcs", "linux": "mountpoint -q"}[system]
    assert word in task["program"]
    word = {"windows": "Task Scheduler", "macos": "launchctl", "linux": "systemctl --user"}[system]
    assert word in task["scheduler"]
    values, *tasks = host_files(plan, "desk", "r", TODAY)
    assert values == "values.txt"
    # What its scheduler needs is there, and each file's place is said.
    assert all(name.startswith("tasks/copy-desk-copy-pictures") for name in tasks)
    assert all(name.removeprefix("tasks/") in task["scheduler"] for name in tasks)
    for paper in ("setup.sh", "crontab", "nftables.conf"):
        able = PAPERS[paper].hosts
        assert able is not None
        assert "desk" not in able(plan)
    said = [s for x in runbook(plan, result(plan), "r").sections for s in x.steps]
    assert any(s.text == "desk, on it: Task desk-copy: Pictures" for s in said)
    assert not any(
        re.match(r"desk: (write its system|sh setup|install what|lab-job as)", s.text) for s in said
    )
    # What it copies is a copy: its place needs none of its own.
    assert "kept" in Index(plan).landing
    # Where no job puts anything there, nobody knows whether the originals still are.
    alone = plan.model_copy(update={"jobs": ()})
    assert "kept" not in Index(alone).landing
    assert "kept" in {c.about for c in result(alone).cautions if c.rule == "no_copy"}


def test_the_box_that_has_the_share_says_when_a_pc_falls_silent() -> None:
    told = replace(desk(), alarm_days=3.0)
    (watched,) = json.loads(lab_jobs(told, "far", "r"))["watched"]
    folder = copy_folders(told)["desk-copy", "pictures"].rpartition("/")[0]
    assert watched == {"job": "desk-copy", "came": [f"{folder}/.came-pictures"], "days": 3.0}
    works = {w.title: dict(w.values) for w in page_works(Index(told), "desk", TODAY)}
    task = works["Task desk-copy: Pictures"]
    assert "far mails root" in task["when it falls silent"]
    assert ".came-pictures" in task["program"]
    deaf = {w.title: dict(w.values) for w in page_works(Index(desk()), "desk", TODAY)}
    assert deaf["Task desk-copy: Pictures"]["when it falls silent"].startswith("nobody is told")
    assert json.loads(lab_jobs(desk(), "far", "r")).get("watched", []) == []


def replace(plan: Plan, **more: Any) -> Plan:
    """The plan with its only job changed."""
    return plan.model_copy(update={"jobs": (plan.jobs[0].model_copy(update=more),)})


def test_malware_on_it_takes_its_data_and_the_copy_that_its_user_can_write() -> None:
    plan = desk()
    found = next(c for c in result(plan).proof if (c.dataset, c.hazard) == ("pictures", "malware"))
    assert found.fate == "lost"
    assert "whoever works at desk" in found.why
    gone = next(c for c in result(plan).proof if (c.dataset, c.hazard) == ("pictures", "one_disk"))
    assert (gone.fate, gone.copy_job) == ("restored", "desk-copy")
    # A second one from there, with older points and by a box that it does not reach, holds.
    onward = job(
        "onward", kind="backup", datasets=("pictures",), reads_from="desk-copy",
        target_pool="main", credentials="target", retention=Retention(daily=60),
    )  # fmt: skip
    saved = result(desk(jobs=(job("desk-copy", **COPY), onward)))
    after = next(c for c in saved.proof if (c.dataset, c.hazard) == ("pictures", "malware"))
    assert (after.fate, after.copy_job) == ("restored", "onward")


@pytest.mark.parametrize(
    ("change", "of_share", "field"),
    [
        ({"lands_share": None}, {}, "lands_share"),
        ({"lands_as": None}, {}, "lands_as"),
        ({"lands_as": "bo"}, {}, "lands_as"),
        ({}, {"pc_backups": False}, "lands_share"),
        ({"target_pool": "main"}, {}, "lands_share"),
        ({"datasets": ("files",)}, {}, "kind"),
        ({"kind": "mirror", "lands_share": None, "lands_as": None}, {}, "kind"),
    ],
)
def test_what_a_pc_cannot_do_is_refused_at_the_field(
    change: dict[str, Any], of_share: dict[str, Any], field: str
) -> None:
    plan = desk(jobs=(job("desk-copy", **{**COPY, **change}),), **of_share)
    assert field in {p.field for p in problems(plan) if p.collection == "jobs"}


def test_file_systems_of_pcs_are_for_pcs() -> None:
    pools = tuple(
        p.model_copy(update={"family": "single", "filesystem": "ntfs", "groups": (("loose9",),)})
        if p.id == "second"
        else p
        for p in lab().pools
    )
    with pytest.raises(EditError, match="for a PC in daily use"):
        checked(lab(pools=pools))
