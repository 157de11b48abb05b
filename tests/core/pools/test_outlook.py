"""What one change buys: ranked, each figure the chain's own, and the lifetimes beside it."""

import pytest

from kavrel.core.index import Index
from kavrel.core.plan import Plan
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.loss import odds_of, risks
from kavrel.core.pools.outlook import Outlook, outlook
from kavrel.core.pools.pool import pool_conditions, pool_groups
from tests.builders import TODAY, assume, disk, lab


def looked(plan: Plan, *pools: str, years: float = 5.0, runs: int = 20_000) -> Outlook:
    index = Index(plan)
    chosen = [index.pools[p] for p in pools] or list(plan.pools)
    return outlook(index, chosen, years, runs, {}, TODAY)


def test_the_curve_rises_and_ends_at_the_horizon() -> None:
    found = looked(lab(), "main", years=7.0)
    assert [y.year for y in found.curve] == [1, 2, 3, 4, 5, 6, 7]
    chain = [y.chain for y in found.curve]
    assert chain == sorted(chain)
    assert chain[-1] == found.odds
    for year in found.curve:
        assert year.low <= year.lifetimes <= year.high


def test_changes_are_ranked_by_what_they_avoid_and_each_is_the_chain_with_it() -> None:
    found = looked(lab(), "main")
    avoided = [c.avoided for c in found.changes]
    assert avoided == sorted(avoided, reverse=True)
    for change in found.changes:
        assert change.odds == pytest.approx(found.odds - change.avoided)
    named = {c.what: c for c in found.changes}
    index = Index(lab())
    pool = index.pools["main"]
    groups = [[*g, g[0]] for g in pool_groups(index, pool)]
    expected = odds_of(risks(FAMILIES["raidz2"], groups, "zfs", pool_conditions(index, pool)), 5.0)
    assert named["one more disk for redundancy in each group"].odds == pytest.approx(expected)
    assert named["one more disk for redundancy in each group"].cost_minor == 10_000


def test_over_all_pools_a_change_to_one_leaves_the_others() -> None:
    every = looked(lab())
    alone = looked(lab(), "second")
    assert every.odds > alone.odds
    assert all(c.what.startswith(("main: ", "second: ")) for c in every.changes)
    best = next(c for c in every.changes if c.what.startswith("main: one more disk"))
    assert best.odds >= alone.odds


def test_a_spare_on_the_shelf_is_not_proposed_where_there_is_one() -> None:
    # The lab has one loose disk of the right size.
    assert "a spare on the shelf" not in {c.what for c in looked(lab(), "main").changes}
    none = lab(disks=lab().disks[:-1])
    assert "a spare on the shelf" in {c.what for c in looked(none, "main").changes}


def test_worn_disks_and_shingled_ones_are_named() -> None:
    changed = tuple(
        disk(2, condition="refurbished")
        if d.id == "box2"
        else disk(3, recording="smr")
        if d.id == "box3"
        else d
        for d in lab().disks
    )
    named = {c.what for c in looked(lab(disks=changed), "main").changes}
    assert "new disks for box 2" in named
    assert "no shingled disks" in named


def test_assumptions_of_the_plan_move_the_odds() -> None:
    calm = looked(lab(assumptions=assume(hdd_failure_rate=0.005)), "main")
    wild = looked(lab(assumptions=assume(hdd_failure_rate=0.08)), "main")
    assert wild.odds > looked(lab(), "main").odds > calm.odds
    named = {s.assumption for s in wild.working.inputs if s.assumption}
    assert {"hdd_failure_rate", "weibull_shape", "bad_batch_odds", "scrub_days"} <= named
