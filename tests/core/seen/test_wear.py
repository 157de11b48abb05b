"""Wear and growth by what was read: which disk is in danger, and when measured growth counts.

The factors are those of FAST 2007, value from memory; see `core/seen/assumptions.py`.
"""

import pytest

from kavrel.core.evaluate import evaluate
from kavrel.core.index import Index
from kavrel.core.plan import AssumptionValue, Disk, Plan
from kavrel.core.seen.grown import grown
from kavrel.core.seen.wear import Reading, Wear, wear_of
from tests.builders import GB, TODAY, dataset, disk, lab

DAY = 86_400.0
YEAR = 365.25 * DAY


def of(*readings: Reading, kind: str = "hdd", **plan: object) -> Wear:
    one = disk(1, serial="H1", kind=kind, form="3.5" if kind == "hdd" else "2.5")
    made = lab(disks=(one, *lab().disks[1:]), **plan)
    return next(w for w in wear_of(Index(made), {"H1": readings}) if w.serial == "H1")


def reading(day: float, **counts: object) -> Reading:
    return Reading.model_validate({"seen_at": day * DAY, **counts})


def test_a_disk_that_says_nothing_is_unknown_and_not_well() -> None:
    found = of()
    assert (found.level, found.rate, found.change) == ("unknown", None, None)


def test_the_first_sectors_make_it_likelier_to_die_by_the_published_factor() -> None:
    found = of(reading(0, pending=0, reallocated=0), reading(60, pending=0, reallocated=3))
    assert found.level == "replace"
    assert "growing: reallocated" in found.why
    assert found.rate == pytest.approx(1 - (1 - 0.014) ** 14)
    assert found.change
    assert found.change.item["yearly_failure_rate"] == pytest.approx(found.rate, abs=1e-4)
    still = of(reading(0, reallocated=3), reading(60, reallocated=3))
    assert (still.level, still.slopes["reallocated"]) == ("watch", 0.0)


def test_the_worst_of_several_counts_and_the_factor_can_be_switched_off() -> None:
    bad = (reading(0), reading(30, uncorrectable=1, pending=2, reallocated=9))
    assert of(*bad).rate == pytest.approx(1 - (1 - 0.014) ** 39)
    off = tuple(
        AssumptionValue(id=f"wear_{k}", value=1)
        for k in ("uncorrectable", "pending", "reallocated")
    )
    found = of(*bad, assumptions=off)
    assert found.rate == pytest.approx(0.014)
    assert found.change is None


def test_a_disk_that_failed_its_own_test_goes_before_a_sector_is_counted() -> None:
    found = of(reading(0, pending=0, healthy=True, failed_tests=1))
    assert (found.level, found.why[:24]) == ("replace", "one of its own tests fai")
    assert of(reading(0, failed_tests=1), reading(30, failed_tests=0)).level == "well", (
        "a later one went well"
    )


def test_taken_over_it_is_the_rate_that_the_odds_reckon_with() -> None:
    found = of(reading(0, pending=0), reading(60, pending=8))
    assert found.change
    plan = lab(disks=(disk(1, serial="H1"), *lab().disks[1:]))
    after = found.change
    worn = Disk.model_validate(after.item)
    changed = plan.model_copy(update={"disks": (worn, *plan.disks[1:])})

    def odds(p: Plan) -> float:
        return evaluate(p, TODAY).strip.loss_odds_5y

    assert odds(changed) > odds(plan) * 1.5


def test_cables_heat_worn_flash_and_the_disks_own_word() -> None:
    assert "cable" in of(reading(0, crc=1), reading(9, crc=40)).why
    assert "more air" in of(reading(0, temperature=58)).why
    assert of(reading(0, healthy=False)).level == "replace"
    worn = of(reading(0, wear_percent=86), kind="ssd")
    assert (worn.level, "86 %" in worn.why) == ("replace", True)
    assert of(reading(0, pending=0, crc=5)).level == "well"


def test_the_most_dangerous_stands_first() -> None:
    disks = tuple(disk(n, serial=f"H{n}") for n in (1, 2, 3))
    plan = lab(disks=(*disks, *lab().disks[3:]))
    told = {
        "H1": [reading(0, pending=0)],
        "H2": [reading(0, pending=0), reading(9, pending=5)],
        "H3": [reading(0, temperature=60)],
    }
    rows = wear_of(Index(plan), told)
    assert [w.serial for w in rows][:3] == ["H2", "H3", "H1"]


def test_growth_counts_once_it_was_measured_for_two_weeks() -> None:
    plan = lab(datasets=(dataset(size_bytes=100 * GB, growth_bytes_per_year=0),))
    index = Index(plan)
    key = ("datasets", plan.datasets[0].id)
    fills = [(n * 7 * DAY, 100 * GB + n * 2 * GB) for n in range(5)]
    (row,) = grown(index, {key: fills})
    # Two GB a week are 104 a year.
    assert row.measured_bytes_per_year == pytest.approx(2 * GB * YEAR / (7 * DAY), rel=1e-6)
    assert row.working.value == row.measured_bytes_per_year
    assert [w.value for w in row.working.inputs] == [0, *(used for _, used in fills)]
    assert row.change
    assert row.change.item["growth_bytes_per_year"] == row.measured_bytes_per_year
    assert row.change.item["size_bytes"] == 108 * GB
    (early,) = grown(index, {key: fills[:2]})
    assert (early.measured_bytes_per_year, early.change) == (None, None)
    assert grown(index, {}) == []
