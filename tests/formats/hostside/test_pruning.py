"""What the script prunes run by run is what the core predicts, for every school, over three years.

Five zones, both odd nights of each year in them, at the finest and at the coarsest rhythm.
"""

from datetime import UTC, date, datetime
from itertools import accumulate

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from kavrel.core.copies.retention import existing, keep
from kavrel.core.copies.rules import complaint
from kavrel.core.plan import Retention, Window
from kavrel.core.quantities import DAY
from kavrel.formats.hostside import lab_job

START = datetime(2026, 1, 1, 2, 0, tzinfo=UTC).timestamp()
ZONES = ("UTC", "Europe/Berlin", "America/New_York", "Australia/Lord_Howe", "Asia/Kolkata")
COUNTS = {
    "all_days": st.sampled_from([0, 0, 3, 9]),
    "last": st.sampled_from([0, 0, 1, 2, 6]),
    "hourly": st.sampled_from([0, 0, 5]),
    "daily": st.sampled_from([0, 0, 1, 7]),
    "weekly": st.sampled_from([0, 2, 4]),
    "monthly": st.sampled_from([0, 1, 12]),
    "yearly": st.sampled_from([0, 1, 2]),
}
COUNTED = st.builds(
    Retention,
    **COUNTS,
    thin=st.sampled_from([0, 0, 1, 2, 7]),
    hold_until=st.sampled_from([None, None, date(2026, 3, 20)]),
    counting=st.sampled_from(["beyond", "each"]),
    of_period=st.sampled_from(["last", "first"]),
)
WINDOWED = st.builds(
    Retention,
    windows=st.lists(
        st.builds(
            Window,
            every=st.sampled_from(["hourly", "daily", "weekly", "monthly", "yearly"]),
            days=st.integers(1, 500),
        ),
        min_size=1,
        max_size=4,
    ).map(tuple),
    of_period=st.sampled_from(["last", "first"]),
).filter(lambda r: complaint(r) is None)


def follow(moments: list[float], rules: Retention, zone: str) -> None:
    """Prunes run by run, and looks after each run at what is there."""
    told = rules.model_dump(mode="json", exclude_defaults=True)
    points = keep([(t, t) for t in moments], rules, zone)
    there: list[float] = []
    standing: list[float] = []
    for now in moments:
        standing = lab_job.still_standing(standing, [*there, now], rules.thin)
        there = lab_job.stays([*there, now], told, zone, now, standing)
        assert there == [p.data_time for p in existing(points, now)]


@given(
    COUNTED | WINDOWED,
    st.sampled_from(ZONES),
    st.sampled_from([0.25, 1.0, 3.5]),
    st.integers(0, 600),
)
@pytest.mark.prove
@settings(max_examples=25, deadline=None)
@example(Retention(weekly=2, monthly=12, yearly=2), "UTC", 0.5, 0)
@example(Retention(monthly=2, yearly=2), "Asia/Kolkata", 0.25, 0)
@example(Retention(daily=7, weekly=2, monthly=1, yearly=1, counting="each"), "UTC", 1.0, 0)
def test_every_run_of_three_years_leaves_what_is_predicted(
    rules: Retention, zone: str, step: float, skipped: int
) -> None:
    count = min(int(3 * 365 / step), 1100)
    moments = [START + n * step * DAY for n in range(count)]
    # The box was off for a while.
    moments = [t for n, t in enumerate(moments) if not skipped <= n < skipped + 40]
    follow(moments, rules, zone)


@given(
    COUNTED | WINDOWED,
    st.lists(st.floats(0.02, 20.0), min_size=5, max_size=60),
    st.sampled_from(ZONES),
)
@settings(max_examples=150, deadline=None)
def test_uneven_runs_leave_what_is_predicted(
    rules: Retention, gaps: list[float], zone: str
) -> None:
    follow(list(accumulate(gaps, lambda a, g: a + g * DAY, initial=START)), rules, zone)
