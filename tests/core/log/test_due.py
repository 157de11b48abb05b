from datetime import date

from kavrel.core.index import Index
from kavrel.core.log.due import Due, due
from kavrel.core.log.tried import still_tried
from kavrel.core.plan import Job, LogEntry, Plan, Retention, Schedule
from tests.builders import TODAY, assume, job, lab


def entry(kind: str, about: str, on: str, result: str = "ok") -> LogEntry:
    about_kind, _, key = about.partition("/")
    return LogEntry.model_validate(
        {
            "id": f"log-{abs(hash((kind, about, on))) % 10**9}",
            "on": on,
            "kind": kind,
            "about_kind": about_kind,
            "about": key,
            "result": result,
        }
    )


def items(plan: Plan, kind: str) -> dict[str, Due]:
    return {d.about: d for d in due(Index(plan), TODAY) if d.kind == kind}


def test_a_new_disk_is_to_be_checked_once() -> None:
    assert set(items(lab(), "disk_check")) == {d.id for d in lab().disks}
    plan = lab(log=(entry("disk_check", "disk/box1", "2026-11-01"),))
    assert "box1" not in items(plan, "disk_check")


def test_a_failed_check_counts_for_nothing() -> None:
    plan = lab(log=(entry("disk_check", "disk/box1", "2026-11-01", "failed"),))
    assert "box1" in items(plan, "disk_check")


def test_the_next_scrub_is_counted_from_the_last_one() -> None:
    plan = lab(
        log=(entry("scrub", "pool/main", "2026-09-01"), entry("scrub", "pool/main", "2026-06-01"))
    )
    found = items(plan, "scrub")["main"]
    assert (found.last, found.due_on) == (date(2026, 9, 1), date(2026, 11, 30))
    assert found.overdue_days == -6
    monthly = plan.model_copy(update={"assumptions": assume(scrub_days=30)})
    assert items(monthly, "scrub")["main"].overdue_days == 54


def test_a_shelf_copy_is_due_at_its_first_start_after_the_last_one() -> None:
    shelf = job(
        "x",
        kind="shelf",
        target_disk="loose9",
        schedule=Schedule(kind="monthly", every=4, day=15, start=date(2026, 3, 15)),
        retention=Retention(last=1),
    )
    never = items(lab(jobs=(shelf,)), "shelf_copy")["x"]
    assert (never.last, never.due_on) == (None, TODAY)
    done = items(
        lab(jobs=(shelf,), log=(entry("shelf_copy", "job/x", "2026-03-16"),)), "shelf_copy"
    )["x"]
    assert done.due_on == date(2026, 7, 15)
    fresh = items(
        lab(jobs=(shelf,), log=(entry("shelf_copy", "job/x", "2026-11-15"),)), "shelf_copy"
    )["x"]
    assert fresh.due_on == date(2027, 3, 15)


def test_restore_tests_are_asked_of_what_is_copied() -> None:
    assert items(lab(), "restore_test") == {}
    copied = lab(jobs=(job("r", kind="replication", target_pool="second"),))
    assert set(items(copied, "restore_test")) == {"r"}
    # Each copy by itself; what a planned test tries is due by that one's own time.
    both = lab(
        jobs=(
            job("r", kind="replication", target_pool="second"),
            job("b", kind="backup", target_pool="second"),
            job("s"),
        ),
        log=(entry("restore_test", "job/b", "2026-11-01"),),
    )
    found = items(both, "restore_test")
    assert set(found) == {"r", "b"}
    assert found["b"].overdue_days < 0 <= found["r"].overdue_days


def test_the_most_overdue_comes_first() -> None:
    found = due(Index(lab(log=(entry("scrub", "pool/main", "2025-01-01"),))), TODAY)
    assert (found[0].kind, found[0].about) == ("scrub", "main")
    assert [d.due_on for d in found] == sorted(d.due_on for d in found)


def test_a_restore_test_of_a_copy_is_due_by_its_own_schedule() -> None:
    plan = lab(
        jobs=(
            job("r", kind="replication", target_pool="second"),
            Job(
                id="try",
                name="try r",
                kind="restore_test",
                reads_from="r",
                schedule=Schedule(kind="monthly", every=6, day=8, at="10:00"),
            ),
        )
    )
    (first,) = [d for d in due(Index(plan), TODAY) if d.about == "try"]
    assert (first.kind, first.due_on) == ("restore_test", date(2027, 1, 8))
    assert "restore one item from r" in first.why
    done = LogEntry(
        id="l", on=date(2027, 1, 10), kind="restore_test", about_kind="job", about="try"
    )
    later = due(Index(plan.model_copy(update={"log": (done,)})), date(2027, 1, 11))
    (again,) = [d for d in later if d.about == "try"]
    assert again.due_on == date(2027, 7, 8)


def test_a_restore_tries_the_copy_it_came_from_and_for_a_while() -> None:
    alone = lab(jobs=(job("r", kind="replication", target_pool="second"), job("s")))
    two = lab(jobs=(*alone.jobs, job("b", kind="backup", target_pool="second")))
    of_data = entry("restore_test", "dataset/files", "2026-11-01")

    def tried(plan: Plan, which: int, *log: LogEntry) -> bool:
        index = Index(plan.model_copy(update={"log": log}))
        return still_tried(index, plan.jobs[which], "files", TODAY)

    assert tried(alone, 0, of_data)  # there is no other copy that it could have come from
    assert not tried(two, 0, of_data)
    assert not tried(two, 2, of_data)
    of_copy = entry("restore_test", "job/b", "2026-11-01")
    assert (tried(two, 2, of_copy), tried(two, 0, of_copy)) == (True, False)
    assert not tried(two, 2, entry("restore_test", "job/b", "2015-11-01"))
