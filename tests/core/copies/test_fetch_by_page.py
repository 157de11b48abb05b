"""Boxes that take no commands: nobody is told to type on one, and root's SSH carries no copy there."""

from collections.abc import Mapping
from typing import Literal

import pytest

from kavrel.core.copies.carrier import closed_off, heard_days, never_starts, watchers
from kavrel.core.edit import EditError, put
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.paper.restore_sheet import restore_sheet
from kavrel.core.paper.runbook import runbook
from kavrel.core.plan import Account, Bucket, Export, Plan, Retention, Site
from kavrel.core.typed import commands
from tests.builders import cell, job, lab, result

Closed = Literal["bought_box", "router", "pc"]
MODULE = Export(
    id="in", name="in", protocol="rsync", dataset="landing", accounts=("keeper",), may="write",
    clients=("192.168.0.0/16",),
)  # fmt: skip


def plan_of(kinds: Mapping[str, Closed], lands: bool = False) -> Plan:
    """Two boxes, some of them closed; with `lands` the far one has a module that copies come into."""
    hosts = tuple(
        h.model_copy(update={"kind": kinds.get(h.id, h.kind), "address": f"192.168.{n}.5"})
        for n, h in enumerate(lab().hosts, 1)
    )
    pools = tuple(
        p.model_copy(update={"family": "copies2", "filesystem": "btrfs"}) for p in lab().pools
    )
    keeper = Account(id="keeper", login="keeper", full_name="Keeper", role="administrator")
    sets = lab().datasets
    if lands:
        there = {"id": "landing", "name": "landing", "pool": "second"}
        sets = (*sets, sets[0].model_copy(update=there))
    return lab(
        hosts=hosts,
        pools=pools,
        datasets=sets,
        accounts=(*lab().accounts, keeper),
        exports=(MODULE,) if lands else (),
        sites=(*lab().sites, Site(id="store", name="a store")),
        buckets=(Bucket(id="b", name="b", site="store", account="keeper of it"),),
    )


def every_job(plan: Plan, lands: bool = False) -> list[Plan]:
    """The plan with each kind of copy that may be, alone."""
    plans = []
    for kind in (k for k in KINDS.values() if k.copies):
        targets: dict[str, dict[str, object]] = {
            "pool": {"target_pool": "second"},
            "disk": {"target_disk": "loose9", "credentials": "hand"},
            "bucket": {"target_bucket": "b"},
        }
        more = targets.get(kind.target, {})
        if lands and "rsync" in kind.lands:
            more |= {"lands_in": "in", "lands_as": "keeper"}
        if not kind.versions:
            more["retention"] = Retention(trash_days=3 if kind.trash else 0)
        try:
            plans.append(put(plan, "jobs", job("j", kind.id, **more)))
        except EditError:
            continue
    return plans


def said(plan: Plan) -> list[str]:
    """All that the restore sheet and the runbook say."""
    both = (restore_sheet(plan, result(plan), "r"), runbook(plan, result(plan), "r"))
    sections = [s for document in both for s in document.sections]
    lines = [line for s in sections for f in s.facts for line in (f.text, *f.how)]
    lines += [line for s in sections for t in s.steps for line in (t.text, *t.minds)]
    return lines + [s.intro for s in sections]


@pytest.mark.parametrize("kind", ["bought_box", "router", "pc"])
def test_where_no_box_takes_commands_the_sheet_has_none(kind: Closed) -> None:
    both = plan_of({"box": kind, "far": kind})
    tried = every_job(both)
    assert {p.jobs[0].kind for p in tried} >= (
        {"shelf"} if kind == "pc" else {"shelf", "snapshot", "sync"}
    )
    for plan in tried:
        typed = [c for line in said(plan) for c in commands(line) if not c.startswith("kavrel ")]
        assert typed == [], plan.jobs[0].kind


def test_a_pool_that_waits_is_opened_in_the_page_of_its_box() -> None:
    """Whatever its file system: on such a box nobody types zfs load-key."""
    locked = tuple(p.model_copy(update={"encrypted": True}) for p in lab(pools=lab().pools).pools)
    boxes = plan_of({"box": "bought_box", "far": "bought_box"})
    told = "\n".join(said(boxes.model_copy(update={"pools": locked})))
    assert (
        "box: open pool main, passphrase at ____________: enter the passphrase in its web page"
        in told
    )
    assert "load-key" not in told


