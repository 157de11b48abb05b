from datetime import date, datetime
from zoneinfo import ZoneInfo

import pytest

from kavrel.core.plan import Link, Retention, Schedule
from tests.builders import GB, TODAY, assume, book, daily, disk, job, lab, result

TO_FAR = {"kind": "replication", "target_pool": "second"}


def test_first_copy_over_the_link_is_bytes_over_its_slowest_part() -> None:
    plan = lab(
        jobs=(job("r", **TO_FAR),), assumptions=assume(network_efficiency=1.0, tunnel_share=1.0)
    )
    first = book(plan).first_copy(plan.jobs[0])
    # 1000 GB at 20 Mbit/s, a plain division.
    assert first.value == pytest.approx(1000e9 * 8 / 20e6 / 3600)
    assert {s.name for s in first.inputs} >= {"link home to away", "read main", "write second"}


def test_a_limit_on_the_job_slows_it_and_a_faster_link_speeds_it() -> None:
    slow = job("r", limit_mbit=5.0, **TO_FAR)
    plan = lab(jobs=(slow,))
    assert book(plan).way(slow).mb_per_s == pytest.approx(5 / 8)
    quick = lab(
        jobs=(job("r", **TO_FAR),),
        links=(Link(id="wire", a="away", b="home", mbit_a_to_b=9.0, mbit_b_to_a=800.0),),
        assumptions=assume(network_efficiency=0.5, tunnel_share=1.0),
    )
    # The link is drawn the other way round: what counts is the direction of the bytes.
    assert book(quick).way(quick.jobs[0]).mb_per_s == pytest.approx(800 / 8 * 0.5)


def test_without_a_link_there_is_no_way_and_no_point() -> None:
    plan = lab(links=(), jobs=(job("r", **TO_FAR),))
    found = book(plan)
    assert found.first_copy(plan.jobs[0]).value is None
    assert len(found.points(plan.jobs[0])) == 0
    assert found.newest_age(plan.jobs[0]) is None


def test_usual_run_carries_what_changed_since_the_run_before() -> None:
    plan = lab(
        jobs=(job("r", schedule=Schedule(kind="weekly", weekdays=(6,), at="01:00"), **TO_FAR),)
    )
    found = book(plan)
    assert found.mean_interval_days(plan.jobs[0]) == pytest.approx(7, abs=0.01)
    assert found.changed_bytes(plan.jobs[0], 7.0) == 14 * GB
    # After years of change it is still at most a whole copy.
    assert found.changed_bytes(plan.jobs[0], 1e6) == 1000 * GB


def test_a_backup_shrinks_what_compresses() -> None:
    plan = lab(jobs=(job("b", kind="backup", target_pool="second"),))
    squeezed = plan.datasets[0].model_copy(update={"compressible": True})
    small = plan.model_copy(update={"datasets": (squeezed,)})
    assert book(plan).first_bytes(plan.jobs[0]) == 1000 * GB
    assert book(small).first_bytes(small.jobs[0]) == 600 * GB


def test_newest_age_is_the_gap_plus_the_run() -> None:
    plan = lab(jobs=(job("r", **TO_FAR),), zone="UTC")
    found = book(plan)
    seconds = found.run_seconds(plan.jobs[0], 1.0)
    assert found.newest_age(plan.jobs[0]) == pytest.approx(86_400 + seconds)


def test_the_autumn_night_makes_the_gap_an_hour_longer() -> None:
    plan = lab(jobs=(job("s"),))  # Berlin
    assert book(plan).newest_age(plan.jobs[0]) == pytest.approx(25 * 3600 + 2)


def test_a_copy_of_a_copy_is_as_old_as_what_it_was_copied_from() -> None:
    plan = lab(
        zone="UTC",
        jobs=(
            job("r", schedule=daily("01:00"), **TO_FAR),
            job(
                "s",
                kind="shelf",
                reads_from="r",
                target_disk="loose9",
                schedule=Schedule(kind="monthly", day=1, at="12:00"),
                retention=Retention(last=1),
            ),
        ),
    )
    found = book(plan)
    points = found.points_on(plan.jobs[1], TODAY)
    assert [datetime.fromtimestamp(p.data_time, ZoneInfo("UTC")).isoformat() for p in points] == [
        "2026-11-01T01:00:00+00:00"
    ]
    # Month of 31 days, plus the eleven hours from the replica to the shelf, plus the copying.
    copying = found.run_seconds(plan.jobs[1], 31.0)
    assert found.newest_age(plan.jobs[1]) == pytest.approx(31 * 86_400 + 11 * 3600 + copying)


def test_points_on_a_day_are_those_after_pruning() -> None:
    plan = lab(jobs=(job("s", retention=Retention(daily=3, monthly=2)),))
    days = [
        datetime.fromtimestamp(p.data_time, ZoneInfo("Europe/Berlin")).date()
        for p in book(plan).points_on(plan.jobs[0], date(2026, 3, 10))
    ]
    months = [date(2026, 1, 31), date(2026, 2, 28)]
    assert days == [*months, date(2026, 3, 8), date(2026, 3, 9), date(2026, 3, 10)]


def test_before_its_first_day_a_job_has_no_points() -> None:
    plan = lab(jobs=(job("s", schedule=daily(start=date(2026, 11, 20))),))
    assert book(plan).points_on(plan.jobs[0], date(2026, 11, 19)) == []
    assert len(book(plan).points_on(plan.jobs[0], date(2026, 11, 22))) == 3


def test_a_shelf_disk_is_read_in_a_dock() -> None:
    plan = lab(
        disks=(*lab().disks[:-1], disk(9, None, mb_per_s=500.0)),
        jobs=(job("s", kind="shelf", target_disk="loose9"),),
    )
    # USB 3 dock to pool: about 600 GB an hour; common practice, no source.
    assert book(plan).way(plan.jobs[0]).hours(600 * GB) == pytest.approx(1.0, rel=0.01)


def test_what_is_left_out_neither_travels_nor_comes_back() -> None:
    near = {"kind": "backup", "target_pool": "second"}
    whole = job("whole", **near)
    part = job("part", left_out=(".cache/", "*.part"), left_out_share=0.25, **near)
    plan = lab(jobs=(whole, part))
    found = book(plan)
    assert found.first_bytes(part) == pytest.approx(0.75 * found.first_bytes(whole))
    assert found.changed_bytes(part, 1) == pytest.approx(
        0.75 * found.changed_bytes(whole, 1), abs=2
    )
    assert found.scan_seconds(part) == pytest.approx(0.75 * found.scan_seconds(whole))
    alone = {
        j.id: next(c for c in result(lab(jobs=(j,))).proof if c.hazard == "box_lost")
        for j in plan.jobs
    }
    moved = {k: next(s.hours for s in c.steps if s.phase == "transfer") for k, c in alone.items()}
    assert moved["part"] == pytest.approx(0.75 * moved["whole"])
    views = {v.id: v for v in result(plan).jobs}
    assert views["part"].fetch[-1] == "not in it, for it is left out: .cache/, *.part"
