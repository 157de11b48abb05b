"""The finder against brute force over all groupings of small sets of disks."""

from collections.abc import Iterator
from dataclasses import replace
from itertools import combinations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.bench.capacity import labelled_bytes
from kavrel.core.pools import room
from kavrel.core.pools.facts import Conditions, DiskFacts
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.finder import Wish, find, searched
from kavrel.core.pools.options import layouts
from kavrel.core.pools.survival import outlives
from tests.builders import CONDITIONS, TB, facts

SIZES = st.lists(
    st.sampled_from([labelled_bytes(g) for g in (2000, 4000, 8000)]), min_size=1, max_size=5
)


def partitions(
    items: tuple[int, ...], widths: tuple[int, ...]
) -> Iterator[tuple[tuple[int, ...], ...]]:
    """Every way to put the items into groups of these widths, in order."""
    if not widths:
        yield ()
        return
    for group in combinations(items, widths[0]):
        rest = tuple(i for i in items if i not in group)
        for others in partitions(rest, widths[1:]):
            yield (group, *others)


def most_room(
    sizes: list[int],
    survive: int,
    filesystem: str,
    prices: list[int] | None = None,
    budget: int = 0,
) -> int:
    """The most usable bytes of any family over any disks in any groups: plain brute force.

    With `prices`, of the disks that the budget pays for.
    """
    best = 0
    for count in range(1, len(sizes) + 1):
        for chosen in combinations(range(len(sizes)), count):
            if prices and sum(prices[d] for d in chosen) > budget:
                continue
            for family in FAMILIES.values():
                if filesystem not in family.filesystems:
                    continue
                for widths in family.groupings(count):
                    if outlives(family, widths) < survive:
                        continue
                    for groups in partitions(chosen, tuple(widths)):
                        bytes_ = tuple(tuple(sizes[d] for d in g) for g in groups)
                        if family.complaint(bytes_):
                            continue
                        best = max(
                            best, room.usable_bytes(family.id, bytes_, filesystem, 12, 131_072)
                        )
    return best


@given(SIZES, st.integers(0, 2), st.sampled_from(searched()))
@settings(max_examples=40, deadline=None)
def test_no_grouping_gives_more_room_than_the_finder_found(
    sizes: list[int], survive: int, filesystem: str
) -> None:
    found = find(facts(*sizes), Wish(survive=survive, filesystem=filesystem), CONDITIONS)
    most = max((p.layout.usable_bytes for p in found.proposals), default=0)
    assert most == most_room(sizes, survive, filesystem)


@given(
    st.lists(
        st.tuples(
            st.sampled_from([labelled_bytes(g) for g in (2000, 4000, 12_000, 18_000)]),
            st.sampled_from([50, 100, 130, 200]),
        ),
        min_size=2,
        max_size=5,
    ),
    st.integers(0, 2),
    st.sampled_from([100, 250, 400, 600]),
    st.sampled_from(("zfs", "btrfs", "ext4")),
)
@settings(max_examples=60, deadline=None)
def test_with_a_budget_no_disks_it_pays_for_give_more_room(
    disks: list[tuple[int, int]], survive: int, budget: int, filesystem: str
) -> None:
    sizes, prices = [s for s, _ in disks], [p for _, p in disks]
    priced = [replace(d, price_minor=p) for d, p in zip(facts(*sizes), prices, strict=True)]
    wish = Wish.model_validate(
        {"survive": survive, "budget_minor": budget, "filesystem": filesystem}
    )
    found = find(priced, wish, CONDITIONS)
    assert found.not_searched == ""
    best = max((p.layout.usable_bytes for p in found.proposals), default=0)
    assert best == most_room(sizes, survive, filesystem, prices, budget)


def test_the_case_that_runs_of_disks_miss() -> None:
    # 18 + 18 + 4 of 18, 18, 12, 4, 2 TB for 400: the 12 in between is left out for its price.
    sizes = [18 * TB, 18 * TB, 12 * TB, 4 * TB, 2 * TB]
    priced = [
        replace(d, price_minor=p)
        for d, p in zip(facts(*sizes), (170, 170, 150, 60, 40), strict=True)
    ]
    found = find(priced, Wish(survive=1, budget_minor=400, filesystem="btrfs"), CONDITIONS)
    assert {"d0", "d1", "d3"} in [{d for g in p.layout.groups for d in g} for p in found.proposals]


def test_seven_disks_go_as_four_and_three() -> None:
    found = find(facts(*[8 * TB] * 7), Wish(survive=1, workload="machines"), CONDITIONS)
    titles = {p.layout.title for p in found.proposals}
    assert any("4 + 3" in t for t in titles), titles


def test_striped_mirrors_stand_where_machines_live_and_not_in_an_archive() -> None:
    ten = facts(*[8 * TB] * 10)

    def titles(workload: str) -> set[str]:
        wish = Wish.model_validate({"survive": 1, "workload": workload, "filesystem": "zfs"})
        return {p.layout.family for p in find(ten, wish, CONDITIONS).proposals}

    assert "striped_mirror" in titles("machines")
    assert "raidz2" in titles("archive")


def test_too_many_kinds_of_disk_say_how_far_was_searched() -> None:
    odd = [
        replace(d, price_minor=100 + n)
        for n, d in enumerate(facts(*[(2 + n) * TB for n in range(16)]))
    ]
    found = find(odd, Wish(survive=1, budget_minor=3000), CONDITIONS)
    assert "16 kinds of disk" in found.not_searched
    assert found.proposals


