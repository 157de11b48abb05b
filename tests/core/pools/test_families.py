"""Each family by hand: what it gives, what it outlives, how it is grouped."""

import pytest

from kavrel.core.bench.capacity import labelled_bytes
from kavrel.core.filesystems.filesystem import Vdev
from kavrel.core.filesystems.zfs import space
from kavrel.core.pools.arrays import (
    lvm_linear,
    md_mirror,
    md_parity,
    md_stripe,
    md_striped_mirrors,
)
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.lay_out import lay_out
from kavrel.core.pools.layout import Layout
from tests.builders import CONDITIONS, facts

ONE, TWO, FOUR, EIGHT = (labelled_bytes(g) for g in (1000, 2000, 4000, 8000))


def made(family: str, *groups: list[int], filesystem: str = "none") -> Layout:
    disks = iter(facts(*(size for group in groups for size in group)))
    return lay_out(
        family, [[next(disks) for _ in group] for group in groups], filesystem, CONDITIONS
    )


def test_single_disk_is_its_size() -> None:
    found = made("single", [FOUR])
    assert (found.usable_bytes, found.survives_any, found.survives) == (FOUR, 0, "none")


def test_span_is_the_sum_whatever_the_sizes() -> None:
    found = made("span", [ONE, TWO, EIGHT])
    assert found.usable_bytes == lvm_linear([ONE, TWO, EIGHT])
    assert found.stranded_bytes == 0
    assert found.read_mb_per_s == 185  # one disk after the other


def test_stripe_is_the_sum_and_as_fast_as_all_together() -> None:
    found = made("stripe", [ONE, TWO, EIGHT])
    assert found.usable_bytes == md_stripe([ONE, TWO, EIGHT])
    assert found.read_mb_per_s == 3 * 185


@pytest.mark.parametrize("ways", [2, 3, 4])
def test_mirror_is_its_smallest_and_outlives_all_but_one(ways: int) -> None:
    sizes = [FOUR] * (ways - 1) + [EIGHT]
    found = made("mirror", sizes)
    assert found.usable_bytes == md_mirror(sizes)
    assert found.survives_any == ways - 1
    assert found.stranded_bytes == EIGHT - FOUR
    assert found.write_mb_per_s == 185
    # The data is drawn in one disk, its copies in the others.
    assert [d.data_bytes > 0 for d in found.disks] == [True] + [False] * (ways - 1)


def test_stripe_of_mirrors_is_the_sum_of_the_smallest() -> None:
    groups = [[FOUR, FOUR], [EIGHT, EIGHT], [ONE, TWO]]
    found = made("striped_mirror", *groups)
    assert found.usable_bytes == md_striped_mirrors(groups)
    assert found.survives_any == 1
    assert found.stranded_bytes == TWO - ONE
    assert "a group" in found.survives


@pytest.mark.parametrize(("family", "parity"), [("raid5", 1), ("raid6", 2)])
@pytest.mark.parametrize("count", [4, 5, 8])
def test_parity_costs_its_disks(family: str, parity: int, count: int) -> None:
    found = made(family, [FOUR] * count)
    assert found.usable_bytes == md_parity([FOUR] * count, parity)
    assert found.survives_any == parity
    redundancy = sum(d.redundancy_bytes for d in found.disks)
    assert redundancy == pytest.approx(parity * FOUR, abs=count)


@pytest.mark.parametrize("parity", [1, 2, 3])
def test_raidz_in_two_groups_is_two_vdevs(parity: int) -> None:
    group = [FOUR] * (parity + 3)
    found = made(f"raidz{parity}", group, group, filesystem="zfs")
    vdev = Vdev(tuple(group), parity)
    assert found.usable_bytes == space([vdev, vdev], 12, 131_072).usable_bytes
    assert found.survives_any == parity
    # Twice the room of one group, but for the reserve that is capped at 128 GiB.
    alone = made(f"raidz{parity}", group, filesystem="zfs").usable_bytes
    assert 2 * alone <= found.usable_bytes <= 2 * alone + 2 * 2**37


@pytest.mark.parametrize(
    ("family", "count", "groupings"),
    [
        ("single", 1, [(1,)]),
        ("single", 2, []),
        ("mirror", 3, [(3,)]),
        ("striped_mirror", 4, [(2, 2)]),
        ("striped_mirror", 5, []),
        ("striped_mirror", 6, [(2, 2, 2), (3, 3)]),
        ("raid6", 3, []),
        ("raidz1", 2, []),
        ("raidz1", 6, [(6,), (3, 3)]),
        ("raidz2", 12, [(12,), (6, 6), (4, 4, 4)]),
        ("raidz3", 4, [(4,)]),
    ],
)
def test_how_disks_can_be_grouped(
    family: str, count: int, groupings: list[tuple[int, ...]]
) -> None:
    assert [tuple(g) for g in FAMILIES[family].groupings(count)] == groupings


def test_every_family_says_how_it_grows_and_has_a_name() -> None:
    for key, family in FAMILIES.items():
        assert family.id == key
        assert family.title
        assert family.grows
        assert family.filesystems


def test_a_larger_disk_never_makes_a_pool_smaller() -> None:
    for family in ("span", "stripe", "mirror", "raid5", "raid6"):
        before = made(family, [FOUR] * 4).usable_bytes
        after = made(family, [FOUR, FOUR, FOUR, EIGHT]).usable_bytes
        assert after >= before, family


@pytest.mark.parametrize("filesystem", ["ext4", "xfs", "btrfs"])
def test_a_file_system_takes_its_share_of_the_array(filesystem: str) -> None:
    bare = made("raid5", [FOUR] * 4).usable_bytes
    formatted = made("raid5", [FOUR] * 4, filesystem=filesystem)
    assert 0.9 * bare < formatted.usable_bytes < bare
    assert formatted.working.inputs[0].value == bare


def test_odds_get_worse_with_width_and_better_with_parity() -> None:
    odds = {
        (family, count): made(family, [FOUR] * count, filesystem="zfs").loss_odds_5y
        for family in ("raidz1", "raidz2", "raidz3")
        for count in (5, 9)
    }
    for family in ("raidz1", "raidz2", "raidz3"):
        assert odds[family, 9] > odds[family, 5]
    for count in (5, 9):
        assert odds["raidz1", count] > odds["raidz2", count] > odds["raidz3", count]
