"""As of today beside once all runs: no copy counts before its first run has ended."""

from datetime import date, timedelta
from typing import Any

import pytest

from kavrel.core.plan import Account, Export, LogEntry, Plan, Retention
from kavrel.core.proof.cell import Cell
from tests.builders import GB, TODAY, daily, dataset, job, lab, result, rules

FAR: dict[str, Any] = {"kind": "replication", "target_pool": "second"}
LONG: dict[str, Any] = {**FAR, "retention": Retention(all_days=60)}
SHELF: dict[str, Any] = {
    "kind": "shelf",
    "target_disk": "loose9",
    "credentials": "hand",
    "retention": Retention(last=1),
}


def today(plan: Plan, hazard: str = "fire") -> Cell:
    """The cell as it is now, and once all runs where that is the same."""
    found = result(plan)
    cells = {(c.dataset, c.hazard): c for c in (*found.proof, *found.proof_today)}
    return cells["files", hazard]


def settled(plan: Plan, hazard: str = "fire") -> Cell:
    return next(c for c in result(plan).proof if (c.dataset, c.hazard) == ("files", hazard))


def entry(on: date, result: str = "ok", kind: str = "backup_run", about: str = "far") -> LogEntry:
    return LogEntry.model_validate(
        {
            "id": f"e{on.toordinal()}",
            "on": on,
            "kind": kind,
            "about_kind": "job",
            "about": about,
            "result": result,
        }
    )


def test_what_is_in_a_pool_that_nobody_made_does_not_count_today() -> None:
    """Neither a copy that lies in it, nor one of what should be in it."""
    for missing in ("main", "second"):
        pools = tuple(p.model_copy(update={"standing": p.id != missing}) for p in lab().pools)
        plan = lab(pools=pools, jobs=(job("far", **FAR),))
        assert settled(plan).fate == "restored"
        now = today(plan)
        assert now.fate == "lost"
        assert f"pool {missing} is still to be made" in now.copies[0].why
        (cover,) = result(plan).covers
        assert (cover.covered, cover.covers_from, cover.job) == (False, None, "far")


def test_a_run_that_went_well_is_a_first_copy() -> None:
    waiting = lab(jobs=(job("far", **FAR, first_copy="over_link"),))
    assert today(waiting).fate == "lost"
    failed = waiting.model_copy(update={"log": (entry(TODAY - timedelta(days=2), "failed"),)})
    assert today(failed).fate == "lost"
    run = waiting.model_copy(update={"log": (entry(TODAY - timedelta(days=1)),)})
    assert today(run).fate == "restored"


@pytest.mark.parametrize(
    ("waits", "why"),
    [
        ({"first_copy": "carried", "first_on": date(2027, 6, 1)}, "planned for 2027-06-01"),
        ({"first_copy": "over_link", "first_on": date(2026, 11, 20)}, "first copy is not done"),
        ({"first_copy": "side_by_side"}, "first copy is not done"),
        ({"schedule": daily(start=date(2027, 1, 4))}, "its first run is on 2027-01-04"),
    ],
)
def test_a_copy_that_is_not_there_yet_does_not_count_today(waits: dict[str, Any], why: str) -> None:
    plan = lab(jobs=(job("far", **{**FAR, **waits}),))
    assert settled(plan).fate == "restored"
    now = today(plan)
    assert now.fate == "lost"
    assert why in now.copies[0].why
    cover = result(plan).covers[0]
    assert not cover.covered
    assert cover.covers_from
    assert cover.covers_from > TODAY
    assert result(plan).strip.lost_today > 0


def test_what_reads_a_copy_that_is_not_there_is_not_there_either() -> None:
    first = job("far", first_copy="over_link", first_on=date(2027, 3, 1), **FAR)
    then = job("disk", reads_from="far", **SHELF)
    now = today(lab(jobs=(first, then)), "box_lost")
    assert all("not there yet" in c.why for c in now.copies)


