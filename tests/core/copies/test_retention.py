from datetime import UTC, datetime, timedelta
from itertools import pairwise
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.copies.retention import (
    FOREVER,
    ages,
    existing,
    keep,
    losses,
    rulings,
)
from kavrel.core.copies.rules import in_words, keeps_nothing
from kavrel.core.plan import Retention, Window
from kavrel.core.quantities import DAY


def worst_of(*args: Any) -> float | None:
    """The worst of the losses."""
    found = losses(*args)
    return found.worst if found else None


START = datetime(2026, 1, 1, 2, 0, tzinfo=UTC).timestamp()


def nightly(count: int, lasting: float = 600.0) -> tuple[tuple[float, float], ...]:
    """Points every night at 02:00 UTC, each complete after so many seconds."""
    return tuple((START + n * DAY, START + n * DAY + lasting) for n in range(count))


FORMATS = {
    "hourly": "%Y-%m-%d %H",
    "daily": "%Y-%m-%d",
    "weekly": "%G-%V",
    "monthly": "%Y-%m",
    "yearly": "%Y",
}


def stays(points: list[float], rules: Retention, zone: str, now: float) -> list[float]:
    """What one pruning leaves of points in order of time, worked out rule by rule."""
    kept = set(points[-rules.last :]) if rules.last else set()
    kept |= {p for p in points if p + rules.all_days * DAY > now}
    for name, form in FORMATS.items():
        wanted, seen, before = getattr(rules, name), "", set(kept)
        for point in reversed(points):
            bucket = datetime.fromtimestamp(point, ZoneInfo(zone)).strftime(form)
            if wanted and bucket != seen and point not in before:
                kept.add(point)
                wanted -= 1
            seen = bucket
    return [p for p in points if p in kept or p == points[-1]]


def oracle(
    moments: tuple[tuple[float, float], ...], rules: Retention, zone: str, at: float
) -> set[float]:
    """What is there at an instant when every run prunes, and time prunes what grows too old."""
    points: list[float] = []
    for data, done in moments:
        if done <= at:
            points = stays([*points, data], rules, zone, done)
    return set(stays(points, rules, zone, at)) if points else set()


RULES = st.builds(
    Retention,
    all_days=st.integers(0, 20),
    last=st.integers(0, 10),
    hourly=st.integers(0, 5),
    daily=st.integers(0, 8),
    weekly=st.integers(0, 5),
    monthly=st.integers(0, 4),
    yearly=st.integers(0, 2),
).filter(lambda r: not keeps_nothing(r))


