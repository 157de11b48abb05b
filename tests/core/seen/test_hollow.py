"""Jobs that end well and carry next to nothing; common practice, no source."""

from collections.abc import Sequence
from typing import Literal

from kavrel.core.index import Index
from kavrel.core.seen.hollow import Hollow, hollow
from kavrel.core.seen.machine import SeenRun
from tests.builders import GB, dataset, job, lab

DAY = 86_400.0
FAR = {"kind": "replication", "target_pool": "second"}


def nights(*carried: int | None, failed: Sequence[int] = ()) -> list[tuple[str, SeenRun]]:
    """Runs of one job, a night each, told the oldest first; given as kept, the newest first."""
    runs = []
    for day, count in enumerate(carried):
        result: Literal["ok", "failed"] = "failed" if day in failed else "ok"
        began = day * DAY
        run = SeenRun(job="r", began=began, ended=began + 600, result=result, bytes=count)
        runs.append(("box", run))
    return runs[::-1]


def of(runs: list[tuple[str, SeenRun]], **more: object) -> list[Hollow]:
    plan = lab(
        jobs=(job("r", **FAR),), datasets=(dataset(**{"change_bytes_per_day": 2 * GB, **more}),)
    )
    return list(hollow(Index(plan), runs))


def test_nights_that_carry_nothing_are_told_after_a_fortnight() -> None:
    full = [2 * GB] * 3
    assert of(nights(*full, *[600] * 14)) == [], "13 days and a run"
    (one,) = of(nights(*full, *[600] * 16))
    assert (one.job, one.runs, one.since) == ("r", 16, 3 * DAY)
    assert one.carried_bytes == 16 * 600
    assert one.expected_bytes == round(2 * GB * (15 + 600 / DAY))
    assert one.working.value == round(one.expected_bytes / GB, 3)


def test_one_night_that_carried_something_or_failed_is_an_answer() -> None:
    nothing = [600] * 20
    assert of(nights(*nothing, 2 * GB)) == []
    assert of(nights(*nothing, 600, failed=(20,))) == [], "it is told as a failure"
    (one,) = of(nights(*nothing, 2 * GB, *nothing))
    assert one.runs == 20


def test_what_does_not_change_by_the_plan_may_carry_nothing() -> None:
    assert of(nights(*[0] * 30), change_bytes_per_day=0) == []
    assert of(nights(*[None] * 30)) == [], "nothing counted it"
    (one,) = of(nights(*[0] * 30), change_bytes_per_day=0, growth_bytes_per_year=365 * GB)
    assert 28 * GB < one.expected_bytes < 30 * GB