def test_a_failed_run_leaves_the_copy_as_old_as_the_last_good_one() -> None:
    plan = lab(
        jobs=(job("far", **FAR),),
        log=(entry(TODAY - timedelta(days=40)), entry(TODAY - timedelta(days=3), "failed")),
    )
    usual, now = settled(plan).rpo_seconds, today(plan).rpo_seconds
    assert usual
    assert now
    assert now - usual == pytest.approx(40 * 86_400)
    never = lab(jobs=(job("far", **FAR),), log=(entry(TODAY, "failed"),))
    assert today(never).fate == "lost"
    assert result(never).covers[0].covers_from is None
    mended = lab(
        jobs=(job("far", **FAR),), log=(entry(TODAY - timedelta(days=2), "failed"), entry(TODAY))
    )
    assert today(mended).rpo_seconds == settled(mended).rpo_seconds


def test_a_shelf_copy_overdue_is_as_old_as_it_is() -> None:
    by_hand = job("disk", schedule=daily(every=90, start=date(2025, 1, 1)), **SHELF)
    plan = lab(jobs=(by_hand,), log=(entry(date(2026, 1, 1), kind="shelf_copy", about="disk"),))
    usual, now = settled(plan, "box_lost").rpo_seconds, today(plan, "box_lost").rpo_seconds
    assert usual
    assert now
    # Due again on 2026-03-27, 242 days before today: each of them is work not in the copy.
    assert (now - usual) / 86_400 == pytest.approx(242, abs=1)


def test_a_young_history_does_not_reach_back_yet() -> None:
    young = job("far", schedule=daily(start=TODAY - timedelta(days=5)), **LONG)
    plan = lab(jobs=(young,))
    # A deletion of 30 days ago: once all runs it comes back, today the first point is too young.
    assert settled(plan, "deleted").fate == "restored"
    now = today(plan, "deleted")
    assert now.fate == "lost"
    assert "its first point is of" in now.copies[0].why


def test_where_all_runs_nothing_is_said_twice() -> None:
    found = result(lab(jobs=(job("far", **FAR),)))
    assert found.proof_today == ()
    assert found.covers[0].covered


def test_a_planned_first_copy_with_generations_is_no_mirror() -> None:
    keep = Retention(daily=7, weekly=2, monthly=1, yearly=1)
    first: dict[str, Any] = {"first_copy": "carried", "first_on": date(2027, 2, 1)}
    assert "mirror_as_backup" not in rules(lab(jobs=(job("far", retention=keep, **first, **FAR),)))


def test_the_hours_of_the_first_copy_are_those_of_the_way_chosen() -> None:
    def hours(way: str) -> float:
        found = result(lab(jobs=(job("far", first_copy=way, **FAR),)))
        value = found.jobs[0].first_copy.value
        assert isinstance(value, float)
        return value

    # 1 TB: by 20 Mbit/s some 126 hours, by gigabit under three, with a disk twice over a dock.
    assert hours("over_link") > 100
    assert 2 < hours("side_by_side") < 8
    assert 3 < hours("carried") < 9


def test_a_monthly_disk_fails_in_a_share_of_the_moments() -> None:
    # Written every 30 days, damage seen two days later: 2 of 30 days. Arithmetic.
    by_hand = job("disk", schedule=daily(every=30, start=date(2025, 1, 1)), **SHELF)
    cell = settled(lab(jobs=(by_hand,)), "malware_credentials")
    assert cell.fate == "lost"
    assert cell.never_share == pytest.approx(2 / 30, rel=0.15)
    assert cell.otherwise_job == "disk"
    assert cell.otherwise_rpo_seconds
    assert 12 < cell.otherwise_rpo_seconds / 86_400 < 18
    assert settled(lab(), "fire").never_share == 1


