"""The zoned speed of spinning disks, rebuilds of what is used, and survival over mixed groups."""

from dataclasses import replace
from itertools import combinations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import quad

from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.loss import damage_of, odds_of, repair_of, risks
from kavrel.core.pools.passes import outer_speed, pass_hours
from kavrel.core.pools.survival import outlives, survival
from tests.builders import CONDITIONS, TB, facts


@given(st.floats(0.3, 1.0), st.floats(0.05, 1.0), st.floats(50, 300))
@settings(max_examples=60)
def test_a_pass_is_the_integral_over_the_falling_speed(
    inner: float, share: float, average: float
) -> None:
    size = 12 * TB
    outer = outer_speed(average, inner) * 1e6

    def slowness(place: float) -> float:
        return 1 / (outer * (1 - (1 - inner) * place / size))

    exact, _ = quad(slowness, 0, share * size)
    assert pass_hours(size, average, inner, share) == pytest.approx(exact / 3600, rel=1e-6)


@given(st.floats(0.3, 1.0), st.floats(50, 300))
def test_the_whole_disk_takes_what_its_average_speed_says(inner: float, average: float) -> None:
    assert pass_hours(12 * TB, average, inner) == pytest.approx(12 * TB / average / 1e6 / 3600)


def test_the_inner_half_takes_longer_than_the_outer() -> None:
    whole, outer = pass_hours(TB, 150, 0.5), pass_hours(TB, 150, 0.5, 0.5)
    assert whole - outer > outer


@pytest.mark.parametrize("fill", [0.0, 0.25, 0.5, 1.0])
def test_zfs_rebuilds_what_is_used_and_md_the_whole_disk(fill: float) -> None:
    six = [facts(*[4 * TB] * 6)]
    zfs = repair_of(FAMILIES["raidz2"], six, "zfs", CONDITIONS, fill)
    md = repair_of(FAMILIES["raid6"], six, "ext4", CONDITIONS, fill)
    full = repair_of(FAMILIES["raidz2"], six, "zfs", CONDITIONS, 1.0)
    assert zfs.rebuild_hours is not None
    assert full.rebuild_hours is not None
    assert md.rebuild_hours == pytest.approx(full.rebuild_hours)
    assert zfs.rebuild_hours <= full.rebuild_hours * max(fill, 1e-9) * 1.0001 + 1e-9
    assert (zfs.rebuilds, md.rebuilds) == ("used space", "whole disk")
    assert zfs.sync_hours is None
    assert md.sync_hours == pytest.approx(full.rebuild_hours * CONDITIONS.rebuild_speed_share)


@given(
    st.lists(st.integers(2, 5), min_size=1, max_size=3),
    st.sampled_from(["raidz1", "raidz2", "mirror"]),
)
@settings(max_examples=40, deadline=None)
def test_survival_is_counted_over_groups_of_different_widths(widths: list[int], name: str) -> None:
    family = FAMILIES[name]
    disks = [(g, d) for g, width in enumerate(widths) for d in range(width)]
    for counted in survival(family, widths):
        kept = 0
        for dead in combinations(disks, counted.lost):
            by_group = [sum(1 for g, _ in dead if g == n) for n in range(len(widths))]
            kept += all(
                lost <= family.outlives(width) for lost, width in zip(by_group, widths, strict=True)
            )
        assert counted.survived == kept
    assert outlives(family, widths) == min(family.outlives(w) for w in widths)


def test_slower_repairs_and_fewer_spares_never_help_the_odds() -> None:
    family, five = FAMILIES["raidz1"], facts(*[4 * TB] * 5)

    def odds(**more: float) -> float:
        return odds_of(risks(family, [five], "zfs", replace(CONDITIONS, **more)), 5.0)  # type: ignore[arg-type]

    def damage(**more: float) -> float:
        return damage_of(risks(family, [five], "zfs", replace(CONDITIONS, **more)), 5.0)  # type: ignore[arg-type]

    assert odds(hot_spares=1) < odds(shelf_spares=1) < odds()
    assert odds(notice_hours=200) > odds()
    # A scrub finds what a rebuild would meet; a disk too many it does not keep away.
    assert damage(scrub_days=365.0) > damage(scrub_days=30.0)
    assert odds(scrub_days=365.0) == odds(scrub_days=30.0)
    # Used space alone is read, and only there a sector matters.
    assert damage(fill=0.2) == pytest.approx(0.2 * damage(), rel=0.02)
    assert odds(fill=0.2) < odds()
