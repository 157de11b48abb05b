from datetime import date
from itertools import pairwise

import pytest

from kavrel.core.plan import Cap, Schedule
from kavrel.core.schedule import within
from kavrel.core.week.counts import counts
from kavrel.core.week.explained import longest_explained
from kavrel.core.week.week import Week, week
from tests.builders import GB, TODAY, book, daily, dataset, job, lab

FAR = {"kind": "replication", "target_pool": "second"}


def of(*jobs: object, day: date = TODAY) -> Week:
    return week(book(lab(jobs=jobs)), day)


def test_a_week_runs_from_monday_in_local_time() -> None:
    found = of(job("r", **FAR))
    assert found.monday == date(2026, 11, 23)
    assert [r.starts_at.isoformat() for r in found.runs][:2] == [
        "2026-11-23T01:00:00+01:00",
        "2026-11-24T01:00:00+01:00",
    ]
    assert len(found.runs) == 7
    assert found.runs[1].from_minute == 1440 + 60


def test_runs_are_as_long_as_the_bytes_take() -> None:
    (run, *_) = of(job("r", **FAR)).runs
    # 2 GB a day at 20 Mbit/s x 0.88 x 0.96 in the tunnel, after 20 s to start.
    assert run.seconds == pytest.approx(20 + 2e9 * 8 / (20e6 * 0.88 * 0.96))
    assert run.moved_bytes == 2_000_000_000
    assert set(map(str, run.resources)) == {"pool:main", "pool:second", "link:wire"}


def test_the_longest_run_says_what_it_carries_and_whom_it_meets() -> None:
    other = job("b", kind="backup", target_pool="second", schedule=daily("01:05"))
    plan = lab(jobs=(job("r", **FAR), other))
    told = longest_explained(book(plan), TODAY, plan.jobs[0])
    runs = [r for r in week(book(plan), TODAY).runs if r.job == "r"]
    assert told.value == pytest.approx(max(r.seconds for r in runs))
    said = {w.name: w for w in told.inputs}
    assert said["with everything to itself"].value == pytest.approx(runs[0].alone_seconds)
    assert said["carries"].value == runs[0].moved_bytes
    assert said["the slowest part of its way"].value == pytest.approx(20 / 8 * 0.88 * 0.96)
    (met,) = (w.value for name, w in said.items() if name.startswith("meets b on "))
    assert isinstance(met, float)
    assert met + 300 == pytest.approx(max(r.seconds for r in runs))


def test_a_run_that_a_limit_by_day_slows_names_it() -> None:
    caps = [Cap(id=k, link="wire", from_at=a, to_at=b, mbit=m) for k, a, b, m in (
        ("now", "00:30", "01:10", 2), ("later", "12:00", "13:00", 1),
    )]  # fmt: skip
    plan = lab(jobs=(job("r", **FAR),), caps=tuple(caps))
    told = longest_explained(book(plan), TODAY, plan.jobs[0])
    limits = [(w.value, w.formula) for w in told.inputs if w.name.startswith("limit on")]
    assert limits == [(2.0, "00:30 to 01:10, every day")]


def test_a_job_that_does_not_run_in_a_week_says_so() -> None:
    plan = lab(jobs=(job("r", **FAR, schedule=Schedule(kind="monthly", at="01:00", day=1)),))
    assert longest_explained(book(plan), TODAY, plan.jobs[0]).value is None


def test_two_on_the_link_clash_and_one_after_the_other_do_not() -> None:
    other = job("b", kind="backup", target_pool="second", schedule=daily("01:05"))
    assert len(of(job("r", **FAR), other).clashes) == 7
    late = job("b", kind="backup", target_pool="second", schedule=daily("05:00"))
    assert of(job("r", **FAR), late).clashes == ()