def test_what_is_typed_is_typed_where_somebody_can() -> None:
    for closed in ("box", "far"):
        for lands in (False, True):
            for plan in every_job(plan_of({closed: "bought_box"}, lands), lands):
                how = result(plan).jobs[0].fetch
                told = [line for line in how if commands(line)]
                typed = " ".join(told)
                assert f"ssh {closed} " not in typed, plan.jobs[0].kind
                assert f"{closed}:" not in typed
                if closed == "box":
                    assert "sh setup.sh" not in typed
                    assert all(
                        line.startswith("on far, with a share of box mounted") for line in told
                    ), told


def test_between_boxes_root_goes_by_ssh_and_a_closed_one_lets_nobody_in() -> None:
    open_ = lab(jobs=(job("r", "replication", target_pool="second"),))
    assert cell(open_, "box_lost").fate == "restored"
    for closed in ("box", "far"):
        old = plan_of({closed: "bought_box"}).model_copy(update={"jobs": open_.jobs})
        index = Index(old)
        assert closed_off(index, old.jobs[0]).startswith("a replication goes between boxes by root")
        assert never_starts(index, old.jobs[0])
        assert cell(old, "box_lost").fate == "lost", "what no box can make is no copy"
        with pytest.raises(EditError, match="has firmware of its own: a mirror can land"):
            put(plan_of({closed: "bought_box"}), "jobs", old.jobs[0])
    mirror = job("m", "folder_mirror", target_pool="second", retention=Retention(trash_days=3))
    for closed in ("box", "far"):
        plan = plan_of({closed: "bought_box"}, lands=True)
        with pytest.raises(EditError, match="let it land in an rsync export"):
            put(plan, "jobs", mirror)
        lands = {"lands_in": "in", "lands_as": "keeper"}
        landed = put(plan, "jobs", mirror.model_copy(update=lands))
        assert cell(landed, "box_lost").fate == "restored"
    pulled = mirror.model_copy(update={"credentials": "target"})
    with pytest.raises(
        EditError, match="take a backup, of which a tool on far reads a share of it; or let"
    ):
        put(plan_of({"box": "router"}), "jobs", pulled)
    # Two of the same make copy to one another by their own program.
    both = put(plan_of({"box": "bought_box", "far": "bought_box"}), "jobs", open_.jobs[0])
    assert cell(both, "box_lost").fate == "restored"


def test_an_alarm_counts_where_a_box_hears_it() -> None:
    sync = job("s", "sync", target_pool="second", alarm_days=3.0, retention=Retention())
    assert watchers(Index(lab(jobs=(sync,))), sync) == {"box", "far"}
    kinds: tuple[Closed, ...] = ("bought_box", "pc")
    for kind in kinds:
        closed = plan_of({"box": kind, "far": "bought_box"})
        assert heard_days(Index(closed.model_copy(update={"jobs": (sync,)})), sync) is None
    plan = put(plan_of({"box": "bought_box"}), "jobs", sync)
    found = [c for c in result(plan).cautions if c.rule == "no_silence_alarm"]
    assert [c.fix for c in found] == [None]
    assert "box has firmware of its own: when it falls silent nobody says so" in found[0].why
    silent = next(c for c in result(plan).proof if c.hazard == "offsite_silent")
    heard = next(c for c in result(lab(jobs=(sync,))).proof if c.hazard == "offsite_silent")
    assert silent.copies[0].why != heard.copies[0].why
    assert "then somebody is told" in heard.copies[0].why


def test_a_share_of_the_box_is_the_way_back_onto_it() -> None:
    sync = job("s", "sync", target_pool="second", retention=Retention(trash_days=5))
    told = "\n".join(result(put(plan_of({"box": "bought_box"}), "jobs", sync)).jobs[0].fetch)
    assert "`mount -t cifs '//192.168.1.5/SHARE' /mnt -o username=LOGIN`" in told
    assert "`rsync -rt --partial /srv/second/s/files/ /mnt/back/`" in told
    assert "lies in its trash can for 5 days" in told