@given(SIZES, st.integers(0, 3))
@settings(max_examples=25, deadline=None)
def test_survivors_keep_the_wish_and_none_beats_another(sizes: list[int], survive: int) -> None:
    wish = Wish(survive=survive, usable_bytes=2 * TB, snapshots=True)
    found = find(facts(*sizes), wish, CONDITIONS)
    for proposal in found.proposals:
        layout = proposal.layout
        assert layout.survives_any >= survive
        assert layout.usable_bytes >= 2 * TB
        assert layout.filesystem in ("zfs", "btrfs")
        used = [d for g in layout.groups for d in g] + list(proposal.hot_spares + proposal.shelf)
        # Every disk has one role: at work, hot spare or shelf.
        assert sorted(used) == sorted(f"d{n}" for n in range(len(sizes)))
        assert proposal.sentence.endswith(".")
    for a, b in combinations(found.proposals, 2):
        x, y = a.layout, b.layout
        if x.filesystem != y.filesystem or x.grows_by != y.grows_by or x.remains != y.remains:
            continue
        if round(x.speeds.write_iops) != round(y.speeds.write_iops):
            continue
        if (max(map(len, x.groups)) <= 2) != (max(map(len, y.groups)) <= 2):
            continue  # growing a pair at a time is a reason of its own
        assert not (
            x.usable_bytes > y.usable_bytes
            and x.survives_any > y.survives_any
            and x.loss_odds_5y < y.loss_odds_5y / 1.3
        )


def test_a_target_out_of_reach_is_named_with_the_nearest_that_can_be_had() -> None:
    found = find(facts(*[4 * TB] * 4), Wish(survive=1, usable_bytes=20 * TB), CONDITIONS)
    assert found.proposals == ()
    (miss,) = found.misses
    assert miss.target == "usable"
    assert not miss.alone
    assert miss.nearest_value == pytest.approx(12 * TB, rel=0.01)


def test_two_targets_that_stand_in_each_others_way_are_both_named() -> None:
    wish = Wish(survive=3, usable_bytes=15 * TB)
    found = find(facts(*[4 * TB] * 4), wish, CONDITIONS)
    assert {m.target for m in found.misses} == {"survive", "usable"}


def test_budget_bays_and_growth_limit_what_is_proposed() -> None:
    disks = facts(*[4 * TB] * 6)  # 100 each
    cheap = find(disks, Wish(survive=1, budget_minor=40_000), CONDITIONS)
    assert cheap.proposals
    assert all(p.layout.cost_minor <= 40_000 for p in cheap.proposals)
    tight = find(disks, Wish(survive=1, bays=3), CONDITIONS)
    for p in tight.proposals:
        assert sum(map(len, p.layout.groups)) + len(p.hot_spares) <= 3
    slow = find(disks, Wish(survive=1, over_time=True), CONDITIONS)
    assert {p.layout.grows_by for p in slow.proposals} == {"disk"}
    zfs = find(disks, Wish(survive=1, replication=True), CONDITIONS)
    assert {p.layout.filesystem for p in zfs.proposals} == {"zfs"}


def test_refurbished_disks_are_left_for_the_shelf_first() -> None:
    disks = [*facts(*[4 * TB] * 4)]
    disks[1] = DiskFacts(**{**disks[1].__dict__, "condition": "refurbished"})
    three = [
        p
        for p in find(disks, Wish(survive=1), CONDITIONS).proposals
        if sum(map(len, p.layout.groups)) == 3
    ]
    assert three
    for p in three:
        assert "d1" in (*p.shelf, *p.hot_spares)


def test_one_batch_is_spread_over_the_groups() -> None:
    disks = [
        DiskFacts(**{**d.__dict__, "batch": "A" if n < 3 else "B"})
        for n, d in enumerate(facts(*[4 * TB] * 6))
    ]
    mirrors = next(
        x
        for x in layouts(disks, "zfs", CONDITIONS)
        if x.title == "striped mirrors (RAID 10, nested), 3 x 2"
    )
    batch = {d.id: d.batch for d in disks}
    for group in mirrors.groups:
        assert {batch[d] for d in group} == {"A", "B"}


def test_the_slowest_disk_is_named_and_flash_is_not_mixed_in() -> None:
    disks = [
        *facts(4 * TB, 4 * TB),
        *[
            DiskFacts(**{**d.__dict__, "id": f"s{n}", "label": f"S{n}", "kind": "ssd"})
            for n, d in enumerate(facts(TB, TB))
        ],
    ]
    disks[0] = DiskFacts(**{**disks[0].__dict__, "mb_per_s": 90.0})
    found = find(disks, Wish(survive=1), CONDITIONS)
    for p in found.proposals:
        assert {d[0] for g in p.layout.groups for d in g} == {"d"}
        assert any("D0 is the slowest" in note for note in p.notes)
    said = {b.role: b.sentence for b in found.beside}
    assert set(said) == {"vms", "tier", "special", "log", "cache"}
    # What each one's loss takes: the pool, seconds, nothing.
    assert "takes the pool" in said["special"]
    assert "24 GB for these disks (enough)" in said["special"]  # 0.3 % of 8 TB
    assert "only if power fails at that moment" in said["log"]
    assert "Its loss takes nothing" in said["cache"]


def test_twenty_four_disks_are_the_most() -> None:
    with pytest.raises(ValueError, match="from 1 to 24 disks, not 25"):
        find(facts(*[TB] * 25), Wish(), Conditions())


def test_progress_comes_family_by_family() -> None:
    heard: list[tuple[float, str]] = []

    def tell(share: float, word: str) -> bool:
        heard.append((share, word))
        return True

    found = find(facts(*[4 * TB] * 3), Wish(), CONDITIONS, tell)
    count = len(FAMILIES)
    assert [share for share, _ in heard] == [n / count for n in range(1, count + 1)]
    assert heard[-1][1] == f"{found.weighed:,} layouts weighed"