def test_the_week_and_the_counts_of_five_weeks_say_the_same() -> None:
    other = job("b", kind="backup", target_pool="second", schedule=daily("01:05"))
    meeting = (job("r", **FAR), other)
    assert counts(lab(jobs=meeting), TODAY).overlaps == 5 * len(of(*meeting).clashes) == 35
    # A first copy keeps the link busy for days: the counts go by it as the week does.
    first = job("f", first_copy="over_link", first_on=TODAY, **FAR)
    late = job("b", kind="backup", target_pool="second", schedule=daily("05:00"))
    assert [c for c in of(first, late).clashes if {c.first, c.second} == {"f", "b"}]
    assert counts(lab(jobs=(first, late)), TODAY).overlaps > 0
    # One that follows the other never begins too early, one that only reads from it may.
    follows = job(
        "c",
        kind="backup",
        target_pool="main",
        reads_from="r",
        schedule=Schedule(kind="after"),
        after="r",
    )
    reads = job("c", kind="backup", target_pool="main", reads_from="r", schedule=daily("01:01"))
    for third, early in ((follows, 0), (reads, 7)):
        plan = lab(jobs=(job("r", **FAR), third))
        misses = [m for m in of(job("r", **FAR), third).misses if m.trouble == "order"]
        assert len(misses) == early
        assert counts(plan, TODAY).too_early == 5 * early


def test_a_clash_is_named_by_the_narrowest_thing_shared() -> None:
    other = job("b", kind="backup", target_pool="second", schedule=daily("01:05"))
    assert {str(c.resource) for c in of(job("r", **FAR), other).clashes} == {"link:wire"}


def test_snapshots_get_in_nobodys_way() -> None:
    assert of(job("r", **FAR), job("s")).clashes == ()


def test_a_run_that_began_the_week_before_reaches_into_this_one() -> None:
    slow = job(
        "r", limit_mbit=0.5, schedule=Schedule(kind="weekly", weekdays=(6,), at="20:00"), **FAR
    )
    found = of(slow)
    assert found.runs[0].from_minute < 0 < found.runs[0].to_minute


def test_a_job_still_running_when_due_clashes_with_itself() -> None:
    slow = job("r", limit_mbit=0.15, **FAR)
    found = of(slow)
    assert found.clashes
    assert {(c.first, c.second) for c in found.clashes} == {("r", "r")}


def test_the_spring_week_has_its_odd_night() -> None:
    found = of(job("r", schedule=daily("02:30"), **FAR), day=date(2026, 3, 29))
    assert [r.starts_at.strftime("%H:%M") for r in found.runs][-1] == "03:00"


@pytest.mark.parametrize(
    ("hour", "quiet"),
    [(23.5, True), (2, True), (6.9, True), (7, False), (12, False), (22.9, False)],
)
def test_quiet_hours_pass_midnight(hour: float, quiet: bool) -> None:
    assert within(hour, 23, 7) is quiet


def test_quiet_hours_within_a_day() -> None:
    assert within(13, 12, 15)
    assert not within(16, 12, 15)


def test_quiet_from_an_hour_to_the_same_is_the_whole_day() -> None:
    # The same as Arrange has it: a window of 24 hours, not of none.
    assert all(within(float(hour), 0.0, 0.0) for hour in range(24))
    assert all(within(float(hour), 7.0, 7.0) for hour in range(24))


def test_a_first_copy_over_the_link_fills_the_nights_until_it_is_there() -> None:
    seeding = job(
        "r", first_copy="over_link", first_on=date(2026, 11, 23), schedule=daily("00:00"), **FAR
    )
    other = job("b", kind="backup", target_pool="second", schedule=daily("03:00"))
    found = of(seeding, other)
    first = next(r for r in found.runs if r.job == "r")
    # 1000 GB at 20 Mbit/s x 0.88 x 0.96 are 5.5 days, and a little more beside the backup.
    alone = 1000e9 * 8 / (20e6 * 0.88 * 0.96) + 20
    assert first.alone_seconds == pytest.approx(alone, rel=0.001)
    assert alone < first.seconds < alone * 1.1
    assert any({c.first, c.second} == {"r", "b"} for c in found.clashes)
    slow = next(r for r in found.runs if r.job == "b")
    # Half the link for what it sends; starting and looking at files take as long as ever.
    assert 1.7 * slow.alone_seconds < slow.seconds < 2 * slow.alone_seconds
    assert first.moved_bytes == 1000 * 10**9
    # The week after it is over, and the nights are short again.
    later = of(seeding, other, day=date(2026, 12, 8))
    assert max(r.seconds for r in later.runs) < 3600


