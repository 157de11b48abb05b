"""What a plan may not say, and where the complaint lands."""

from typing import Any

import pytest

from kavrel.core.consistency import problems
from kavrel.core.copies.carrier import never_starts
from kavrel.core.edit import EditError, put
from kavrel.core.evaluate import evaluate
from kavrel.core.index import Index
from kavrel.core.plan import (
    Account,
    AssumptionValue,
    Grant,
    Group,
    Link,
    Plan,
    Pool,
    Retention,
    Schedule,
    Share,
)
from kavrel.core.works.pools import refusal, spares_within
from tests.builders import GB, TODAY, cell, disk, job, lab

FAR = {"kind": "replication", "target_pool": "second"}


def bent(**changes: Any) -> Plan:
    """The lab with parts replaced, unchecked."""
    return lab().model_copy(update=changes)


def pool(**more: Any) -> tuple[Pool, ...]:
    first, second = lab().pools
    return (Pool.model_validate({**first.model_dump(), **more}), second)


def jobs(*given: Any) -> Plan:
    return bent(jobs=given)


CASES: list[tuple[Plan, str, str]] = [
    # one disk in two bays, two disks in one bay, a bay that is not there, a misfit
    (bent(disks=(*lab().disks, disk(1))), "id", "used twice"),
    (
        bent(disks=(*lab().disks, disk(1).model_copy(update={"id": "x", "label": "x"}))),
        "bay",
        "already holds",
    ),
    (bent(disks=(*lab().disks, disk(7))), "bay", "no bay 3.5-7"),
    (bent(disks=(*lab().disks, disk(5, form="m.2", kind="nvme"))), "bay", "does not fit"),
    (bent(disks=(*lab().disks, disk(5, bay=None))), "bay", "needs a bay"),
    (bent(disks=(*lab().disks, disk(5, shelf="home"))), "shelf", "not both"),
    # names and serials
    (
        bent(
            disks=(
                disk(1, serial="SN1"),
                disk(2, serial="sn1"),
                *lab().disks[2:],
            )
        ),
        "serial",
        "already that of",
    ),
    (
        bent(accounts=(*lab().accounts, Account(id="x", login="ana", full_name="A"))),
        "login",
        "already that of",
    ),
    (bent(shares=(*lab().shares, Share(id="x", name="FILES", dataset="files"))), "name", "already"),
    (bent(shares=(Share(id="share", name="homes", dataset="files"),)), "name", "another name"),
    (bent(shares=(Share(id="share", name="a/b", dataset="files"),)), "name", "cannot contain"),
    # pools
    (bent(pools=pool(groups=(("box1", "box2", "box2"),))), "groups", "twice in this pool"),
    (bent(pools=pool(spares=("far1",))), "groups", "in no bay of box"),
    (bent(pools=pool(groups=(("box1", "box2", "far1"),))), "groups", "already in pool|in no bay"),
    (bent(pools=pool(groups=(("box1", "box2"),))), "groups", "at least 3"),
    (bent(pools=pool(filesystem="ext4")), "filesystem", "does not go with"),
    (bent(pools=pool(groups=(("box1", "box2", "nix"),))), "groups.0", "no nix"),
    # links and grants
    (
        bent(links=(Link(id="l", a="home", b="home", mbit_a_to_b=1.0, mbit_b_to_a=1.0),)),
        "b",
        "two different",
    ),
    (
        bent(
            links=(*lab().links, Link(id="l", a="away", b="home", mbit_a_to_b=1.0, mbit_b_to_a=1.0))
        ),
        "b",
        "already have a link",
    ),
    (bent(grants=(Grant(id="g", share="share", right="read"),)), "account", "one account or"),
    (
        bent(grants=(Grant(id="g", share="share", account="ana", group="all", right="read"),)),
        "account",
        "one account or",
    ),
    (
        bent(grants=(Grant(id="g", share="share", account="nobody", right="read"),)),
        "account",
        "no nobody",
    ),
    (
        bent(
            grants=(
                Grant(id="g1", share="share", account="ana", right="read"),
                Grant(id="g2", share="share", account="ana", right="write"),
            )
        ),
        "share",
        "already has a grant",
    ),
    (bent(groups=(Group(id="all", name="all", members=("ghost",)),)), "members", "no ghost"),
    (
        bent(accounts=tuple(a.model_copy(update={"number": 3001}) for a in lab().accounts)),
        "number",
        "3001 is the number of ana already",
    ),
    (
        bent(
            accounts=tuple(
                a.model_copy(update={"number": 3001 + n}) for n, a in enumerate(lab().accounts)
            ),
            groups=(Group(id="all", name="kvall", number=3002),),
        ),
        "number",
        "3002 is the number of bo's own group already",
    ),
    # jobs
    (jobs(job("r", kind="replication", target_pool="main")), "target_pool", "already is"),
    (jobs(job("r", kind="replication")), "target_pool", "needs a pool"),
    (jobs(job("s", target_pool="second")), "target_pool", "no such target"),
    (jobs(job("x", kind="shelf", target_disk="box1")), "target_disk", "part of pool"),
    (jobs(job("a", reads_from="a", **FAR)), "reads_from", "circle"),
    (
        jobs(job("a", reads_from="b", **FAR), job("b", reads_from="a", **FAR)),
        "reads_from",
        "circle",
    ),
    (jobs(job("a", **FAR), job("b", reads_from="a", **FAR)), "target_pool", "copy already is"),
    (jobs(job("a", reads_from="gone", **FAR)), "reads_from", "no gone"),
    (jobs(job("a", datasets=("files", "files"))), "datasets", "once"),
    (jobs(job("a", datasets=("nothing",))), "datasets", "no nothing"),
    (jobs(job("a", retention=Retention())), "retention", "keeps nothing"),
    (jobs(job("a", schedule=Schedule(kind="weekly"))), "schedule.weekdays", "never fires"),
    (jobs(job("a", encrypted=True, key_kept_at=("moon",), **FAR)), "key_kept_at", "no moon"),
    (
        bent(
            pools=pool(family="raid5", filesystem="ext4"),
            jobs=(job("s"),),
        ),
        "kind",
        "needs btrfs or zfs",
    ),
    # assumptions
    (
        bent(assumptions=(AssumptionValue(id="hdd_failure_rate", value=3.0),)),
        "value",
        "from 0.0001",
    ),
    (bent(assumptions=(AssumptionValue(id="moon_phase", value=3.0),)), "id", "no assumption"),
]


