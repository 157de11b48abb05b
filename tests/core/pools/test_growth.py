"""Years ahead, ways of buying, what to buy, and the cheapest plan against brute force."""

from dataclasses import replace
from itertools import combinations_with_replacement, product

import pytest

from kavrel.core.bench.capacity import labelled_bytes
from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.space import stored_on
from kavrel.core.filesystems.zfs import efficiency
from kavrel.core.index import Index
from kavrel.core.plan import Offer, Plan, Pool, Retention
from kavrel.core.pools import room
from kavrel.core.pools.buying import buy
from kavrel.core.pools.facts import DiskFacts
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.finder import Wish
from kavrel.core.pools.growth import Growth, drifted, growth, offers_for
from kavrel.core.pools.loss import odds_of, risks
from kavrel.core.pools.options import grouped
from kavrel.core.pools.pool import pool_states
from kavrel.core.pools.purchase import PurchasePlan, purchase_plan, standing_of, widths_bought
from kavrel.core.pools.strategies import strategies
from kavrel.core.pools.survival import outlives
from kavrel.core.pools.taken import Need, Stored
from tests.builders import CONDITIONS, TB, TODAY, assume, disk, facts, job, lab

OFFERS = tuple(
    Offer(
        id=f"o{tb}",
        label=f"{tb} TB",
        capacity_bytes=labelled_bytes(tb * 1000),
        price_minor=price,
    )
    for tb, price in ((4, 9_000), (8, 16_000), (16, 30_000))
)


def growing(**more: object) -> Plan:
    """The lab with 4 TB of data that grow by 1 TB a year, and a price list."""
    data = lab().datasets[0].model_copy(update={"size_bytes": 4 * TB, "growth_bytes_per_year": TB})
    return lab(datasets=(data,), offers=OFFERS, **more)


def ahead(plan: Plan, pool: str = "main", years: int = 10) -> Growth:
    index = Index(plan)
    state = pool_states(index)[pool]
    return growth(index, index.pools[pool], state.layout, Stored(), TODAY, years)


def test_marks_are_passed_when_the_need_reaches_them() -> None:
    found = ahead(growing())
    usable = found.usable_bytes  # raidz1 of 3 x 4 TB
    for on, share in ((found.warn_on, 0.8), (found.slow_on, 0.9), (found.full_on, 1.0)):
        years = (usable * share - 4 * TB) / TB
        assert on is not None
        assert abs((on - TODAY).days - years * 365.25) <= 1
    assert [p.years for p in found.points][:3] == [0.0, 0.25, 0.5]
    assert found.points[-1].need_bytes == 14 * TB


def test_without_growth_no_mark_is_passed() -> None:
    found = ahead(lab(offers=OFFERS))
    assert (found.warn_on, found.full_on) == (None, None)


def test_ways_to_grow_are_priced_at_the_prices_of_that_date() -> None:
    found = ahead(growing(assumptions=assume(price_drift=-0.1)))
    assert found.warn_on is not None
    due = (found.warn_on - TODAY).days / 365.25
    ways = {e.what: e for e in found.enlargements}
    group = ways["add a group of 3 x 8 TB"]
    assert group.cost_minor == pytest.approx(3 * 16_000 * 0.9**due, rel=1e-3)
    assert drifted(100_00, -0.1, 2.0) == 81_00
    one_by_one = ways["replace 3 one by one with 8 TB"]
    assert "after the last" in one_by_one.caution
    assert one_by_one.disks_bought == 3
    assert one_by_one.usable_bytes == pytest.approx(2 * found.usable_bytes, rel=0.02)


def test_a_widened_raidz_group_keeps_old_blocks_at_the_old_ratio() -> None:
    found = ahead(growing())
    wide = next(e for e in found.enlargements if e.what == "widen a group by one 4 TB")
    pool = lab().pools[0]
    four = room.usable_bytes("raidz1", ((disk(1).capacity_bytes,) * 4,), "zfs", 12, 131_072)
    used = found.usable_bytes * 0.8  # it is due at the mark
    old, new = efficiency(131_072, 3, 1, 12), efficiency(131_072, 4, 1, 12)
    lost = used * (new / old - 1)
    assert pool.record_kib == 128
    assert wide.usable_bytes == pytest.approx(four - lost, rel=0.01)
    assert wide.usable_bytes < four


