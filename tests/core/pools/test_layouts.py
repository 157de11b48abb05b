from itertools import combinations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.bench.capacity import labelled_bytes
from kavrel.core.pools.facts import Conditions
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.lay_out import lay_out
from kavrel.core.pools.layout import Layout, LayoutError
from kavrel.core.pools.options import layouts
from tests.builders import CONDITIONS, TB, facts

FOUR = labelled_bytes(4000)
SIZES = st.lists(
    st.sampled_from([labelled_bytes(g) for g in (500, 1000, 2000, 4000, 8000, 12_000, 20_000)]),
    min_size=1,
    max_size=12,
)
FILESYSTEMS = st.sampled_from([None, "zfs", "ext4", "xfs", "btrfs", "none"])


@given(SIZES, FILESYSTEMS)
@settings(max_examples=15, deadline=None)
def test_every_disk_adds_up_to_the_byte(sizes: list[int], filesystem: str | None) -> None:
    disks = facts(*sizes)
    for layout in layouts(disks, filesystem, CONDITIONS):
        assert sum(d.data_bytes for d in layout.disks) == layout.usable_bytes
        for slices, disk in zip(
            sorted(layout.disks, key=lambda d: int(d.disk[1:])), disks, strict=True
        ):
            parts = (
                slices.data_bytes,
                slices.redundancy_bytes,
                slices.reserve_bytes,
                slices.stranded_bytes,
            )
            assert min(parts) >= 0
            assert sum(parts) == disk.capacity_bytes


@given(SIZES, FILESYSTEMS)
@settings(max_examples=15, deadline=None)
def test_no_layout_gives_more_than_it_has(sizes: list[int], filesystem: str | None) -> None:
    for layout in layouts(facts(*sizes), filesystem, CONDITIONS):
        assert 0 < layout.usable_bytes <= layout.raw_bytes
        assert 0 <= layout.loss_odds_5y <= 1
        assert (layout.rebuild_hours is None) == (layout.survives_any == 0)
        used = [d for g in layout.groups for d in g]
        assert sorted(used) == sorted({f"d{n}" for n in range(len(sizes))})


@pytest.mark.parametrize("count", [1, 2, 3, 4, 6, 8, 12])
def test_lists_every_family_that_the_count_allows(count: int) -> None:
    found = {x.family for x in layouts(facts(*[FOUR] * count), None, CONDITIONS)}
    small = {"span", "stripe", "union", "mirror", "slices1", "copies2", "parity1", "card_mirror"}
    three = small | {"raid5", "raidz1", "raidz2", "parity2", "slices2", "copies3", "raid10"}
    four = three | {"striped_mirror", "raid6", "raidz3", "copies10"}
    expected = {1: {"single", "span"}, 2: small, 3: three, 4: four}
    everything = set(FAMILIES) - {"single"}
    # RAID 50 and 60 need two whole groups.
    expected[6] = everything - {"raid60"}
    assert found == expected.get(count, everything)


def test_a_file_system_limits_the_families() -> None:
    zfs = {x.family for x in layouts(facts(*[FOUR] * 6), "zfs", CONDITIONS)}
    ext4 = {x.family for x in layouts(facts(*[FOUR] * 6), "ext4", CONDITIONS)}
    assert "raidz2" in zfs
    assert "raid5" not in zfs
    assert "raid5" in ext4
    assert "raidz2" not in ext4


def survives(layout: Layout, dead: set[str]) -> bool:
    """Brute force: whether every group can spare its dead disks."""
    outlives = FAMILIES[layout.family].outlives
    if FAMILIES[layout.family].one_set:
        return len(dead) <= outlives(sum(map(len, layout.groups)))
    if layout.family == "raid10":
        # md's near layout by md(4): chunk after chunk, each twice, round over all the disks.
        order = layout.groups[0]
        return all(
            not {order[2 * c % len(order)], order[(2 * c + 1) % len(order)]} <= dead
            for c in range(len(order))
        )
    return all(len(dead & set(g)) <= outlives(len(g)) for g in layout.groups)


@pytest.mark.parametrize("count", [4, 6, 9])
def test_survives_any_is_what_brute_force_over_all_losses_finds(count: int) -> None:
    for layout in layouts(facts(*[FOUR] * count), None, CONDITIONS):
        names = [d for g in layout.groups for d in g]
        any_k = 0
        while any_k < count and all(
            survives(layout, set(dead)) for dead in combinations(names, any_k + 1)
        ):
            any_k += 1
        assert layout.survives_any == any_k, layout.title
        for counted in layout.survival:
            lost = [set(dead) for dead in combinations(names, counted.lost)]
            assert counted.sets == len(lost)
            assert counted.survived == sum(survives(layout, dead) for dead in lost), layout.title


