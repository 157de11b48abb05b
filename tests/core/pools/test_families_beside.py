"""The families that came later, by hand: union, dedicated parity, slices, copies, RAID 50 and 60."""

from itertools import combinations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import linprog

from kavrel.core.pools.arrays import lvm_linear, md_mirror, md_parity, md_stripe
from kavrel.core.pools.families.copy_profiles import usable_height
from kavrel.core.pools.families.mixed_slices import slices
from kavrel.core.pools.lay_out import lay_out
from kavrel.core.pools.layout import LayoutError
from kavrel.core.quantities import MIB
from tests.builders import CONDITIONS, TB, facts
from tests.core.pools.test_families import EIGHT, FOUR, ONE, TWO, made


def test_union_is_the_sum_and_loses_only_the_dead_disks_files() -> None:
    found = made("union", [ONE, TWO, EIGHT])
    assert found.usable_bytes == ONE + TWO + EIGHT
    assert found.survives_any == 0
    assert found.remains == "files on the disks that live"


@pytest.mark.parametrize("parity", [1, 2])
def test_dedicated_parity_gives_all_of_its_data_disks(parity: int) -> None:
    found = made(f"parity{parity}", [FOUR, TWO, ONE], [FOUR] * parity)
    assert found.usable_bytes == FOUR + TWO + ONE
    assert found.survives_any == parity
    assert found.remains == "files on the disks that live"
    by_disk = {d.disk: d for d in found.disks}
    assert all(by_disk[d].redundancy_bytes == FOUR for d in found.groups[1])


def test_a_parity_disk_smaller_than_a_data_disk_is_refused() -> None:
    with pytest.raises(LayoutError, match="protects nothing: make the largest"):
        made("parity1", [EIGHT, FOUR], [FOUR])


def test_slices_cut_at_each_others_heights() -> None:
    assert slices([2, 5, 5, 9]) == [(2, 4), (3, 3), (4, 1)]
    found = made("slices1", [TWO, FOUR, FOUR, EIGHT])
    # Parts lie on whole MiB; the first and the last of a disk are the partition table's.
    lower = md_parity([(TWO // MIB - 2) * MIB] * 4, 1)
    upper = md_parity([(FOUR // MIB - TWO // MIB) * MIB] * 3, 1)
    assert found.usable_bytes == lvm_linear([lower, upper])
    assert found.stranded_bytes == EIGHT - FOUR
    pair = made("slices1", [FOUR, EIGHT])
    assert pair.usable_bytes == lvm_linear([md_mirror([(FOUR // MIB - 2) * MIB] * 2)])


@pytest.mark.parametrize(("family", "parity"), [("raid50", 1), ("raid60", 2)])
def test_stripes_over_parity_groups(family: str, parity: int) -> None:
    groups = [[FOUR] * 4, [EIGHT] * 4]
    found = made(family, *groups)
    assert found.usable_bytes == md_stripe([md_parity(g, parity) for g in groups])
    assert found.survives_any == parity
    # Twice as many may die when they fall on both groups alike.
    most = max(s.lost for s in found.survival if s.survived)
    assert most == 2 * parity


@given(st.lists(st.integers(1, 40), min_size=3, max_size=7), st.sampled_from([2, 3]))
@settings(max_examples=60, deadline=None)
def test_copies_hold_what_a_linear_program_can_place(disks: list[int], copies: int) -> None:
    # Chunks of copies on different disks: the most is a linear program over all sets of disks.
    sets = list(combinations(range(len(disks)), copies))
    fits = [[1.0 if d in s else 0.0 for s in sets] for d in range(len(disks))]
    best = linprog([-1.0] * len(sets), A_ub=fits, b_ub=disks)
    assert usable_height([d * 10**9 for d in disks], copies) == pytest.approx(
        -best.fun * 1e9, abs=copies
    )


def test_two_copies_are_half_the_sum_or_what_faces_the_largest() -> None:
    # Common practice, no source: min(sum / 2, sum - largest).
    for sizes in ([4, 4], [4, 8, 12], [20, 4, 4], [1, 2, 3, 10]):
        raw = [s * TB for s in sizes]
        expected = min(sum(raw) // 2, sum(raw) - max(raw))
        assert usable_height(raw, 2) == expected


def test_shingled_disks_make_a_rebuild_as_much_longer_as_they_are_slower() -> None:
    plain = lay_out("mirror", [facts(FOUR, FOUR)], "ext4", CONDITIONS)
    slow = lay_out("mirror", [facts(FOUR, FOUR, shingled=True)], "ext4", CONDITIONS)
    assert plain.rebuild_hours is not None
    assert slow.rebuild_hours == pytest.approx(plain.rebuild_hours / CONDITIONS.smr_write_share)


def test_small_writes_cost_what_the_papers_say() -> None:
    # Patterson, Gibson and Katz 1988: a small write is four accesses on RAID 5; six with two parities.
    one = facts(FOUR)[0].iops
    raid5, raid6 = made("raid5", [FOUR] * 8), made("raid6", [FOUR] * 8)
    assert raid5.speeds.write_iops == pytest.approx(8 / 4 * one)
    assert raid6.speeds.write_iops == pytest.approx(8 / 6 * one)
    assert made("striped_mirror", *[[FOUR] * 2] * 4).speeds.write_iops == pytest.approx(4 * one)
    assert made("raidz1", [FOUR] * 8, filesystem="zfs").speeds.write_iops == pytest.approx(one)


def test_compression_is_what_the_room_holds_not_what_it_is() -> None:
    from dataclasses import replace

    pressed = lay_out(
        "mirror", [facts(FOUR, FOUR)], "zfs", replace(CONDITIONS, compression_ratio=1.5)
    )
    plain = lay_out("mirror", [facts(FOUR, FOUR)], "zfs", CONDITIONS)
    assert pressed.usable_bytes == plain.usable_bytes
    assert pressed.holds_bytes == int(plain.usable_bytes * 1.5)