def test_a_span_grows_a_disk_at_a_time() -> None:
    plan = growing(
        pools=(
            Pool(
                id="main",
                name="main",
                host="box",
                family="span",
                filesystem="ext4",
                groups=(("box1", "box2", "box3"),),
            ),
        )
    )
    ways = {e.what: e for e in ahead(plan).enlargements}
    assert ways["add one 16 TB"].gained_bytes == pytest.approx(16 * TB, rel=0.06)
    assert ways["add one 16 TB"].disks_bought == 1


def test_without_a_price_list_a_disk_like_its_own_is_taken() -> None:
    index = Index(lab())
    (only,) = offers_for(index, index.pools["main"])
    assert only.label == "disk like box 1"
    assert only.price_minor == 10_000


# --- ways of buying ----------------------------------------------------------------------------


def bought() -> list[DiskFacts]:
    return [
        replace(f, id=o.id, label=o.label, price_minor=o.price_minor)
        for f, o in zip(facts(*(o.capacity_bytes for o in OFFERS)), OFFERS, strict=True)
    ]


def test_each_strategy_has_room_before_it_is_needed_and_money_only_rises() -> None:
    need = Need(6 * TB, 2 * TB)
    for found in strategies(Index(lab()), bought(), need, 5, 12, CONDITIONS):
        assert found.runs_out is None
        spent = [p.spent_minor for p in found.points]
        assert spent == sorted(spent)
        assert found.total_minor == spent[-1]
        for point in found.points:
            assert point.usable_bytes >= point.need_bytes, (found.id, point.years)
        assert 0 <= found.odds <= 1


def test_a_span_costs_least_today_and_is_lost_most_often() -> None:
    found = {
        s.id: s for s in strategies(Index(lab()), bought(), Need(3 * TB, TB), 5, 12, CONDITIONS)
    }
    assert found["span_shelf"].today_minor < found["all_now"].today_minor
    assert found["span_shelf"].odds > found["all_now"].odds
    # Half of the span's disks are on the shelf.
    assert found["span_shelf"].disks % 2 == 0


def test_too_few_bays_are_told() -> None:
    # What never holds the need is left out; what will not hold it later says when.
    assert strategies(Index(lab()), bought(), Need(200 * TB, 0), 3, 4, CONDITIONS) == []
    later = strategies(Index(lab()), bought(), Need(4 * TB, 20 * TB), 3, 4, CONDITIONS)
    assert later
    assert all(s.runs_out for s in later)


# --- what to buy -------------------------------------------------------------------------------


def cheapest(wish: Wish, most: int) -> int | None:
    """Least money over all baskets of up to `most` disks of at most two kinds: brute force."""
    best = None
    offers = bought()
    for count in range(1, most + 1):
        for basket in combinations_with_replacement(offers, count):
            if len({o.id for o in basket}) > 2:
                continue
            cost = sum(o.price_minor for o in basket)
            if best is not None and cost >= best:
                continue
            disks = [replace(o, id=f"{o.id}-{n}") for n, o in enumerate(basket)]
            for family in FAMILIES.values():
                for widths in family.groupings(count):
                    if outlives(family, widths) < wish.survive:
                        continue
                    groups = grouped(disks, widths, family.parity_last)
                    sizes = tuple(tuple(d.capacity_bytes for d in g) for g in groups)
                    if family.complaint(sizes) or (wish.filesystem or "") not in family.filesystems:
                        continue
                    usable = room.usable_bytes(family.id, sizes, wish.filesystem or "", 12, 131_072)
                    if usable >= wish.usable_bytes:
                        best = cost
    return best


