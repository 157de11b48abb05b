"""The points of a day are the same however much longer the past is that they are reckoned from."""

from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.copies import flow as flows
from kavrel.core.copies import retention as keeping
from kavrel.core.copies.book import CopyBook
from kavrel.core.copies.rules import complaint, keeps_nothing
from kavrel.core.copies.timeline import LONGEST_LOOK_BACK_DAYS
from kavrel.core.index import Index
from kavrel.core.plan import Retention, Schedule
from kavrel.core.pools.pool import pool_states
from tests.builders import TODAY, job, lab

few = st.integers(0, 9)
RETENTIONS = st.builds(
    Retention,
    last=few,
    all_days=st.integers(0, 30),
    hourly=st.integers(0, 30),
    daily=st.integers(0, 20),
    weekly=few,
    monthly=few,
    yearly=st.integers(0, 2),
    counting=st.sampled_from(("beyond", "each")),
    of_period=st.sampled_from(("first", "last")),
)
SCHEDULES = st.one_of(
    st.builds(Schedule, kind=st.just("hourly"), every=st.sampled_from((1, 6)), at=st.just("00:20")),
    st.builds(Schedule, kind=st.just("daily"), every=st.integers(1, 5), at=st.just("01:10")),
    st.builds(
        Schedule,
        kind=st.just("weekly"),
        at=st.just("02:00"),
        weekdays=st.sets(st.integers(0, 6), min_size=1).map(lambda s: tuple(sorted(s))),
    ),
    st.builds(Schedule, kind=st.just("monthly"), every=st.integers(1, 3), at=st.just("03:00")),
)


@given(RETENTIONS, SCHEDULES)
@settings(max_examples=60, deadline=None)
def test_no_kept_point_lies_further_back_than_is_looked(
    retention: Retention, schedule: Schedule
) -> None:
    if keeps_nothing(retention) or complaint(retention):
        return
    plan = lab(jobs=(job("s", retention=retention, schedule=schedule),))
    index = Index(plan)
    book = CopyBook(index, pool_states(index), TODAY)
    one = index.jobs["s"]
    if book.look_back_days(one) > LONGEST_LOOK_BACK_DAYS:
        return  # followed no further, for the sake of time
    day = date(2026, 11, 24)
    at = datetime.combine(day + timedelta(days=1), time(), ZoneInfo(plan.zone)).timestamp() - 1
    far = day - timedelta(days=2 * book.look_back_days(one) + 400)
    all_there = flows.points(book.flow(one), far, day + timedelta(days=1))
    wanted = [p.data_time for p in keeping.existing(all_there, at)]
    assert [p.data_time for p in book.points_on(one, day)] == wanted