@pytest.mark.parametrize(("plan", "field", "says"), CASES)
def test_the_complaint_names_the_field_and_what_is_right(plan: Plan, field: str, says: str) -> None:
    import re

    found = problems(plan)
    assert any(p.field == field and re.search(says, p.message) for p in found), found


def test_a_sound_plan_has_no_problems() -> None:
    assert problems(lab()) == []


def test_one_job_reads_one_pool() -> None:
    other = lab().datasets[0].model_copy(update={"id": "b", "name": "b", "pool": "second"})
    plan = bent(
        datasets=(*lab().datasets, other),
        jobs=(job("s", datasets=("files", "b")),),
    )
    assert [p.field for p in problems(plan)] == ["datasets"]


def test_a_pool_without_redundancy_takes_no_spare() -> None:
    """Only levels with redundancy take spares: mdadm(8)."""
    base = lab()
    stripe = base.pools[0].model_copy(
        update={
            "family": "stripe",
            "filesystem": "ext4",
            "groups": (("box1", "box2"),),
            "spares": ("box3",),
        }
    )
    found = problems(base.model_copy(update={"pools": (stripe, *base.pools[1:])}))
    assert [(p.field, p.tolerated) for p in found if p.item == stripe.id] == [("spares", True)]
    assert spares_within(stripe) == ()
    mirror = stripe.model_copy(update={"family": "mirror"})
    assert not problems(base.model_copy(update={"pools": (mirror, *base.pools[1:])}))
    assert spares_within(mirror) == ("box3",)


