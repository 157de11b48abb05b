"""The working of a cell: its parts give the figure, and the moment it names is the worst one."""

from datetime import date

import pytest

from kavrel.core.copies.ladder import ladder, ladder_working
from kavrel.core.index import Index
from kavrel.core.plan import Plan, Retention
from kavrel.core.pools.pool import pool_states
from kavrel.core.proof.hazards import HAZARDS
from kavrel.core.proof.hazards.hazard import Scene
from kavrel.core.proof.pairs import PAIRED
from kavrel.core.proof.proof import prove
from kavrel.core.proof.working import cell_working
from kavrel.core.shares.access import access_matrix
from kavrel.core.week.nights import nights, scheduled_book
from kavrel.core.working import Working
from kavrel.demo import demo_plan
from tests.builders import TODAY, assume, book, daily, job, lab

FAR = {"kind": "replication", "target_pool": "second"}
BY_ID = {h.id: h for h in (*HAZARDS.values(), *PAIRED)}


def scene_of(plan: Plan) -> Scene:
    index = Index(plan)
    found = scheduled_book(index, pool_states(index), TODAY)
    return Scene(index, found, tuple(access_matrix(index, TODAY)))


def named(working: Working, name: str) -> Working:
    """The first step of that name, however deep."""
    if working.name == name:
        return working
    found = [x for i in working.inputs if (x := named(i, name)).name == name]
    return found[0] if found else Working(name="", value=None)


def total(working: Working) -> float:
    return sum(float(i.value or 0.0) for i in working.inputs)


def test_every_cell_of_the_demo_adds_up() -> None:
    scene = scene_of(demo_plan())
    for cell in prove(scene.index, scene.book, scene.matrix, tuple(BY_ID.values())):
        dataset = scene.index.datasets[cell.dataset]
        lost, back, *_ = cell_working(scene, BY_ID[cell.hazard], dataset).inputs
        assert (lost.value, back.value) == (cell.rpo_seconds, cell.rto_seconds)
        assert total(back) * 3600 == pytest.approx(cell.rto_seconds or 0.0)
        if cell.copy_job:
            of_copy = [i for i in lost.inputs[:2] if i.unit == "s" and i.name[:3] in ("fro", "it ")]
            assert sum(float(i.value or 0) for i in of_copy) == pytest.approx(cell.rpo_seconds)


def test_the_worst_night_is_named_by_the_clock() -> None:
    scene = scene_of(lab(jobs=(job("r", **FAR),)))
    files = scene.index.datasets["files"]
    lost, back = cell_working(scene, BY_ID["fire"], files).inputs
    # The night in which the clock goes back is an hour longer: Europe/Berlin, 31 October 2027.
    assert named(lost, "newest point that helps").value == "Sun 2027-10-31 01:00 CEST"
    assert str(named(lost, "moment of the damage").value).startswith("Mon 2027-11-01 01:")
    assert lost.value == pytest.approx(
        25 * 3600 + scene.book.run_seconds(scene.index.jobs["r"], 25 / 24)
    )
    moved = next(i for i in back.inputs if i.name.startswith("transfer"))
    assert named(moved, "bytes").value == 1000 * 10**9


@pytest.mark.parametrize(
    ("hazard", "why"),
    [
        ("fire", "was complete only at"),
        ("malware", "was under way until"),
        ("malware", "nobody can rely"),
    ],
)
def test_why_the_run_before_the_damage_does_not_count_is_said(hazard: str, why: str) -> None:
    """Fire ends it; malware is in it, for rsync reads what people write."""
    scene = scene_of(lab(jobs=(job("far", kind="backup", target_pool="second"),)))
    told = cell_working(scene, BY_ID[hazard], scene.index.datasets["files"])
    assert why in named(told, "moment of the damage").formula


def test_late_notice_and_silence_are_in_it() -> None:
    plan = lab(
        jobs=(job("s", retention=Retention(daily=40)),),
        assumptions=assume(deleted_notice_days=10),
    )
    scene = scene_of(plan)
    files = scene.index.datasets["files"]
    lost, _, *assumed = cell_working(scene, BY_ID["deleted"], files).inputs
    assert "10 days later" in named(lost, "newest point that helps").formula
    assert [a.assumption for a in assumed] == ["deleted_notice_days", "deleted_share"]
    short = scene_of(lab(jobs=(job("s", retention=Retention(daily=3)),)))
    gone, *_ = cell_working(short, BY_ID["deleted"], files).inputs
    assert gone.value is None
    assert "keeps no point from before" in gone.inputs[0].formula
    far = scene_of(lab(jobs=(job("r", **FAR),)))
    silent = cell_working(far, BY_ID["offsite_silent"], files).inputs[0]
    assert named(silent, "it had no new point for").value == pytest.approx(21 * 86_400)


def test_a_ladder_says_why_each_copy_counts() -> None:
    plan = lab(jobs=(job("snaps"), job("pull", credentials="target", **FAR)))
    found = ladder_working(Index(plan), ladder(book(plan), "files"))
    assert found.value == 2
    assert named(found, "snaps").formula.startswith("on the same disks as files; ")
    assert named(found, "pull").formula == "counts; the far box pulls it; never tried"


def test_the_longest_night_of_a_month_lists_its_runs() -> None:
    plan = lab(jobs=(job("r", **FAR), job("b", kind="backup", target_pool="second")))
    found = nights(book(plan), date(2026, 12, 1), 31)
    (worst,) = [n for n in found if n.working]
    assert worst.busy_hours == max(n.busy_hours for n in found)
    assert worst.working
    counted, runs = worst.working.inputs[:2], worst.working.inputs[2:]
    assert [i.value for i in counted] == [worst.runs, worst.slowed]
    assert {i.name for i in runs} == {"r", "b"}
    # Two that begin together on one link each take about as long as both alone.
    slowest = max(runs, key=lambda i: float(i.value or 0))
    assert float(slowest.value or 0) / 3600 == pytest.approx(worst.busy_hours)
    times = [named(i, "takes").value for i in runs]
    assert max(float(t or 0) for t in times) == pytest.approx(worst.worst_slowdown)
    assert daily().at in slowest.formula