def test_a_first_copy_side_by_side_keeps_the_lan_busy_instead() -> None:
    seeding = job(
        "r", first_copy="side_by_side", first_on=date(2026, 11, 23), schedule=daily("00:00"), **FAR
    )
    first = of(seeding).runs[0]
    assert first.moved_bytes == 1000 * 10**9
    assert "lan:home" in map(str, first.resources)
    assert 2.4 * 3600 < first.seconds < 2.7 * 3600  # 1000 GB at 110 MB/s


def test_the_scrub_shares_the_disks_with_the_night() -> None:
    scrub = job(
        "x",
        kind="scrub",
        datasets=(),
        pool="main",
        schedule=daily("01:00", start=date(2026, 11, 24), until=date(2026, 11, 24)),
    )
    found = of(
        scrub,
        job("i", kind="image", target_pool="second", chunk_store=True, schedule=daily("01:00")),
    )
    tuesday = [r for r in found.runs if r.starts_at.day == 24]
    assert all(r.seconds > 1.3 * r.alone_seconds for r in tuesday)
    others = [r for r in found.runs if r.starts_at.day != 24]
    assert all(r.seconds == pytest.approx(r.alone_seconds) for r in others)


def test_a_cap_by_day_slows_what_reaches_into_it() -> None:
    cap = Cap(id="c", link="wire", from_at="07:00", to_at="23:00", mbit=5.0)
    runs = week(
        book(lab(jobs=(job("r", schedule=daily("06:55"), **FAR),), caps=(cap,))), TODAY
    ).runs
    # Five minutes at 20 Mbit/s, the rest at 5: four times as slow.
    whole = 2e9 * 8 / (20e6 * 0.88 * 0.96)
    assert runs[0].seconds == pytest.approx(300 + (whole + 20 - 300) * 4, rel=0.01)
    assert runs[0].alone_seconds == pytest.approx(whole + 20)


def test_a_run_outside_its_window_and_one_too_early_are_told() -> None:
    found = of(
        job("r", limit_mbit=2.0, window_from="00:30", window_to="02:00", **FAR),
        job("x", kind="shelf", reads_from="r", target_disk="loose9", schedule=daily("01:30")),
    )
    troubles = {m.trouble for m in found.misses}
    assert troubles == {"window", "order"}
    assert any("after its window closes at 02:00" in m.why for m in found.misses)


def test_a_start_that_the_last_run_outlasts_is_left_out_and_told() -> None:
    """All 300 GB over 2.2 MB/s are 38 h: every other start finds the last run going.

    Source: systemd.timer(5), flock(1).
    """
    big = dataset(size_bytes=300 * GB, change_bytes_per_day=250 * GB)
    plan = lab(datasets=(big,), jobs=(job("r", **FAR),))
    found = week(book(plan), TODAY)
    runs = [r for r in found.runs if r.job == "r"]
    told = {m.why for m in found.misses}
    assert all(b.starts_at >= a.ends_at for a, b in pairwise(runs))
    assert {r.starts_at.hour for r in runs} == {
        1
    }  # at its hour, and not when the one before has ended
    assert told == {"r leaves a start out: its last run had not ended"}
    assert 3 <= len(found.misses) <= 4
    assert {c.first == c.second == "r" for c in found.clashes} == {True}
    caught_up = lab(datasets=(big,), jobs=(job("r", catch_up=True, **FAR),))
    assert {m.why.split(" starts ")[0] for m in week(book(caught_up), TODAY).misses} == {"r"}
