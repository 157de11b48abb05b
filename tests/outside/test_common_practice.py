"""Figures of the trade that people know by heart. All: common practice, no source."""

from datetime import date

import pytest

from kavrel.core.bench.capacity import labelled_bytes
from kavrel.core.copies.book import utc
from kavrel.core.plan import Link, Retention
from kavrel.core.pools.options import layouts
from tests.builders import CONDITIONS, GB, TB, assume, book, disk, facts, job, lab


def usable(family: str, *sizes_tb: int) -> float:
    """Usable TB of the bare array."""
    disks = facts(*(labelled_bytes(s * 1000) for s in sizes_tb))
    found = next(x for x in layouts(disks, "none", CONDITIONS) if x.family == family)
    return found.usable_bytes / TB


def test_pay_60_get_40() -> None:
    assert usable("raid5", 20, 20, 20) == pytest.approx(40, rel=0.001)


def test_four_of_10_tb_with_one_redundant_give_30() -> None:
    assert usable("raid5", 10, 10, 10, 10) == pytest.approx(30, rel=0.001)


def test_12_tb_are_surface_checked_in_about_18_hours() -> None:
    checked = disk(1)
    assert labelled_bytes(12_000) / (checked.mb_per_s * 1e6) / 3600 == pytest.approx(18, abs=0.2)


def test_18_tb_over_a_usb_dock_take_about_a_day_and_a_half() -> None:
    # 600 GB an hour is 30 h for 18 TB; "about a day and a half" with the breaks people take.
    plan = lab(
        disks=(
            *lab().disks[:-1],
            disk(9, None, capacity_bytes=labelled_bytes(18_000), mb_per_s=250.0),
        ),
        jobs=(job("x", kind="shelf", target_disk="loose9"),),
    )
    assert 1.0 < book(plan).way(plan.jobs[0]).hours(18 * TB) / 24 < 1.6


def test_gigabit_carries_about_110_megabytes_a_second() -> None:
    plan = lab(
        links=(
            Link(
                id="wire",
                a="home",
                b="away",
                mbit_a_to_b=1000.0,
                mbit_b_to_a=1000.0,
                encrypted=False,
            ),
        ),
        jobs=(job("r", kind="replication", target_pool="second"),),
    )
    assert book(plan).way(plan.jobs[0]).mb_per_s == pytest.approx(110, abs=1)


def test_10_tb_over_a_home_uplink_of_20_mbit_take_46_days() -> None:
    plan = lab(
        datasets=(lab().datasets[0].model_copy(update={"size_bytes": 10_000 * GB}),),
        jobs=(job("r", kind="replication", target_pool="second"),),
        assumptions=assume(network_efficiency=1.0, tunnel_share=1.0),
    )
    hours = book(plan).first_copy(plan.jobs[0]).value
    assert isinstance(hours, float)
    assert hours / 24 == pytest.approx(46, abs=0.5)


def test_seven_two_one_one_undoes_a_loss_noticed_half_a_year_later() -> None:
    # Deleted on 10 March, missed on 10 September: the end of last year is still there.
    plan = lab(jobs=(job("s", retention=Retention(daily=7, weekly=2, monthly=1, yearly=1)),))
    days = [utc(p.data_time).date() for p in book(plan).points_on(plan.jobs[0], date(2026, 9, 10))]
    assert len(days) == 11
    assert days[0] == date(2025, 12, 31)


def test_four_of_10_tb_in_slices_give_30_and_two_of_12_give_12() -> None:
    assert usable("slices1", 10, 10, 10, 10) == pytest.approx(30, rel=0.001)
    assert usable("slices1", 12, 12) == pytest.approx(12, rel=0.001)


def test_spans_show_what_a_nas_shows() -> None:
    # 20 + 20 + 16 TB as one span show 50.9 TiB.
    assert usable("span", 20, 20, 16) * TB / 2**40 == pytest.approx(50.9, abs=0.05)


def test_the_zoned_surface_check_of_12_tb_takes_about_18_hours() -> None:
    found = layouts(facts(labelled_bytes(12_000)), None, CONDITIONS)[0]
    assert found.surface_hours == pytest.approx(18, abs=0.2)
    # The outer half goes faster than the inner one: speed falls to about half.
    from kavrel.core.pools.passes import outer_speed, pass_hours

    size = labelled_bytes(12_000)
    outer = pass_hours(size, 185.0, 0.5, 0.5)
    assert outer < 18 * 0.45
    assert outer_speed(185.0, 0.5) == pytest.approx(185 * 1.386, rel=0.001)
    assert pass_hours(size, 185.0, 0.5) == pytest.approx(size / 185e6 / 3600)


def test_a_ups_waits_five_minutes_and_a_gib_of_memory_for_a_tb() -> None:
    from kavrel.core.assumptions import REGISTRY
    from kavrel.core.plan import Supply

    assert Supply.model_fields["delay_minutes"].default == 5.0
    assert REGISTRY["ram_gib_per_tb"].default == 1
    assert REGISTRY["ram_gib_files"].default == 4
    assert REGISTRY["scrub_days"].default == 90
