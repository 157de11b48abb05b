"""A pool lost and a file damaged are two things, and spares, wear and fill count as they are."""

from dataclasses import replace

import pytest

from kavrel.core.index import Index
from kavrel.core.plan import Plan
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.loss import damage_at_most, damage_of, latent_error, odds_of, risks
from kavrel.core.pools.odds import hourly_rate
from kavrel.core.pools.pool import disk_facts, fitting_spares, pool_conditions, scrub_days
from tests.builders import CONDITIONS, GB, TB, assume, daily, dataset, disk, facts, job, lab, result

SIX = facts(*[8 * TB] * 6)


def test_an_unreadable_sector_does_not_lose_the_pool() -> None:
    # Six 8 TB disks in single parity, notice 12 h, order 48 h, rebuild by hand: (n(n-1)/2) pairs
    # that die within one window, at -ln(1 - 0.014) a year each. Common practice, no source.
    found = risks(FAMILIES["raid5"], [SIX], "none", CONDITIONS)
    window = found[0].repair_hours
    rate = hourly_rate(0.014)
    by_hand = 6 * rate * 5 * 8766 * (5 * rate * window)
    assert odds_of(found, 5.0) == pytest.approx(by_hand, rel=0.05)
    # One in thousands; by the data sheet's 10^-14 a file is damaged in one of three lives.
    assert 1 / 5_000 < odds_of(found, 5.0) < 1 / 3_000
    assert damage_at_most(found, 5.0) == pytest.approx(1 / 3, abs=0.05)


def test_a_damaged_file_rests_on_what_scrubs_see() -> None:
    # Five readers, 1.3 % of disks a year, half of 90 days: 1 - exp(-5 x 0.013 x 45 / 365.25).
    assert latent_error(FAMILIES["raid5"], SIX, CONDITIONS) == pytest.approx(0.00798, rel=0.01)
    found = risks(FAMILIES["raid5"], [SIX], "none", CONDITIONS)
    # 0.42 repairs in five years, each with those odds.
    assert damage_of(found, 5.0) == pytest.approx(6 * 0.0141 * 5 * 0.00798, rel=0.03)
    assert damage_of(found, 5.0) < damage_at_most(found, 5.0) / 50
    assert damage_of(risks(FAMILIES["raid6"], [SIX], "none", CONDITIONS), 5.0) < 1e-4


def test_the_strip_and_the_layout_say_both() -> None:
    found = result(lab())
    layout = found.pools[0].layout
    assert layout.loss_odds_5y < layout.damage_at_most_5y
    assert layout.damage_odds_5y <= layout.damage_at_most_5y
    assert found.strip.damage_odds_5y > 0
    names = [s.name for s in found.strip.odds.working.inputs]
    assert names[-1].startswith("apart from that: a file damaged")


def test_an_emptier_pool_rebuilds_sooner_and_reads_less() -> None:
    little = lab(datasets=(dataset(size_bytes=100 * GB),))
    much = lab(datasets=(dataset(size_bytes=7000 * GB),))

    def both(plan: Plan) -> tuple[float, float]:
        layout = result(plan).pools[0].layout
        return layout.loss_odds_5y, layout.damage_odds_5y

    assert both(little)[0] < both(much)[0]
    assert both(little)[1] < both(much)[1] / 5


def test_a_spare_is_there_once_and_only_where_it_fits() -> None:
    one = replace(CONDITIONS, shelf_spares=1)
    alone = odds_of(risks(FAMILIES["raidz1"], [SIX], "zfs", one), 5.0)
    # Beside twenty groups that fail often the one spare is gone a quarter of the time.
    worn = facts(*[8 * TB] * 6, yearly_failure_rate=0.3)
    crowd = risks(FAMILIES["raidz1"], [SIX, *[worn] * 20], "zfs", one)
    none = odds_of(risks(FAMILIES["raidz1"], [SIX], "zfs", CONDITIONS), 5.0)
    assert alone < crowd[0].odds(5.0) < none
    assert crowd[0].odds(5.0) > 1.2 * alone
    # Two pools with one disk on the shelf: each knows that the other may take it.
    index = Index(lab())
    both = [pool_conditions(index, p) for p in index.plan.pools]
    shared = [c for c in both if c.shelf_spares]
    if len(shared) > 1:
        assert all(c.others_per_hour > 0 for c in shared)


@pytest.mark.parametrize(
    "changed",
    [{"capacity_bytes": 3 * TB}, {"kind": "ssd"}, {"shelf": "away"}, {"holds_data": True}],
)
def test_a_disk_that_is_too_small_of_another_kind_or_elsewhere_is_no_spare(
    changed: dict[str, object],
) -> None:
    def spares(plan: Plan) -> list[str]:
        index = Index(plan)
        return [d.id for d in fitting_spares(index, index.pools["main"])[1]]

    assert spares(lab()) == ["loose9"]
    disks = tuple(d.model_copy(update=changed) if d.id == "loose9" else d for d in lab().disks)
    assert spares(lab().model_copy(update={"disks": disks})) == []


def test_flash_has_rates_of_its_own_and_wears() -> None:
    index = Index(lab())
    fresh = disk_facts(index, disk(1, kind="ssd"))
    worn = disk_facts(index, disk(1, kind="ssd", wear_percent=100))
    assert fresh.yearly_failure_rate == pytest.approx(0.010)
    assert worn.yearly_failure_rate == pytest.approx(3 * 0.010)
    assert fresh.latent_errors_per_year == pytest.approx(0.06)
    assert disk_facts(index, disk(1)).latent_errors_per_year == pytest.approx(0.013)
    own = Index(lab(assumptions=assume(ssd_worn_factor=1, ssd_latent_errors_per_year=0.2)))
    assert disk_facts(own, disk(1, kind="ssd", wear_percent=100)).yearly_failure_rate == 0.010
    # What was measured for this very disk stands.
    assert disk_facts(
        index, disk(1, kind="ssd", wear_percent=100, yearly_failure_rate=0.02)
    ).yearly_failure_rate == pytest.approx(0.02)


def test_a_scrub_counts_where_somebody_scrubs() -> None:
    index = Index(lab())
    assert scrub_days(index, index.pools["main"]) == 90  # ZFS: the upkeep that every pool gets
    weekly = job("s", kind="scrub", datasets=(), pool="main", schedule=daily(every=7))
    index = Index(lab(jobs=(weekly,)))
    assert scrub_days(index, index.pools["main"]) == pytest.approx(7, abs=0.1)
    md = lab().pools[0].model_copy(update={"family": "raid5", "filesystem": "ext4"})
    index = Index(lab().model_copy(update={"pools": (md, *lab().pools[1:])}))
    assert scrub_days(index, md) is None
    assert not pool_conditions(index, md).scrubbed
    assert pool_conditions(index, md).scrub_days > 1800
