"""What points hold, what removing one frees, and when a pool is full of it."""

from datetime import date

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.copies.space import freed, frees, gone, held, held_bytes, pool_space
from kavrel.core.plan import Dataset, Retention
from kavrel.core.quantities import DAY
from tests.builders import GB, TB, book, job, lab


def data(**more: float) -> Dataset:
    return lab().datasets[0].model_copy(update={"change_bytes_per_day": 0, **more})


def test_deleted_data_is_held_until_the_last_point_with_it_goes() -> None:
    # 1 GB a day is deleted: ten nightly points hold ten days of it, whichever goes frees its own.
    d = data(deleted_bytes_per_day=GB)
    times = [n * DAY for n in range(10)]
    assert held(d, tuple(times), 10 * DAY) == 10 * GB
    # Its neighbours have what it has: only the oldest and what nobody else holds comes back.
    assert frees(d, times, 10 * DAY, 0) == GB
    assert frees(d, times, 10 * DAY, 4) == 0


def test_blocks_rewritten_every_day_are_held_once_a_point() -> None:
    # The same 1 GB again and again: each of ten points has its own version.
    d = data(change_bytes_per_day=GB, repeat_share=1.0)
    times = [n * DAY for n in range(10)]
    assert held(d, tuple(times), 10 * DAY) == 10 * GB
    assert frees(d, times, 10 * DAY, 4) == GB
    # Weekly points hold one version a week.
    assert held(d, tuple(n * 7 * DAY for n in range(4)), 28 * DAY) == 4 * GB


def test_never_more_than_the_whole_between_two_points() -> None:
    d = data(change_bytes_per_day=100 * GB, size_bytes=500 * GB)
    assert gone(d, 30) == 500 * GB


@given(
    st.lists(st.floats(0, 100), min_size=2, max_size=12, unique=True),
    st.floats(0, 1),
    st.integers(0, 50),
    st.integers(0, 50),
    st.data(),
)
@settings(max_examples=80, deadline=None)
def test_what_removing_a_point_frees_is_the_difference(
    days: list[float], repeat: float, change: int, deleted: int, choice: st.DataObject
) -> None:
    d = data(
        change_bytes_per_day=change * GB, deleted_bytes_per_day=deleted * GB, repeat_share=repeat
    )
    times = sorted(t * DAY for t in days)
    now = 101 * DAY
    which = choice.draw(st.integers(0, len(times) - 1))
    without = [t for n, t in enumerate(times) if n != which]
    freed = held(d, tuple(times), now) - held(d, tuple(without), now)
    assert frees(d, times, now, which) == pytest.approx(max(freed, 0.0), abs=1.0)


def test_what_a_point_frees_can_be_reckoned_again_from_its_working() -> None:
    d = data(change_bytes_per_day=10 * GB, deleted_bytes_per_day=GB, size_bytes=50 * GB)
    plan = lab(datasets=(d,), jobs=(job("s", retention=Retention(daily=30)),))
    times = [0.0, DAY, 9 * DAY, 10 * DAY]
    told = [freed(book(plan), plan.jobs[0], times, 11 * DAY, n) for n in range(4)]
    # By hand: 11 GB a day, 50 GB at most; the oldest frees what is gone until the next.
    assert [w.value for w in told] == [11 * GB, 11 * GB, 11 * GB, 0]
    assert [w.value for w in told[1].inputs[:2]] == [1.0, 8.0]
    assert told[1].inputs[2].value == told[1].value


def test_an_archive_frees_all_of_itself() -> None:
    whole = job("w", kind="image", target_pool="second")
    archives = book(lab(datasets=(data(size_bytes=50 * GB),), jobs=(whole,)))
    assert freed(archives, whole, [0.0, DAY], 2 * DAY, 0).value == archives.first_bytes(whole)


def test_a_pool_with_its_points_and_copies() -> None:
    files = data(change_bytes_per_day=10 * GB, growth_bytes_per_year=365 * GB)
    plan = lab(
        zone="UTC",
        datasets=(files,),
        jobs=(
            job("s", retention=Retention(daily=30)),
            job("r", kind="replication", target_pool="second", retention=Retention(daily=10)),
        ),
    )
    found = book(plan)
    # Thirty points a day apart, and 23 h since the newest at 01:00.
    assert held_bytes(found, plan.jobs[0], found.as_of) == pytest.approx(
        10 * GB * (29 + 23 / 24), rel=0.001
    )
    # At the far end the newest state is the copy itself: nine older points.
    assert held_bytes(found, plan.jobs[1], found.as_of) == pytest.approx(90 * GB)
    home, away = pool_space(found, "main", 5), pool_space(found, "second", 5)
    assert {(x.kind, x.name) for x in home.layers} == {("live", "files"), ("points", "s")}
    assert {(x.kind, x.name) for x in away.layers} == {("copy", "r"), ("points", "r")}
    assert home.marks[12].live_bytes - home.marks[0].live_bytes == pytest.approx(365 * GB, rel=1e-6)
    # 3.86 TB on the mirror: 1.09 TB now, 0.365 a year more: it fills in 7.59 years.
    assert away.full_on is None
    assert pool_space(found, "second", 10).full_on == date(2034, 6, 28)


def test_points_can_fill_a_quota() -> None:
    files = data(
        change_bytes_per_day=GB,
        growth_bytes_per_year=100 * GB,
        quota_bytes=int(1.1 * TB),
    )
    plan = lab(datasets=(files,), jobs=(job("s", retention=Retention(daily=30)),))
    (mark,) = pool_space(book(plan), "main", 5).quota_on
    # 100 GB of room, 30 of them held by snapshots: 70 GB at 100 GB a year.
    assert mark.dataset == "files"
    assert date(2027, 7, 20) < mark.day < date(2027, 8, 20)