@pytest.mark.parametrize(("kept", "goes_on"), [(2, True), (3, False)])
def test_a_new_archive_needs_room_before_an_old_one_goes(kept: int, goes_on: bool) -> None:
    # 3.86 TB hold three images of 1 TB; with three kept, the fourth has to go in before the first goes.
    # Found in the rig: the plan said 95 % full, and from then on every dump ended with no room left.
    images = job("far", "image", target_pool="second", retention=Retention(last=kept))
    wire = lab().links[0].model_copy(update={"mbit_a_to_b": 2000.0})
    plan = lab(jobs=(images,), links=(wire,))
    verdict = settled(plan).copies[0]
    assert verdict.usable == goes_on
    if not goes_on:
        assert "its runs end half-way: with all points second needs 4.00 TB" in verdict.why
    assert ("pool_too_small" in rules(plan)) != goes_on


@pytest.mark.parametrize(("quota", "goes_on"), [(3000, True), (2900, False), (None, True)])
def test_the_quota_of_the_place_that_a_copy_lands_in_holds_it_up(
    quota: int | None, goes_on: bool
) -> None:
    """Two images of 1 TB are kept, and the third goes in before the first goes."""
    drop = Export(
        id="drop", protocol="sftp", name="drop", dataset="there", accounts=("carrier",), secured=True
    )  # fmt: skip
    there = dataset(
        id="there", name="there", pool="second", size_bytes=0, quota_bytes=quota and quota * GB
    )
    carrier = Account(id="carrier", login="carrier", full_name="Carrier", role="backup")
    wire = lab().links[0].model_copy(update={"mbit_a_to_b": 2000.0})
    lands = {"lands_in": "drop", "lands_as": "carrier", "target_pool": "second"}
    images = job("far", "image", retention=Retention(last=2), **lands)
    plan = lab(
        datasets=(*lab().datasets, there),
        accounts=(*lab().accounts, carrier),
        exports=(drop,),
        jobs=(images,),
        links=(wire,),
    )
    verdict = settled(plan).copies[0]
    assert verdict.usable == goes_on, verdict.why
    if not goes_on:
        assert "3.00 TB do not go into the quota of there" in verdict.why
    assert ("copy_does_not_fit" in rules(plan)) != goes_on


def test_a_pool_that_is_filled_by_others_has_no_room_for_a_copy() -> None:
    # 3.86 TB on the far mirror: three copies of 1 TB go in beside each other, the fourth does not.
    four = tuple(job(f"j{n}", **FAR) for n in range(4))
    verdicts = {c.job: c for c in settled(lab(jobs=four)).copies}
    assert [verdicts[f"j{n}"].usable for n in range(4)] == [True, True, True, False]
    assert "half a copy is none" in verdicts["j3"].why


def test_what_brings_it_back_by_luck_is_as_old_as_it_is_too() -> None:
    by_hand = job("disk", schedule=daily(every=30, start=date(2025, 1, 1)), **SHELF)
    plan = lab(jobs=(by_hand,), log=(entry(date(2026, 1, 1), kind="shelf_copy", about="disk"),))
    usual = settled(plan, "malware_credentials").otherwise_rpo_seconds
    now = today(plan, "malware_credentials").otherwise_rpo_seconds
    assert usual
    assert now
    assert now - usual > 250 * 86_400


def test_cells_that_no_waiting_copy_touches_are_not_told_again() -> None:
    waits = job("far", first_copy="carried", first_on=date(2027, 6, 1), **FAR)
    other = dataset(id="b", name="b")
    here = job("near", kind="backup", target_pool="second", datasets=("b",))
    found = result(lab(datasets=(*lab().datasets, other), jobs=(waits, here)))
    # The other dataset differs only where it no longer shares the way back with this one.
    assert {c.fate for c in found.proof_today if c.dataset == "b"} <= {"restored"}
    assert all(c.hazard not in ("one_disk", "boot_lost", "power_cut") for c in found.proof_today)
