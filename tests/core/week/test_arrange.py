"""Arrange for me: nothing clashes afterwards, nothing fixed moves, and what cannot fit is said."""

from typing import Any

import pytest

from kavrel.core.plan import Cap, Schedule
from kavrel.core.week.arrange import Arrangement, arrange
from kavrel.core.week.counts import counts
from kavrel.core.week.nights import nights
from tests.builders import GB, TODAY, book, daily, disk, job, lab

FAR = {"kind": "replication", "target_pool": "second"}


def arranged(*jobs: Any, **more: Any) -> Arrangement:
    return arrange(lab(jobs=jobs, **more), TODAY)


def test_two_that_clash_are_moved_apart_and_one_stays() -> None:
    found = arranged(
        job("r", **FAR),
        job("b", kind="backup", target_pool="second", schedule=daily("01:05")),
    )
    assert found.before.overlaps
    assert found.after.overlaps == 0
    assert len(found.moves) == 1
    assert "met" in found.moves[0].why
    assert not found.unfit


def test_what_fits_stays_where_it_is() -> None:
    found = arranged(
        job("r", **FAR), job("b", kind="backup", target_pool="second", schedule=daily("04:00"))
    )
    assert (found.moves, found.unfit, found.jobs) == ((), (), ())


def test_a_fixed_start_is_not_moved() -> None:
    found = arranged(
        job("r", fixed=True, **FAR),
        job("b", kind="backup", target_pool="second", schedule=daily("01:05")),
    )
    assert [m.job for m in found.moves] == ["b"]
    both = arranged(
        job("r", fixed=True, **FAR),
        job("b", kind="backup", target_pool="second", schedule=daily("01:05"), fixed=True),
    )
    assert both.moves == ()
    assert both.after.overlaps == both.before.overlaps > 0


def test_a_job_is_brought_into_its_window() -> None:
    found = arranged(
        job("r", schedule=daily("12:00"), window_from="03:00", window_to="05:00", **FAR)
    )
    (move,) = found.moves
    assert "03:00" <= move.after < "05:00"
    assert (found.before.out_of_window, found.after.out_of_window) == (35, 0)


def test_a_reader_starts_soon_after_its_source_has_ended() -> None:
    found = arranged(
        job("r", schedule=daily("03:00"), **FAR),
        job("b", kind="backup", reads_from="r", target_pool="third", schedule=daily("03:01")),
        disks=(*lab().disks, disk(3, "far"), disk(4, "far")),
        pools=(
            *lab().pools,
            lab()
            .pools[1]
            .model_copy(update={"id": "third", "name": "third", "groups": (("far3", "far4"),)}),
        ),
    )
    assert found.before.too_early
    assert found.after.too_early == 0
    (move,) = found.moves
    assert move.job == "b"
    assert "03:17" <= move.after <= "03:40"  # 2 GB over the link take 16 minutes


def test_a_window_shorter_than_any_run_is_said_with_what_would_make_it_fit() -> None:
    found = arranged(
        job(
            "r",
            limit_mbit=1.0,
            window_from="02:00",
            window_to="02:30",
            schedule=daily("02:00"),
            **FAR,
        )
    )
    (unfit,) = found.unfit
    assert "shorter than the run" in unfit.why
    # 2 GB at 1 Mbit/s are 4.4 h; the window is half an hour.
    assert any("4.0 h longer" in r for r in unfit.remedies)
    assert any("MB/s" in r for r in unfit.remedies)


def test_a_night_that_is_too_full_is_named() -> None:
    big = lab().datasets[0].model_copy(update={"change_bytes_per_day": 40 * GB})
    found = arranged(
        job("r", **FAR),
        job("b", kind="backup", target_pool="second", schedule=daily("02:00")),
        datasets=(big,),
    )
    (unfit,) = found.unfit
    assert "h too many" in unfit.why
    assert "the link home - away" in unfit.why


def test_others_keep_out_of_the_way_of_what_has_no_place() -> None:
    big = lab().datasets[0].model_copy(update={"change_bytes_per_day": 50 * GB})
    small = lab().datasets[0].model_copy(update={"id": "little", "name": "little"})
    hog = job("a", fixed=True, schedule=daily("22:00"), datasets=("files",), **FAR)
    found = arranged(
        hog,
        job("b", kind="backup", target_pool="second", schedule=daily("23:00")),
        job(
            "c",
            kind="backup",
            target_pool="second",
            datasets=("little",),
            schedule=daily("23:05"),
            window_from="18:00",
            window_to="17:55",
        ),
        datasets=(big, small),
    )
    assert [u.job for u in found.unfit] == ["b"]
    (move,) = found.moves
    assert move.job == "c"
    # `a` and `b` still meet; nobody else does.
    met = next(i for i in found.after.working.inputs if i.name == "overlaps")
    assert found.after.overlaps
    assert {i.name for i in met.inputs[:3]} == {"a and b"}


def test_the_same_plan_is_arranged_in_the_same_way() -> None:
    jobs = [
        job(f"j{n}", kind="backup", target_pool="second", schedule=daily("01:00")) for n in range(4)
    ]
    first, again = arranged(*jobs), arranged(*jobs)
    assert first == again
    assert first.after.overlaps == 0


def test_counts_are_those_of_the_month() -> None:
    plan = lab(jobs=(job("r", **FAR),))
    found = counts(plan, TODAY)
    assert (found.overlaps, found.late, found.too_early) == (0, 0, 0)
    assert found.mean_age_hours == pytest.approx(12.3, abs=0.3)
    both = counts(lab(jobs=(job("r", **FAR), job("q", **FAR))), TODAY)
    met, out, early, late, age = both.working.inputs
    assert (met.value, out.value, early.value, late.value) == (both.overlaps, 0, 0, 0)
    assert met.inputs[0].name == "q and r"
    assert met.inputs[0].formula == "share the link home - away"
    assert [i.name for i in age.inputs] == ["r", "q"]


def test_the_nights_of_a_year_show_the_scrub() -> None:
    scrub = job(
        "x",
        kind="scrub",
        datasets=(),
        pool="main",
        schedule=Schedule(kind="monthly", every=3, nth=1, weekdays=(5,), at="20:00"),
    )
    found = nights(book(lab(jobs=(job("r", **FAR), scrub))), TODAY, 365)
    assert 360 <= len(found) <= 366
    longest = sorted(found, key=lambda n: -n.busy_hours)[:4]
    assert {n.day.month for n in longest} == {1, 4, 7, 10}
    assert all(n.day.weekday() == 5 and n.day.day <= 7 for n in longest)


def test_runs_that_a_limit_by_day_makes_longer_are_given_that_room() -> None:
    # From 02:00 on the link has a twentieth: the first run reaches far into the second's time.
    cap = Cap(id="c", link="wire", from_at="02:00", to_at="06:00", mbit=1.0)
    found = arranged(
        job("r", schedule=daily("01:50"), window_from="23:00", window_to="09:00", **FAR),
        job(
            "b",
            kind="backup",
            target_pool="second",
            schedule=daily("02:15"),
            window_from="23:00",
            window_to="09:00",
        ),
        caps=(cap,),
    )
    assert found.before.overlaps
    assert found.after.overlaps == 0
    assert not found.unfit
