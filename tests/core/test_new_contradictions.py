"""UPSes, what old disks hold, wanted pools and tiers: contradictions told at their field."""

from typing import Any

import pytest

from kavrel.core.consistency import problems
from kavrel.core.edit import put
from kavrel.core.paper.runbook import runbook
from kavrel.core.plan import (
    Dataset,
    Export,
    Holding,
    Job,
    Offer,
    Plan,
    Pool,
    Retention,
    Schedule,
    Share,
    Supply,
)
from kavrel.core.shares.names import job_names
from tests.builders import GB, TB, cell, dataset, disk, job, lab, result


def bent(**changes: Any) -> Plan:
    return lab().model_copy(update=changes)


def supply(**more: Any) -> Supply:
    fields = {"id": "u", "name": "u", "site": "home", "va": 900.0, "watts": 540.0}
    return Supply.model_validate({**fields, "battery_wh": 216.0, **more})


def pool(**more: Any) -> tuple[Pool, ...]:
    return (lab().pools[0].model_copy(update=more), lab().pools[1])


@pytest.mark.parametrize(
    ("plan", "field", "says"),
    [
        (bent(supplies=(supply(watts=950.0),)), "watts", "at most as many W as VA"),
        (bent(supplies=(supply(hosts=("far",)),)), "hosts", "stands at another site"),
        (bent(supplies=(supply(hosts=("nobody",)),)), "hosts", "no nobody"),
        (
            bent(supplies=(supply(hosts=("box",)), supply(id="v", name="v", hosts=("box",)))),
            "hosts",
            "already plugged into u",
        ),
        (bent(supplies=(supply(), supply(id="v"))), "name", "already that of u"),
        (
            bent(holdings=(Holding(id="h", disk="box1", dataset="files"),)),
            "disk",
            "part of a pool that stands",
        ),
        (
            bent(
                holdings=(
                    Holding(id="h", disk="loose9", dataset="files"),
                    Holding(id="i", disk="loose9", dataset="files"),
                )
            ),
            "dataset",
            "already said to hold it",
        ),
        (
            bent(
                disks=(*lab().disks[:-1], disk(9, None, capacity_bytes=TB // 2)),
                holdings=(Holding(id="h", disk="loose9", dataset="files"),),
            ),
            "dataset",
            "too small",
        ),
        (
            bent(disks=(*lab().disks, disk(6)), pools=pool(tier=("box6",))),
            "tier",
            "at least two disks",
        ),
        (bent(pools=pool(tier=("far1",), tier_mirrored=False)), "groups", "already in pool"),
        (
            bent(
                disks=(disk(1, capacity_bytes=8 * TB), *lab().disks[1:]),
                pools=pool(
                    family="parity1", filesystem="ext4", groups=(("box1", "box2"), ("box3",))
                ),
            ),
            "groups",
            "protects nothing",
        ),
        (
            bent(
                offers=tuple(
                    Offer(id=f"o{n}", label="4 TB", capacity_bytes=4 * TB, price_minor=1)
                    for n in (1, 2)
                )
            ),
            "label",
            "already that of o1",
        ),
    ],
)
def test_what_cannot_be_is_told_where_it_is(plan: Plan, field: str, says: str) -> None:
    found = [p for p in problems(plan) if p.field == field]
    assert any(says in p.message for p in found), problems(plan)


# --- what the new families and tiers mean for the proof ------------------------------------------


LONG = "photos-and-papers-of-all-of-us"  # 30 characters


@pytest.mark.parametrize(
    ("name", "made", "says"),
    [
        ("Mirror", {}, "ZFS keeps names like mirror for itself"),
        ("log", {}, "ZFS keeps names like log for itself"),
        ("logs", {}, ""),
        ("4 TB", {}, "begins with a letter"),
        ("4 TB", {"family": "mirror", "filesystem": "ext4"}, ""),
        ("Disk", {"family": "span", "filesystem": "ext4"}, "/dev/disk is the system's own"),
        ("md", {"family": "slices1", "filesystem": "ext4"}, "/dev/md is the system's own"),
        ("sdb", {"family": "span", "filesystem": "xfs"}, "/dev/sdb is the system's own"),
        ("disks", {"family": "span", "filesystem": "ext4"}, ""),
        ("Disk", {"family": "mirror", "filesystem": "ext4"}, ""),
        (LONG, {"family": "mirror", "filesystem": "ext4"}, ""),
        (f"{LONG}-too", {"family": "mirror", "filesystem": "ext4"}, "at most 32 characters"),
        (LONG, {"family": "slices1", "filesystem": "ext4"}, "at most 29 characters"),
        (f"{LONG}-too", {"family": "raidz1", "filesystem": "zfs"}, ""),
    ],
)
def test_a_pool_is_called_what_its_tools_take(name: str, made: dict[str, Any], says: str) -> None:
    """Sources: zpool-create(8); mdadm 4.2 and LVM 2.03 refused these names on a kernel."""
    plan = bent(pools=pool(name=name, standing=False, **made))
    told = [p.message for p in problems(plan) if p.field == "known_as"]
    assert [says in one for one in told] == [True] * bool(says)
    known = bent(pools=pool(name=name, standing=False, known_as="shelf", **made))
    assert not [p for p in problems(known) if p.field == "known_as"]


def test_no_job_is_called_as_another_or_as_what_lab_job_is_asked() -> None:
    """`lab-job list` prints the jobs: a job of that name would never run, and never fail."""
    named = [("a", "List"), ("b", "overdue"), ("c", "x"), ("d", "x-e"), ("e", "x"), ("f", "Clock")]
    plan = bent(jobs=tuple(job(key).model_copy(update={"name": n}) for key, n in named))
    assert job_names(plan) == {
        "a": "list-a",
        "b": "overdue-b",
        "c": "x",
        "d": "x-e",
        "e": "x-e-e",
        "f": "clock-f",
    }


def test_files_on_other_disks_of_a_union_stay() -> None:
    plan = lab(
        pools=pool(family="union", filesystem="ext4"),
        jobs=(job("x", kind="shelf", target_disk="loose9"),),
    )
    found = cell(plan, "one_disk")
    assert found.fate == "restored"
    assert "files on the disks that live stay" in found.why
    # A third of the pool is fetched back, not all of it.
    copying = next(s for s in found.steps if s.text.startswith("copy"))
    assert "333 GB" in copying.text


def test_dedicated_parity_outlives_one_and_loses_only_the_dead_ones_files_beyond() -> None:
    plan = lab(
        pools=pool(family="parity1", filesystem="ext4", groups=(("box1", "box2"), ("box3",))),
        datasets=(dataset(change_bytes_per_day=0, deleted_bytes_per_day=0),),
        jobs=(job("x", kind="shelf", target_disk="loose9"),),
    )
    # Parity is as new as the last night's: see snapraid(1). The dead disk's files wait for a new one.
    first = cell(plan, "one_disk")
    assert first.fate == "exposed"
    assert first.rpo_seconds == 86_400
    assert first.rto_seconds is not None
    assert first.rto_seconds > 48 * 3600
    assert "newer than the parity of 04:20 is lost" in first.why
    assert "files of the dead disks are lost" in cell(plan, "second_disk").why
    # Nothing changed is only damaged by bad sectors; what changes daily costs files whenever a disk dies.
    still = result(plan).strip
    assert still.damage_odds_5y < 0.02
    busy = put(plan, "datasets", dataset(change_bytes_per_day=GB))
    any_dies = 1 - (1 - 0.014) ** (3 * 5)
    assert result(busy).strip.damage_odds_5y == pytest.approx(any_dies, rel=0.1)
    assert result(busy).strip.loss_odds_5y == still.loss_odds_5y
    # A fast tier whose mover comes once a week is what is worst to lose.
    weekly = Schedule(kind="weekly", at="03:00", weekdays=(6,))
    mover = Job(id="m", name="mover", kind="mover", pool="main", schedule=weekly)
    tier = pool(
        family="parity1", filesystem="ext4", groups=(("box1", "box2"), ("box3",)), tier=("box6",),
        tier_mirrored=False,
    )  # fmt: skip
    slow = lab(disks=(*lab().disks, disk(6)), pools=tier, jobs=(mover,), datasets=plan.datasets)
    assert cell(slow, "one_disk").rpo_seconds == 7 * 86_400


@pytest.mark.parametrize(("mirrored", "hazard"), [(False, "one_disk"), (True, "second_disk")])
def test_new_files_are_only_as_safe_as_the_fast_tier(mirrored: bool, hazard: str) -> None:
    flash = tuple(
        disk(n, kind="nvme", form="m.2", bay=f"nvme-{n - 5}") for n in (6, 7)[: 1 + mirrored]
    )
    host = lab().hosts[0].model_copy(update={"slots_nvme": 2})
    tier = tuple(d.id for d in flash)
    wide = {
        "family": "raid6",
        "filesystem": "ext4",
        "groups": (("box1", "box2", "box3", "box4"),),
    }

    def tiered(**more: object) -> Plan:
        return lab(
            hosts=(host, lab().hosts[1]),
            disks=(*lab().disks, disk(4), *flash),
            pools=pool(tier=tier, tier_mirrored=mirrored, **{**wide, **more}),
        )

    found = cell(tiered(), hazard)
    assert found.fate == "exposed"
    assert found.rpo_seconds == 86_400
    assert "mover" in found.why
    # No tree goes over ZFS, so that no mover is set up of itself: then nothing is moved.
    left = cell(tiered(family="raidz2", filesystem="zfs"), hazard)
    assert left.rpo_seconds == 365 * 86_400
    assert "no job moves it" in left.why
    assert cell(lab(disks=(*lab().disks, disk(4)), pools=pool(**wide)), hazard).fate == "runs_on"


def test_a_folder_that_its_file_system_cannot_lock_is_read_by_the_thief() -> None:
    def stolen(filesystem: str, **more: object) -> str:
        files = lab().datasets[0].model_copy(update={"encrypted": True})
        family = "raidz1" if filesystem == "zfs" else "raid5"
        pools = pool(family=family, filesystem=filesystem, **more)
        # An older plan may still say so.
        return cell(lab(pools=pools).model_copy(update={"datasets": (files,)}), "theft").why

    assert "the thief reads nothing" in stolen("zfs")
    assert "the thief can read it" in stolen("ext4")
    assert "the thief reads nothing" in stolen("ext4", encrypted=True)


def test_what_lies_where_jobs_land_is_a_copy_and_no_data_without_one() -> None:
    vault = Dataset(id="vault", name="vault", pool="second", size_bytes=GB)
    module = Export(
        id="in",
        protocol="rsync",
        name="in",
        dataset="vault",
        accounts=("ana",),
        clients=("10.0.0.0/8",),
        may="write",
    )
    mirror = job(
        "push",
        kind="mirror",
        target_pool="second",
        lands_in="in",
        lands_as="ana",
        retention=Retention(),
    )

    def plan(**more: object) -> Plan:
        fields: dict[str, Any] = {"jobs": (mirror,), "exports": (module,), **more}
        return lab(datasets=(lab().datasets[0], vault), **fields)

    def without(plan: Plan) -> set[str]:
        return {c.about for c in result(plan).cautions if c.rule == "no_copy"}

    assert "vault" not in without(plan())
    assert cell(plan(), "fire", "vault").fate in ("fetch_again", "runs_on")
    # Where people work in it too it is data like any other.
    shared = Share(id="also", name="also", dataset="vault")
    assert "vault" in without(plan(shares=(*lab().shares, shared)))


def test_a_hardware_card_that_dies_takes_hours_where_its_like_or_a_port_reads_the_disks() -> None:
    def dead(**more: object) -> Any:
        by_card = pool(family="card_mirror", filesystem="ext4", groups=(("box1", "box2"),), **more)
        plan = lab(pools=by_card, jobs=())
        assert "controller_dies" in {h.id for h in result(plan).hazards}
        return cell(plan, "controller_dies")

    assert dead().fate == "lost"
    assert "nothing here reads what it wrote" in dead().why
    assert "its spare takes pool main over" in dead(spare_card=True, card="RC-2, chip 9").why
    for way in ({"spare_card": True}, {"card_readable": True}):
        found = dead(**way)
        assert (found.fate, found.rpo_seconds) == ("down", 0)
        assert 0 < found.rto_seconds < 5 * 24 * 3600
    plan = lab(
        pools=pool(
            family="card_mirror",
            filesystem="ext4",
            groups=(("box1", "box2"),),
            card="RC-2, chip 9",
            spare_card=True,
        )
    )
    said = str(runbook(plan, result(plan), "r"))
    assert "Made by RC-2, chip 9; its spare is on the shelf, nothing else reads its disks" in said
    # Who has no card is not asked.
    assert "controller_dies" not in {h.id for h in result(lab()).hazards}
    assert "controller_dies" not in {c.hazard for c in result(lab()).proof}