@pytest.mark.parametrize("tb", [3, 7, 12, 20])
@pytest.mark.parametrize(("survive", "filesystem"), [(1, "zfs"), (2, "xfs"), (1, "btrfs")])
def test_the_first_basket_is_the_cheapest_there_is(tb: int, survive: int, filesystem: str) -> None:
    wish = Wish.model_validate(
        {"survive": survive, "usable_bytes": tb * TB, "filesystem": filesystem, "bays": 5}
    )
    found = buy(bought(), {}, [], wish, CONDITIONS)
    expected = cheapest(wish, 5)
    assert (found.baskets[0].cost_minor if found.baskets else None) == expected


def test_disks_at_hand_are_used_where_they_help() -> None:
    wish = Wish(survive=1, usable_bytes=7 * TB, filesystem="zfs")
    alone = buy(bought(), {}, [], wish, CONDITIONS).baskets[0]
    helped = buy(bought(), {}, facts(labelled_bytes(8000)), wish, CONDITIONS).baskets[0]
    assert helped.cost_minor < alone.cost_minor
    assert helped.uses == ("D0",)


def test_what_cannot_be_bought_says_what_could() -> None:
    found = buy(bought(), {}, [], Wish(survive=2, usable_bytes=90 * TB, bays=4), CONDITIONS)
    assert found.baskets == ()
    assert "in 4 bays" in found.why_not
    assert buy([], {}, [], Wish(), CONDITIONS).why_not.startswith("there is no price list")


# --- the cheapest plan -------------------------------------------------------------------------


def brute_force_plan(need: Need, years: int, bays: int, accepted: float) -> int | None:
    """Least money over all ways to buy up to two groups of one family in any two quarters."""
    offers = bought()
    quarters = range(years * 4)
    best = None
    makes = [
        (
            family,
            width,
            offer,
            room.usable_bytes(family, ((offer.capacity_bytes,) * width,), "zfs", 12, 131_072),
        )
        for family, width in widths_bought()
        for offer in offers
        if width <= bays
    ]
    options: list[tuple[tuple[int, int], ...]] = [()]
    singles = [((m, q),) for m in range(len(makes)) for q in quarters]
    options = [*singles, *((a[0], b[0]) for a, b in product(singles, singles) if a[0] <= b[0])]
    for option in options:
        chosen = [(makes[m], q) for m, q in option]
        if len({c[0][0] for c in chosen}) > 1 or sum(c[0][1] for c in chosen) > bays:
            continue
        cost = sum(
            drifted(c[0][2].price_minor, -0.05, q / 4) * c[0][1]
            for c, q in ((c, c[1]) for c in chosen)
        )
        if best is not None and cost >= best:
            continue
        enough = all(
            sum(c[0][3] for c in chosen if c[1] <= q) >= need.at((q + 1) / 4) / 0.8
            for q in quarters
        )
        if not enough:
            continue
        kept = 1.0
        for (family, width, offer, _), q in chosen:
            kept *= 1 - odds_of(
                risks(FAMILIES[family], [[offer] * width], "none", CONDITIONS), years - q / 4
            )
        if 1 - kept <= accepted:
            best = cost
    return best


@pytest.mark.parametrize(
    ("need", "accepted"),
    [
        (Need(3 * TB, TB), 1.0),
        (Need(3 * TB, TB), 0.05),
        (Need(5 * TB, 6 * TB), 0.001),
        (Need(2 * TB, 0), 0.0005),
    ],
)
def test_the_solved_plan_is_the_cheapest_of_all(need: Need, accepted: float) -> None:
    found = purchase_plan(bought(), {}, need, 1, 7, 0.8, -0.05, accepted, CONDITIONS)
    assert found.possible
    assert found.proven
    assert found.cost_minor == brute_force_plan(need, 1, 7, accepted)
    assert found.odds <= accepted
    assert found.bound_minor <= found.cost_minor


def test_a_plan_that_cannot_be_says_which_limit_is_in_the_way() -> None:
    def why(need: Need, accepted: float) -> str:
        plan = purchase_plan(bought(), {}, need, 2, 4, 0.8, 0.0, accepted, CONDITIONS)
        assert not plan.possible
        return plan.why_not

    assert "4 bays hold at most" in why(Need(200 * TB, 0), 1.0)
    assert "lowest odds" in why(Need(10 * TB, 0), 1e-12)