def test_a_tree_over_several_btrfs_takes_no_points_and_its_jobs_count_for_nothing() -> None:
    """btrfs subvolume create on a tree of mergerfs: "not a btrfs filesystem" (btrfs-progs 6.2)."""
    base = lab(jobs=(job("snaps", retention=Retention(all_days=40)),))
    several = {"family": "union", "filesystem": "btrfs", "groups": (("box1", "box2", "box3"),)}
    pool = base.pools[0].model_copy(update=several)
    old = base.model_copy(update={"pools": (pool, *base.pools[1:])})
    with pytest.raises(EditError, match="union of separate disks does not go with btrfs"):
        put(base, "pools", pool)
    assert put(old, "jobs", old.jobs[0].model_copy(update={"name": "other"})), "it can be edited"
    (problem,) = problems(old)
    assert (problem.field, problem.tolerated) == ("filesystem", True)
    assert never_starts(Index(old), old.jobs[0])
    assert not never_starts(Index(base), base.jobs[0])
    assert cell(base, "deleted").fate == "restored"
    assert cell(old, "deleted").fate == "lost"


def boots(**fields: Any) -> Plan:
    return bent(hosts=(lab().hosts[0].model_copy(update=fields), *lab().hosts[1:]))


def test_of_the_disk_that_a_box_boots_from_only_what_the_system_leaves_is_for_data() -> None:
    whole = lab().disks[0].capacity_bytes

    def data(**fields: Any) -> int:
        return Index(boots(**fields)).data_bytes("box1")

    assert data() == data(boot_disk="box2", system_bytes=64 * GB) == whole
    # By hand: whole MiB of what is left, less one before it and one for the second table.
    assert data(boot_disk="box1", system_bytes=64 * GB) == ((whole - 64 * GB) // 2**20 - 2) * 2**20
    # Not said: by the assumption, and never more than half of a disk.
    assumed = data(boot_disk="box1")
    assert assumed == ((whole - 32 * GB) // 2**20 - 2) * 2**20
    small = (lab().disks[0].model_copy(update={"capacity_bytes": 60 * GB}), *lab().disks[1:])
    index = Index(boots(boot_disk="box1").model_copy(update={"disks": small}))
    assert index.data_bytes("box1") == (30 * GB // 2**20 - 2) * 2**20
    # It is the smallest of its group by then, and all of the group are as large as it.
    fields = {"boot_disk": "box1", "system_bytes": whole // 4}
    smaller = evaluate(boots(**fields), TODAY).pools[0].layout.usable_bytes
    usable = evaluate(lab(), TODAY).pools[0].layout.usable_bytes
    assert smaller == pytest.approx(usable * 3 / 4, rel=0.01)


def test_a_system_leaves_something_of_its_disk() -> None:
    whole = lab().disks[0].capacity_bytes
    (said,) = problems(boots(boot_disk="box1", system_bytes=whole - GB))
    assert (said.collection, said.item, said.field) == ("hosts", "box", "system_bytes")
    assert "leave 1 GB of it for data" in said.message
    assert problems(boots(boot_disk="box1", system_bytes=whole - 2 * GB)) == []
    assert problems(boots(system_bytes=whole)) == []  # it boots from another device


def test_a_pool_that_the_system_leaves_no_word_of_is_made_by_hand() -> None:
    wanted = tuple(p.model_copy(update={"standing": False}) for p in lab().pools)
    serials = tuple(d.model_copy(update={"serial": f"S{n}"}) for n, d in enumerate(lab().disks))

    def why(family: str = "raidz1", filesystem: str = "zfs", **fields: Any) -> str:
        pool = wanted[0].model_copy(update={"family": family, "filesystem": filesystem})
        plan = boots(**fields).model_copy(update={"pools": (pool, wanted[1]), "disks": serials})
        return refusal(Index(plan), pool)

    assert why() == ""
    assert "how much of it the system takes is not in the plan" in why(boot_disk="box1")
    assert why(boot_disk="box1", system_bytes=64 * GB) == ""
    sliced = why("slices1", "ext4", boot_disk="box1", system_bytes=64 * GB)
    assert "a pool of slices wants whole disks" in sliced
