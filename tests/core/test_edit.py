from datetime import date

import pytest

from kavrel.core.compare import compare
from kavrel.core.edit import EditError, StillUsed, fresh_id, put, put_settings, remove, stands_now
from kavrel.core.plan import LogEntry, Site
from tests.builders import disk, job, lab


def test_put_adds_and_replaces_without_touching_the_old_plan() -> None:
    plan = lab()
    added = put(plan, "disks", disk(4))
    changed = put(added, "disks", disk(4, label="renamed"))
    assert len(plan.disks) + 1 == len(added.disks) == len(changed.disks)
    assert changed.disks[-1].label == "renamed"


def test_put_refuses_what_contradicts_the_plan() -> None:
    with pytest.raises(EditError) as caught:
        put(lab(), "disks", disk(1, label="box 2"))
    assert caught.value.problems[0].field == "label"


@pytest.mark.parametrize(
    ("collection", "key", "user"),
    [
        ("disks", "box1", "pool main"),
        ("hosts", "far", "disk far 1"),
        ("pools", "main", "data files"),
        ("datasets", "files", "share files"),
        ("sites", "away", "host far"),
    ],
)
def test_remove_says_who_still_needs_it(collection: str, key: str, user: str) -> None:
    with pytest.raises(StillUsed, match=user):
        remove(lab(), collection, key)


def test_grants_and_memberships_go_with_the_account() -> None:
    plan = remove(lab(), "accounts", "ana")
    assert plan.grants == ()
    assert plan.groups[0].members == ("bo",)


def test_the_log_outlives_what_it_is_about_but_begins_with_it() -> None:
    entry = LogEntry.model_validate(
        {
            "id": "l",
            "on": "2026-01-02",
            "kind": "disk_check",
            "about_kind": "disk",
            "about": "loose9",
        }
    )
    plan = remove(put(lab(), "log", entry), "disks", "loose9")
    assert plan.log == (entry,)
    with pytest.raises(EditError, match="no loose9"):
        put(plan, "log", entry.model_copy(update={"id": "l2"}))


def test_fresh_ids_are_never_those_in_use() -> None:
    plan = put(lab(), "sites", Site(id="site-7", name="seven"))
    assert fresh_id(plan, "sites") == "site-8"
    assert fresh_id(lab(), "jobs") == "job-1"


def test_settings() -> None:
    assert put_settings(lab(), variant="what if").variant == "what if"


def test_compare_names_every_difference_and_nothing_else() -> None:
    before = lab()
    after = put(remove(before, "disks", "loose9"), "jobs", job("new"))
    after = put(after, "disks", disk(1, label="other"))
    found = {(c.collection, c.id): c for c in compare(before, after)}
    assert {k: c.what for k, c in found.items()} == {
        ("disks", "loose9"): "removed",
        ("disks", "box1"): "changed",
        ("jobs", "new"): "added",
    }
    (field,) = found["disks", "box1"].fields
    assert (field.field, field.before, field.after) == ("label", "box 1", "other")
    assert compare(before, before) == []
    assert compare(before, put_settings(before, name="x"))[0].collection == "plan"


def test_a_pool_that_is_said_to_stand_has_its_copies_still_to_be_made() -> None:
    """Nobody has seen what is on it, and a job that counted as made would prove what is not there."""
    far = job("far", kind="replication", target_pool="second")
    wanted = tuple(p.model_copy(update={"standing": p.id != "second"}) for p in lab().pools)
    before = lab(jobs=(job("s"), far)).model_copy(update={"pools": wanted})
    second = wanted[1].model_copy(update={"standing": True})
    after, held_up = stands_now(before, put(before, "pools", second))
    assert held_up == ("far",)
    assert {j.id: j.first_copy for j in after.jobs} == {"s": "done", "far": "over_link"}
    # What stood already, and what a run that went well is known of, is there.
    again, none = stands_now(after, put(after, "pools", second))
    assert (again, none) == (after, ())
    ran = LogEntry(id="ran", on=date(2026, 11, 1), kind="backup_run", about_kind="job", about="far")
    logged = before.model_copy(update={"log": (ran,)})
    assert stands_now(logged, put(logged, "pools", second))[1] == ()
