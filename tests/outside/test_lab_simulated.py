"""A small lab lived through by a simulation of its own, which knows neither the model nor its tables.

Walks day by day in plain Python what happens to one dataset: fire, theft, a dead box, deletions and
malware come at random, backups run on their days and are pruned by hand-written rules. Compared with
the lifetimes' shares within four standard errors. Common practice, no source.
"""

import math
import random
from datetime import date

import pytest

from kavrel.core.plan import Plan, Retention
from kavrel.core.proof.lab import DatasetLives, lab_lives
from tests.builders import TODAY, assume, daily, job, lab

YEARS, DAYS = 5, 5 * 365.25
RUNS = 6_000
RATES = {"fire_rate": 0.05, "theft_rate": 0.05, "box_rate": 0.1, "malware_rate": 0.6}
# What the walk below does not know does not happen.
QUIET = {
    "malware_credentials_share": 1.0,
    "deletion_rate": 0.0,
    "corruption_rate": 0.0,
    "power_cut_rate": 0.0,
    "silent_failure_rate": 0.0,
    "untested_bad_share": 0.0,
    "tested_bad_share": 0.0,
    "key_lost_rate": 0.0,
    "late_replacement_odds": 0.0,
    "hdd_failure_rate": 0.0001,
    "latent_errors_per_year": 0.0,
}


def arrivals(luck: random.Random, rate_a_year: float) -> list[float]:
    """Days on which a Poisson process strikes within the five years."""
    found, at = [], 0.0
    while rate_a_year:
        at += luck.expovariate(rate_a_year / 365.25)
        if at > DAYS:
            break
        found.append(at)
    return found


def whole(plan: Plan) -> DatasetLives:
    return lab_lives(plan, TODAY, YEARS, 40_000).datasets[0]


def close(ours: float, walked: float) -> None:
    error = math.sqrt(max(walked * (1 - walked), 1e-4) * (1 / RUNS + 1 / 40_000))
    assert abs(ours - walked) < 4 * error, (ours, walked)


def test_a_disk_on_the_shelf_written_every_month_against_malware_seen_two_days_later() -> None:
    shelf = job(
        "disk",
        kind="shelf",
        target_disk="loose9",
        credentials="hand",
        schedule=daily(every=30, start=date(2025, 1, 1)),
        retention=Retention(last=1),
    )
    plan = lab(jobs=(shelf,), assumptions=assume(**QUIET, **RATES, malware_notice_days=2))
    luck, lost = random.Random(3), 0
    for _ in range(RUNS):
        gone = False
        # The shelf is in the same house: a fire takes both; a thief who comes for one of them
        # leaves the other, a dead box leaves the disk.
        gone |= bool(arrivals(luck, RATES["fire_rate"]))
        turn = luck.random() * 30
        for struck in arrivals(luck, RATES["malware_rate"]):
            # The disk is written over on its day; encrypted files are on it from then on.
            next_write = turn + 30 * math.ceil((struck - turn) / 30)
            gone |= struck < next_write <= struck + 2
        lost += gone
    # A theft of box and disk within the days that a box takes to replace is rarer than a run shows.
    close(whole(plan).whole_odds, lost / RUNS)


@pytest.mark.parametrize("keep_days", [10, 25])
def test_nightly_versions_against_deletions_noticed_at_random(keep_days: int) -> None:
    nightly = job("n", kind="backup", target_pool="second", retention=Retention(all_days=keep_days))
    rates = {**QUIET, "deletion_rate": 1.0, "deleted_notice_days": 14.0}
    quiet = {"fire_rate": 0.0, "theft_rate": 0.0, "box_rate": 0.0, "malware_rate": 0.0}
    plan = lab(jobs=(nightly,), assumptions=assume(**{**rates, **quiet}))
    luck, lost = random.Random(4), 0
    for _ in range(RUNS):
        for deleted in arrivals(luck, 1.0):
            noticed = deleted + luck.expovariate(1 / 14.0)
            last_night = math.floor(deleted)  # the newest point from before it
            if last_night + keep_days <= noticed:
                lost += 1
                break
    close(whole(plan).part_odds, lost / RUNS)
