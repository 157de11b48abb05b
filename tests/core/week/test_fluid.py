"""Jobs as a fluid: hand-worked nights."""

from collections.abc import Sequence
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.quantities import DAY
from kavrel.core.week import fluid
from kavrel.core.week.fluid import Task, TaskRun, flow_through
from kavrel.core.week.sharing import Demand

FOREVER = 1e9


def task(
    key: str, due: Sequence[float], seconds: float, on: str = "link", after: str | None = None
) -> Task:
    """A task that keeps one resource busy for so many seconds."""
    loads = ((on, seconds),) if on else ()
    return Task(key, due, 1.0, 0.0, lambda days: Demand(loads, seconds), after)


def ends(*tasks: Task, caps: dict[str, list[tuple[float, float]]] | None = None) -> list[float]:
    """When each run ends, in order of its begin."""
    return [r.end for r in flow_through(tasks, caps or {}, FOREVER)]


def test_alone_it_takes_its_own_time() -> None:
    assert ends(task("a", [1000.0], 300.0)) == [pytest.approx(1300)]


def test_two_at_once_share_and_the_second_ends_when_the_work_of_both_is_done() -> None:
    # A from 0, 300 s of work; B from 100, 100 s of work. From 100 on each has half: B is done after
    # 200 s at 300; A has 100 s left then and ends at 400, the sum of all work.
    assert ends(task("a", [0.0], 300.0), task("b", [100.0], 100.0)) == [
        pytest.approx(400),
        pytest.approx(300),
    ]


def test_who_shares_nothing_is_not_slowed() -> None:
    assert (
        ends(task("a", [0.0], 300.0), task("b", [0.0], 300.0, on="disks"))
        == [pytest.approx(300)] * 2
    )


def test_a_job_that_is_still_running_when_due_starts_once_more_when_it_has_ended() -> None:
    runs = flow_through([task("a", [0.0, 100.0, 200.0, 900.0], 350.0)], {}, FOREVER)
    assert [(r.due, round(r.begin), round(r.end), r.late) for r in runs] == [
        (0.0, 0, 350, False),
        (100.0, 350, 700, True),
        (900.0, 900, 1250, False),
    ]
    assert runs[1].gap_days == pytest.approx(350 / DAY)


def test_what_the_boxes_leave_out_is_left_out_and_told() -> None:
    """A timer whose unit is at work starts nothing. Source: systemd.timer(5); for cron, flock(1)."""
    often = task("a", [DAY, DAY + 100, DAY + 200, DAY + 900], 350.0)
    runs = flow_through([replace(often, waits=False)], {}, FOREVER)
    assert [(r.begin - DAY, round(r.end - DAY), r.late, r.left_out) for r in runs] == [
        (0.0, 350, False, (DAY + 100, DAY + 200)),
        (900.0, 1250, False, ()),
    ]
    lonely = replace(often, waits=False, demand=lambda days: Demand((), 350.0))
    assert [r[1:] for r in flow_through([lonely], {}, FOREVER)] == [r[1:] for r in runs]


def test_a_cap_slows_while_it_holds() -> None:
    # Half the link from 100 to 300: 100 s of work are done by then, and 100 of the next 200 s.
    caps = {"link": [(0.0, 1.0), (100.0, 0.5), (300.0, 1.0)]}
    assert ends(task("a", [0.0], 400.0), caps=caps) == [pytest.approx(500)]


def test_what_follows_starts_when_the_other_has_ended() -> None:
    first = task("a", [0.0, DAY], 300.0)
    runs = flow_through([first, task("b", (), 50.0, after="a")], {}, FOREVER)
    assert [(r.task, round(r.begin), round(r.end)) for r in runs] == [
        ("a", 0, 300),
        ("b", 300, 350),
        ("a", 86_400, 86_700),
        ("b", 86_700, 86_750),
    ]


def test_the_fixed_part_keeps_nothing_busy() -> None:
    slow_start = Task("a", [0.0], 1.0, 60.0, lambda days: Demand((("link", 100.0),), 100.0))
    assert ends(slow_start, task("b", [0.0], 60.0)) == [pytest.approx(160), pytest.approx(60)]


def test_the_work_of_a_year_is_the_same_however_it_is_shared() -> None:
    days = [n * DAY for n in range(365)]
    tasks = [task(f"t{n}", [d + 3600 * n for d in days], 5000.0) for n in range(4)]
    runs = flow_through(tasks, {}, 366 * DAY)
    assert len(runs) == 4 * 365
    by_day: dict[int, list[TaskRun]] = {}
    for run in runs:
        by_day.setdefault(int(run.begin // DAY), []).append(run)
    for held in by_day.values():
        # The link is never idle in between, so the night ends when all the work is done.
        assert max(r.end for r in held) - min(r.begin for r in held) == pytest.approx(20_000)


RESOURCES = ("link", "disks", "lan")
HOURS = st.integers(min_value=0, max_value=47).map(lambda half: half * 1800.0)


@st.composite
def nightly(draw: st.DrawFn, key: str, others: Sequence[str]) -> Task:
    """A task that comes round every few days, or after another, and takes its time by what changed."""
    every, at = draw(st.sampled_from([0.25, 1, 1, 2, 7])), draw(HOURS)
    after = draw(st.sampled_from([None, None, *others]))
    due = () if after else tuple(at + n * every * DAY for n in range(int(40 / every)))
    asked = draw(st.sets(st.sampled_from(RESOURCES), max_size=2))
    seconds = draw(st.sampled_from([60.0, 900.0, 5000.0, 20_000.0, 90_000.0]))

    def demand(days: float) -> Demand:
        took = seconds * min(days, 3.0)
        return Demand(tuple((r, took) for r in sorted(asked)), took)

    first = Demand((("link", 150_000.0),), 150_000.0) if draw(st.integers(0, 9)) == 0 else None
    return Task(key, due, float(every), draw(st.sampled_from([0.0, 30.0])), demand, after, first)


@st.composite
def labs(draw: st.DrawFn) -> list[Task]:
    found: list[Task] = []
    for n in range(draw(st.integers(min_value=2, max_value=6))):
        found.append(draw(nightly(f"t{n}", [t.id for t in found])))
    return found


@given(labs(), st.booleans())
@settings(max_examples=150, deadline=None)
def test_a_night_taken_over_from_one_before_is_what_it_would_be_reckoned_anew(
    tasks: list[Task], capped: bool
) -> None:
    # By day the link is at half its speed, on every day but one.
    days = [n for n in range(45) if n != 17]
    steps = [(n * DAY + h * 3600, s) for n in days for h, s in ((8, 0.5), (18, 1.0))]
    caps = {"link": steps} if capped else {}
    quick = flow_through(tasks, caps, 38 * DAY)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(fluid._Fluid, "_is_same", lambda *_: False)
        anew = flow_through(tasks, caps, 38 * DAY)
    assert [(r.task, r.late) for r in quick] == [(r.task, r.late) for r in anew]
    for one, other in zip(quick, anew, strict=True):
        assert one[1:6] == pytest.approx(other[1:6], rel=1e-9, abs=0.01)