def test_scarce_offers_are_not_oversold() -> None:
    found = purchase_plan(
        bought(), {"o4": 2, "o8": 2, "o16": 2}, Need(3 * TB, 0), 2, 8, 0.8, 0.0, 1.0, CONDITIONS
    )
    assert found.possible
    assert all(p.disks <= 2 for p in found.purchases)


def test_growth_of_a_replica_counts_with_its_dataset() -> None:
    plan = growing(jobs=(job("r", kind="replication", target_pool="second"),))
    index = Index(plan)
    stored = stored_on(CopyBook(index, pool_states(index), TODAY))["second"]
    assert stored == Stored(4 * TB, TB)
    layout = pool_states(index)["second"].layout
    found = growth(index, index.pools["second"], layout, stored, TODAY, 10)
    assert (found.now_bytes, found.a_year_bytes) == (4 * TB, TB)


def test_what_a_job_leaves_out_does_not_grow_on_its_target() -> None:
    halved = job(
        "r",
        kind="mirror",
        target_pool="second",
        left_out=("*.tmp",),
        left_out_share=0.5,
        retention=Retention(),
    )
    index = Index(growing(jobs=(halved,)))
    stored = stored_on(CopyBook(index, pool_states(index), TODAY))["second"]
    assert stored == Stored(2 * TB, TB // 2)


# --- from what there is --------------------------------------------------------------------------


def test_no_more_disks_are_proposed_than_there_are_bays() -> None:
    def most(bays: int) -> int:
        hosts = tuple(h.model_copy(update={"bays_35": bays}) for h in lab().hosts)
        ways = ahead(growing(hosts=hosts)).enlargements
        # What takes the place of old disks needs no bay of its own.
        return max((w.disks_bought for w in ways if "one by one" not in w.what), default=0)

    assert most(6) == 3
    assert most(5) == 1  # a group of three does not go in
    assert most(3) == 0


def test_the_pool_that_stands_counts_in_the_plan_of_purchases() -> None:
    six = [facts(*[4 * TB] * 3)]
    standing = standing_of("raidz1", 8 * TB, 3, risks(FAMILIES["raidz1"], six, "zfs", CONDITIONS))

    def plan(need: Need, bays: int = 9) -> PurchasePlan:
        return purchase_plan(bought(), {}, need, 2, bays, 0.8, 0.0, 0.02, CONDITIONS, standing)

    enough = plan(Need(4 * TB, TB))
    assert (enough.possible, enough.cost_minor, enough.purchases) == (True, 0, ())
    assert enough.odds > 0
    more = plan(Need(6 * TB, 2 * TB))
    anew = purchase_plan(bought(), {}, Need(6 * TB, 2 * TB), 2, 9, 0.8, 0.0, 0.02, CONDITIONS)
    assert 0 < more.cost_minor < anew.cost_minor
    assert all("RAIDZ1" in p.what for p in more.purchases)
    assert "in the 2 bays that are free" in plan(Need(6 * TB, 2 * TB), bays=5).why_not


def test_strategies_begin_with_the_disks_there_are() -> None:
    need, have = Need(6 * TB, TB), facts(*[8 * TB] * 4)
    anew = {s.id: s for s in strategies(Index(lab()), bought(), need, 3, 8, CONDITIONS)}
    found = {s.id: s for s in strategies(Index(lab()), bought(), need, 3, 8, CONDITIONS, have)}
    assert found["mirrors"].today_minor == 0
    assert found["mirrors"].odds > 0  # nothing to buy is not nothing to lose
    assert found["mirrors"].total_minor < anew["mirrors"].total_minor
    # In four bays they last until the need is past the mark, and not shorter.
    small = strategies(Index(lab()), bought(), Need(6 * TB, 2 * TB), 8, 4, CONDITIONS, have)
    bare = [s for s in small if s.runs_out is not None and not s.total_minor]
    assert bare
    for s in bare:
        room_now = s.points[0].usable_bytes
        assert s.runs_out == pytest.approx((room_now * 0.8 / TB - 6) / 2, abs=0.01)