def test_like_sizes_are_grouped_so_that_least_is_stranded() -> None:
    disks = facts(FOUR, labelled_bytes(8000), FOUR, labelled_bytes(8000))
    mirrors = next(x for x in layouts(disks, "none", CONDITIONS) if x.family == "striped_mirror")
    assert mirrors.stranded_bytes == 0
    assert {frozenset(g) for g in mirrors.groups} == {
        frozenset({"d0", "d2"}),
        frozenset({"d1", "d3"}),
    }


def test_raid5_strands_what_is_above_the_smallest() -> None:
    sizes = [FOUR, FOUR, labelled_bytes(12_000)]
    raid5 = next(x for x in layouts(facts(*sizes), "none", CONDITIONS) if x.family == "raid5")
    assert raid5.stranded_bytes == sizes[2] - FOUR


def test_beaten_layouts_are_marked_but_never_a_span() -> None:
    found = {(x.family, len(x.groups)): x for x in layouts(facts(*[FOUR] * 6), "zfs", CONDITIONS)}
    # Three mirrors give less room than RAIDZ2, outlive fewer disks and are lost more often.
    assert found["striped_mirror", 3].dominated
    assert not found["raidz2", 1].dominated
    span = next(x for x in layouts(facts(*[FOUR] * 6), "ext4", CONDITIONS) if x.family == "span")
    assert not span.dominated


def test_rebuild_is_paced_by_the_slowest_disk() -> None:
    quick, slow = facts(FOUR, FOUR), facts(FOUR, mb_per_s=100.0)
    found = lay_out("mirror", [[*quick, *slow]], "zfs", Conditions(rebuild_speed_share=0.5))
    assert found.rebuild_hours == pytest.approx(FOUR / 50e6 / 3600)


def test_small_records_waste_room_on_raidz_and_not_on_mirrors() -> None:
    small = Conditions(record_bytes=8192)
    six = facts(*[FOUR] * 6)
    normal = lay_out("raidz2", [six], "zfs", CONDITIONS).usable_bytes
    wasted = lay_out("raidz2", [six], "zfs", small).usable_bytes
    # 8 KiB on raidz2 of 6 takes 24 KiB, 128 KiB takes 192: half as good.
    assert wasted == pytest.approx(normal * (8 / 24) / (128 / 192), rel=1e-6)
    pair = facts(FOUR, FOUR)
    assert (
        lay_out("mirror", [pair], "zfs", small).usable_bytes
        == lay_out("mirror", [pair], "zfs", CONDITIONS).usable_bytes
    )


@pytest.mark.parametrize(
    ("family", "groups", "filesystem", "says"),
    [
        ("raid6", [3], "none", "at least 4"),
        ("raidz2", [6], "ext4", "does not go with ext4"),
        ("raid5", [6], "zfs", "does not go with zfs"),
        ("striped_mirror", [2, 3], "zfs", "can be grouped as"),
        ("mirror", [1], "zfs", "at least 2"),
        ("single", [2], "zfs", "can be grouped as none"),
    ],
)
def test_refuses_what_cannot_be_laid_out(
    family: str, groups: list[int], filesystem: str, says: str
) -> None:
    disks = iter(facts(*[FOUR] * sum(groups)))
    with pytest.raises(LayoutError, match=says):
        lay_out(family, [[next(disks) for _ in range(n)] for n in groups], filesystem, CONDITIONS)


def test_money_per_usable_tb() -> None:
    found = lay_out("mirror", [facts(FOUR, FOUR)], "none", CONDITIONS)
    assert found.cost_minor == 20_000
    assert found.cost_per_tb_minor == round(20_000 * TB / found.usable_bytes)


def test_the_working_leads_to_the_figure() -> None:
    found = lay_out("raidz2", [facts(*[FOUR] * 6)], "zfs", CONDITIONS)
    assert found.working.value == found.usable_bytes
    blocks, reserve = found.working.inputs[1].value, found.working.inputs[2].value
    assert isinstance(blocks, int)
    assert isinstance(reserve, int)
    assert blocks - reserve == found.usable_bytes
    named = {s.assumption for s in found.odds_working.inputs[1].inputs}
    assert "notice_hours" in named