@given(RULES, st.integers(1, 90), st.sampled_from([3.0, 8.0, 24.0, 61.0]))
@settings(max_examples=100, deadline=None)
def test_pruning_is_what_a_plain_oracle_finds(rules: Retention, count: int, hours: float) -> None:
    moments = tuple(
        (START + n * hours * 3600, START + n * hours * 3600 + 900) for n in range(count)
    )
    for zone in ("UTC", "America/New_York"):
        points = keep(moments, rules, zone)
        for at in (moments[-1][1], moments[count // 2][1] + 60):
            found = {p.data_time for p in existing(points, at)}
            assert found == oracle(moments, rules, zone, at)


def test_seven_daily_two_weekly_one_monthly_one_yearly_by_hand() -> None:
    rules = Retention(daily=7, weekly=2, monthly=1, yearly=1)
    points = keep(nightly(181), rules, "UTC")
    at = START + 180 * DAY + 700  # the night of 30 June 2026, a Tuesday
    days = [
        datetime.fromtimestamp(p.data_time, UTC).strftime("%m-%d") for p in existing(points, at)
    ]
    # Seven days back from the 30th; two Sundays before those; the end of May; no year yet.
    week = ["06-24", "06-25", "06-26", "06-27", "06-28", "06-29", "06-30"]
    assert days == ["05-31", "06-14", "06-21", *week]


def test_after_a_year_they_are_eleven() -> None:
    points = keep(nightly(800), Retention(daily=7, weekly=2, monthly=1, yearly=1), "UTC")
    assert len(existing(points, START + 700 * DAY)) == 11


def test_two_monthly_reach_back_to_the_ends_of_two_months() -> None:
    points = keep(nightly(181), Retention(daily=2, monthly=2), "UTC")
    days = [
        datetime.fromtimestamp(p.data_time, UTC).strftime("%m-%d")
        for p in existing(points, START + 180 * DAY + 700)
    ]
    assert days == ["04-30", "05-31", "06-29", "06-30"]


@pytest.mark.parametrize("days", [25, 28])
def test_all_for_n_days_keeps_n_nights(days: int) -> None:
    points = keep(nightly(100), Retention(all_days=days), "UTC")
    assert len(existing(points, START + 99 * DAY + 700)) == days


def test_only_the_newest_is_a_mirror() -> None:
    points = keep(nightly(10), Retention(last=1), "UTC")
    assert len(existing(points, START + 5 * DAY + 700)) == 1


def test_the_newest_always_stays_even_when_no_run_follows() -> None:
    points = keep(nightly(3), Retention(all_days=1), "UTC")
    assert [p.data_time for p in existing(points, START + 400 * DAY)] == [START + 2 * DAY]


def test_age_at_worst_is_gap_plus_run() -> None:
    points = keep(nightly(40), Retention(all_days=30), "UTC")
    assert ages(points, START + 10 * DAY, START + 30 * DAY) == (DAY + 600, DAY / 2 + 600, 600, 0)
    assert ages(points[:1], START, START + DAY) is None


@pytest.mark.parametrize(
    ("rules", "noticed_days", "lost_days"),
    [
        (Retention(all_days=30), 7, 1),
        (Retention(all_days=30), 28, 1),
        (Retention(all_days=30), 30, FOREVER),
        (Retention(last=30), 20, 1),
        (Retention(last=30), 31, FOREVER),
        (Retention(last=1), 2, FOREVER),
        (Retention(last=1), 0, 1),
    ],
)
def test_deleted_and_noticed_later(rules: Retention, noticed_days: float, lost_days: float) -> None:
    points = keep(nightly(200, lasting=0.0), rules, "UTC")
    found = worst_of(points, noticed_days * DAY, START + 60 * DAY, START + 120 * DAY)
    assert found == lost_days * DAY


@given(RULES, st.integers(0, 40))
@settings(max_examples=60, deadline=None)
def test_noticing_later_never_brings_more_back(rules: Retention, days: int) -> None:
    points = keep(nightly(200), rules, "UTC")
    window = (START + 80 * DAY, START + 130 * DAY)
    # From an hour on: then the night's run, which takes ten minutes, is over.
    sooner = worst_of(points, days * DAY + 3600, *window)
    later = worst_of(points, (days + 5) * DAY, *window)
    assert sooner is not None
    assert later is not None
    assert later >= sooner


def test_a_point_is_no_help_before_it_is_complete() -> None:
    slow = tuple((START + n * DAY, START + n * DAY + 0.9 * DAY) for n in range(30))
    points = keep(slow, Retention(all_days=10), "UTC")
    # Noticed at once: the run is still going until 0.9 days later, so the one before counts.
    assert worst_of(points, 0, START + 5 * DAY, START + 20 * DAY) == 1.9 * DAY
    # A day later it is complete.
    assert worst_of(points, DAY, START + 5 * DAY, START + 20 * DAY) == DAY


def test_the_share_of_the_moments_in_which_nothing_is_left() -> None:
    # One disk, overwritten every 30 days: damage noticed two days later is lost for good when the
    # disk was written in between: 2 of 30 days. Arithmetic.
    monthly = tuple((START + n * 30 * DAY, START + n * 30 * DAY) for n in range(20))
    points = keep(monthly, Retention(last=1), "UTC")
    found = losses(points, 2 * DAY, START + 30 * DAY, START + 500 * DAY)
    assert found
    assert found.worst == FOREVER
    assert found.never == pytest.approx(2 / 30)
    # In the other moments the work since the disk was written is lost: 14 days on average.
    assert found.mean == pytest.approx(14 * DAY)
    assert losses(points, 31 * DAY, START + 30 * DAY, START + 500 * DAY).never == 1  # type: ignore[union-attr]


def test_in_words() -> None:
    assert in_words(Retention(last=1)) == "only the newest"
    assert in_words(Retention(all_days=28, monthly=6)) == "all for 28 days + 6 monthly"


def test_points_are_in_order_and_expire_after_they_exist() -> None:
    points = keep(nightly(50), Retention(daily=5, weekly=3), "Asia/Tokyo")
    assert all(p.data_time <= p.available_at < p.expires_at for p in points)
    assert timedelta(seconds=points[1].data_time - points[0].data_time) == timedelta(days=1)


def test_a_trash_can_keeps_what_a_run_replaced() -> None:
    points = keep(nightly(10), Retention(trash_days=7), "UTC")
    # Replaced by the next night's run, then seven days in the can.
    assert points[0].expires_at == START + DAY + 600 + 7 * DAY
    assert points[-1].expires_at == FOREVER
    assert len(existing(points, START + 9 * DAY + 700)) == 8


def test_without_any_rule_only_the_newest_stays() -> None:
    points = keep(nightly(5), Retention(), "UTC")
    assert [len(existing(points, START + n * DAY + 700)) for n in range(5)] == [1] * 5


def test_a_hold_keeps_everything_until_its_day() -> None:
    held = Retention(last=1, hold_until=datetime(2026, 1, 20, tzinfo=UTC).date())
    points = keep(nightly(30), held, "UTC")
    before = datetime(2026, 1, 19, 12, tzinfo=UTC).timestamp()
    after = datetime(2026, 1, 20, 12, tzinfo=UTC).timestamp()
    assert len(existing(points, before)) == 19
    assert len(existing(points, after)) == 1


def thin_oracle(times: list[float], most: int) -> list[float]:
    """What thinning leaves, a point at a time, written down plainly."""
    kept: list[float] = []
    for time in times:
        kept.append(time)
        if len(kept) > most:
            spread = {
                kept[k]: (kept[k + 1] - kept[k - 1]) / (time - kept[k])
                for k in range(1, len(kept) - 1)
            }
            kept.remove(min(spread, key=lambda t: (spread[t], t)))
    return kept


@given(st.integers(3, 20), st.integers(1, 120))
@settings(max_examples=40, deadline=None)
def test_thinning_keeps_at_most_so_many_dense_near_and_sparse_far(most: int, count: int) -> None:
    moments = nightly(count)
    points = keep(moments, Retention(thin=most), "UTC")
    there = [p.data_time for p in existing(points, moments[-1][1])]
    assert there == thin_oracle([m[0] for m in moments], most)
    assert len(there) == min(most, count)
    assert there[0] == START  # the oldest stays
    if count > 4 * most and most >= 6:
        gaps = [b - a for a, b in pairwise(there)]
        assert sum(gaps[: len(gaps) // 2]) > sum(gaps[len(gaps) // 2 :])


def test_every_point_says_by_which_rule_it_is_kept() -> None:
    rules = Retention(last=2, daily=3, monthly=2)
    moments = nightly(70)
    now = moments[-1][1]
    kept = [
        [name for name, until in ruled if until > now]
        for ruled in rulings(moments, rules, "UTC")
        if any(until > now for _, until in ruled)
    ]
    assert kept == [
        ["monthly, one of 2"],
        ["monthly, one of 2"],
        ["daily, one of 3"],
        ["daily, one of 3"],
        ["daily, one of 3"],
        ["one of the last 2"],
        ["one of the last 2", "newest until the next"],
    ]
    for ruled, point in zip(
        rulings(moments, rules, "UTC"), keep(moments, rules, "UTC"), strict=True
    ):
        assert point.expires_at == max(until for _, until in ruled)


def test_the_mean_loss_lies_between_best_and_worst() -> None:
    points = keep(nightly(200), Retention(daily=10, monthly=6), "UTC")
    found = losses(points, 20 * DAY, START + 60 * DAY, START + 150 * DAY)
    assert found
    assert found.best <= found.mean <= found.worst
    assert found.worst > 20 * DAY


@pytest.mark.parametrize(
    ("rules", "words"),
    [
        (Retention(thin=20), "thinned to 20"),
        (Retention(trash_days=7), "trash can 7 days"),
        (Retention(), "only the newest"),
    ],
)
def test_the_newer_rules_in_words(rules: Retention, words: str) -> None:
    assert in_words(rules) == words


def kept_on(rules: Retention, night: int, count: int = 900) -> list[str]:
    points = keep(nightly(count), rules, "UTC")
    at = START + night * DAY + 700
    return [f"{datetime.fromtimestamp(p.data_time, UTC):%Y-%m-%d}" for p in existing(points, at)]


def test_seven_two_one_one_is_eleven_points_or_as_few_as_seven() -> None:
    rules = {"daily": 7, "weekly": 2, "monthly": 1, "yearly": 1}
    each = Retention(**rules, counting="each")
    beyond = [len(kept_on(Retention(**rules), n)) for n in range(700, 760)]
    alone = [len(kept_on(each, n)) for n in range(700, 760)]
    # A Sunday serves as one of seven days and of two weeks, the newest as month and year as well.
    assert (set(beyond), min(alone), max(alone)) == ({11}, 7, 8)
    assert kept_on(each, 180)[-1] == "2026-06-30"  # a Tuesday: its week, month and year run still
    assert kept_on(each, 180)[0] == "2026-06-24"  # the Sunday before is among the seven days
    assert in_words(each) == "7 daily + 2 weekly + 1 monthly + 1 yearly (each rule on its own)"


def test_the_first_of_each_period_stands_for_it_where_that_is_wanted() -> None:
    rules = Retention(daily=2, monthly=3, of_period="first")
    assert kept_on(rules, 180) == [
        "2026-04-01",
        "2026-05-01",
        "2026-06-01",
        "2026-06-29",
        "2026-06-30",
    ]


def test_windows_of_age_are_dense_near_and_end() -> None:
    rules = Retention(windows=(Window(every="daily", days=5), Window(every="weekly", days=30)))
    # 30 June 2026: five days; before them the Sundays of the last thirty days, and of the week that
    # the five days reach into the newest that is older than they are.
    week = ["06-26", "06-27", "06-28", "06-29", "06-30"]
    days = ["06-07", "06-14", "06-21", "06-25", *week]
    assert kept_on(rules, 180) == [f"2026-{d}" for d in days]
    assert in_words(rules) == "one a day for 5 days, one a week until 30 days"
    points = keep(nightly(40), rules, "UTC")
    assert {r for column in rulings(nightly(40), rules, "UTC") for r, _ in column} == {
        "one a day for 5 days, one a week until 30 days",
        "newest until the next",
    }
    assert points[0].expires_at < START + 30 * DAY


def test_weekly_as_the_finest_rule_keeps_the_last_point_then_not_the_last_at_the_end() -> None:
    # Two points a day, weekly finest: on a Wednesday the newest is the week's, and its month's.
    moments = tuple((START + n * DAY / 2, START + n * DAY / 2) for n in range(300))
    points = keep(moments, Retention(weekly=2, monthly=12, yearly=2), "UTC")
    there: list[float] = []
    rules = Retention(weekly=2, monthly=12, yearly=2)
    for data, _ in moments:
        there = stays([*there, data], rules, "UTC", data)
        assert there == [p.data_time for p in existing(points, data)]
