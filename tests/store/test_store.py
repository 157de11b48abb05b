"""The store: nothing is lost, whatever happens in the middle."""

import multiprocessing
import os
import signal
import sqlite3
from collections.abc import Callable
from pathlib import Path

import pytest

from kavrel.core.edit import EditError, put, remove
from kavrel.core.evaluate import evaluate
from kavrel.core.plan import COLLECTIONS, LogEntry, Plan, Site
from kavrel.store.database import Database, StoreError, StoreFull, backup, migrations
from kavrel.store.plans import AGGREGATES, Conflict, NoSuchPlan, NoSuchRevision, Plans
from tests.builders import TODAY, disk, job, lab
from tests.conftest import NOW

ENTRY = LogEntry(
    id="e1",
    kind="incident",
    about_kind="disk",
    about="box1",
    on=TODAY,
    result="ok",
    who="",
    note="x",
)


def reopened(plans: Plans) -> Plans:
    """The same database without anything remembered."""
    plans._cache.clear()
    return plans


def rename(label: str) -> Callable[[Plan], tuple[Plan, str]]:
    return lambda plan: (put(plan, "disks", disk(1, label=label)), f"disk {label}")


def test_a_plan_comes_back_from_its_tables_exactly(plans: Plans, demo: Plan) -> None:
    key = plans.create(demo, "demo")
    assert reopened(plans).head(key)[1] == demo


def test_every_kind_of_change_reaches_the_tables(plans: Plans) -> None:
    key = plans.create(lab(), "new")
    plan = lab()
    steps = [
        put(plan, "sites", Site(id="s3", name="third", own=False)),
        put(plan, "jobs", job("r", kind="replication", target_pool="second", limit_mbit=5.5)),
        remove(plan, "accounts", "ana"),
        plan.model_copy(update={"disks": plan.disks[::-1]}),
        plan.model_copy(update={"name": "renamed", "zone": "Asia/Tokyo"}),
    ]
    for number, wanted in enumerate(steps, 1):
        plans.change(key, number, None, lambda _, w=wanted: (w, "step"))  # type: ignore[misc]
        assert reopened(plans).head(key)[1] == wanted


def test_what_an_edit_leaves_alone_is_the_very_same_thing_afterwards(plans: Plans) -> None:
    """So that nothing has to be read, compared or reckoned again."""
    key = plans.create(lab(), "new")
    before = plans.head(key)[1]
    plans.change(key, 1, ("disks", "box1"), rename("other"))
    after = plans.head(key)[1]
    assert after.disks[0].label == "other"
    assert all(one is two for one, two in zip(before.disks[1:], after.disks[1:], strict=True))
    assert after.jobs is before.jobs
    assert reopened(plans).head(key)[1] == after


def test_a_change_that_fails_at_its_end_is_not_remembered(
    plans: Plans, database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    key = plans.create(lab(), "new")

    def broken(*_: object) -> None:
        raise RuntimeError("at the very end")

    with monkeypatch.context() as patch:
        patch.setattr("kavrel.store.plans.log.write", broken)
        with pytest.raises(RuntimeError):
            plans.change(key, 1, None, lambda p: (p.model_copy(update={"log": (ENTRY,)}), "x"))
    plans.change(key, 1, ("disks", "box1"), rename("instead"))
    assert plans.head(key)[1].log == ()
    assert plans.head(key)[1].disks[0].label == "instead"


def test_every_part_of_a_plan_has_its_tables() -> None:
    named = [c for aggregate in AGGREGATES for c in aggregate.COLLECTIONS]
    assert sorted(named) == sorted(COLLECTIONS)


def test_two_disks_may_swap_their_bays(plans: Plans) -> None:
    key = plans.create(lab(), "new")
    first, second, *rest = lab().disks
    swapped = lab().model_copy(
        update={
            "disks": (
                first.model_copy(update={"bay": second.bay}),
                second.model_copy(update={"bay": first.bay}),
                *rest,
            )
        }
    )
    plans.change(key, 1, None, lambda _: (swapped, "swap"))
    assert reopened(plans).head(key)[1] == swapped


def test_undo_and_redo_walk_the_revisions(plans: Plans) -> None:
    key = plans.create(lab(), "new")
    for n, label in enumerate(("one", "two"), 1):
        plans.change(key, n, ("disks", "box1"), rename(label))
    plans.move(key, 3, "undo")
    plans.move(key, 2, "undo")
    row, plan = reopened(plans).head(key)
    assert plan == lab()
    assert (row.head, row.can_undo, row.can_redo) == (1, False, True)
    with pytest.raises(NoSuchRevision):
        plans.move(key, 1, "undo")
    plans.move(key, 1, "redo")
    assert plans.head(key)[1].disks[0].label == "one"
    # A new change after an undo begins a branch; redo then goes to the newest child.
    plans.move(key, 2, "undo")
    plans.change(key, 1, ("disks", "box1"), rename("three"))
    assert plans.head(key)[0].head == 4
    assert not plans.head(key)[0].can_redo
    assert plans.at(key, 3).disks[0].label == "two"


def test_two_tabs_on_the_same_thing_the_second_is_told(plans: Plans) -> None:
    key = plans.create(lab(), "new")
    plans.change(key, 1, ("disks", "box1"), rename("mine"))
    with pytest.raises(Conflict) as caught:
        plans.change(key, 1, ("disks", "box1"), rename("theirs"))
    assert caught.value.head == 2
    assert plans.head(key)[1].disks[0].label == "mine"


def test_two_tabs_on_different_things_both_go_through(plans: Plans) -> None:
    key = plans.create(lab(), "new")
    plans.change(key, 1, ("disks", "box1"), rename("mine"))
    plans.change(key, 1, ("disks", "box2"), lambda p: (put(p, "disks", disk(2, label="x")), "x"))
    assert [d.label for d in plans.head(key)[1].disks[:2]] == ["mine", "x"]


def test_a_change_that_changes_nothing_makes_no_revision(plans: Plans) -> None:
    key = plans.create(lab(), "new")
    plans.change(key, 1, None, lambda p: (p, "nothing"))
    assert plans.head(key)[0].head == 1


def test_pin_and_restore(plans: Plans) -> None:
    key = plans.create(lab(), "new")
    plans.pin(key, 1)
    assert plans.row(key).pinned == 1
    with pytest.raises(NoSuchRevision):
        plans.pin(key, 99)
    plans.pin(key, None)
    assert plans.row(key).pinned is None


def test_a_failure_in_the_middle_changes_nothing(plans: Plans, database: Database) -> None:
    key = plans.create(lab(), "new")

    def broken(plan: Plan) -> tuple[Plan, str]:
        with database.reading() as db:
            db.execute("DELETE FROM disk")
        raise RuntimeError("half way")

    with pytest.raises(RuntimeError):
        plans.change(key, 1, None, broken)
    assert reopened(plans).head(key)[1] == lab()


def test_a_full_disk_is_said_and_nothing_is_lost(plans: Plans, database: Database) -> None:
    key = plans.create(lab(), "new")
    with database.reading() as db:
        pages = db.execute("PRAGMA page_count").fetchone()[0]
        db.execute(f"PRAGMA max_page_count = {pages}")
    many = lab().model_copy(
        update={"disks": (*lab().disks, *(disk(n, None) for n in range(10, 400)))}
    )
    with pytest.raises(StoreFull, match="nothing was changed"):
        plans.change(key, 1, None, lambda _: (many, "many"))
    assert reopened(plans).head(key) == (plans.row(key), lab())


def _write_forever(path: str, started: "multiprocessing.synchronize.Event") -> None:
    plans = Plans(Database(Path(path)), lambda: NOW)
    key = plans.create(lab(), "new")
    number = 1
    while True:
        plans.change(key, number, None, rename(f"label {number}"))
        number += 1
        if number == 5:
            started.set()


def test_killed_in_the_middle_of_a_change_the_plan_is_whole(tmp_path: Path) -> None:
    context = multiprocessing.get_context("spawn")
    started = context.Event()
    path = tmp_path / "killed.db"
    process = context.Process(target=_write_forever, args=(str(path), started))
    process.start()
    assert started.wait(60)
    assert process.pid is not None
    os.kill(process.pid, signal.SIGKILL)
    process.join(20)
    database = Database(path)  # the lock went with the process
    plans = Plans(database, lambda: NOW)
    (row,) = plans.rows()
    assert row.head >= 5
    assert plans.head(row.id)[1] == plans.at(row.id, row.head)
    assert reopened(plans).at(row.id, row.head).disks[0].label == f"label {row.head - 1}"
    with database.reading() as db:
        assert db.execute("PRAGMA integrity_check").fetchone() == ("ok",)
        assert db.execute("PRAGMA foreign_key_check").fetchall() == []
    database.close()


def test_a_second_server_is_refused_with_a_reason(database: Database) -> None:
    with pytest.raises(StoreError, match="another Kavrel"):
        Database(database.path)


def test_backup_while_open_is_a_whole_database(
    plans: Plans, database: Database, tmp_path: Path
) -> None:
    key = plans.create(lab(), "new")
    copy = tmp_path / "copy.db"
    backup(database.path, copy)
    other = Database(copy)
    assert Plans(other, lambda: NOW).head(key)[1] == lab()
    other.close()
    with pytest.raises(StoreError, match="already there"):
        backup(database.path, copy)
    with pytest.raises(StoreError, match="no database"):
        backup(tmp_path / "nothing.db", tmp_path / "x.db")


def test_a_file_that_is_no_database_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "text.db"
    path.write_text("this is not a database, it is a letter to my aunt" * 50)
    with pytest.raises(StoreError, match="cannot be opened"):
        Database(path)


def test_a_database_of_a_newer_kavrel_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "new.db"
    raw = sqlite3.connect(path)
    raw.execute("PRAGMA user_version = 999")
    raw.close()
    with pytest.raises(StoreError, match="newer Kavrel"):
        Database(path)


def test_migrations_are_numbered_from_one_and_leave_the_newest_version(database: Database) -> None:
    numbers = [n for n, _ in migrations()]
    assert numbers == list(range(1, len(numbers) + 1))
    with database.reading() as db:
        assert db.execute("PRAGMA user_version").fetchone()[0] == numbers[-1]
        assert db.execute("PRAGMA journal_mode").fetchone()[0] == "wal"
        assert db.execute("PRAGMA foreign_keys").fetchone()[0] == 1


def test_a_database_of_the_first_schema_opens_with_everything_in_it(tmp_path: Path) -> None:
    # Written by the first version: the demo lab of then, a disk moved, and made a hot spare.
    path = tmp_path / "old.db"
    with sqlite3.connect(path) as old:
        old.executescript((Path(__file__).parent / "schema_1.sql").read_text(encoding="utf-8"))
    old.close()
    opened = Database(path)
    try:
        found = Plans(opened, lambda: NOW)
        (row,) = found.rows()
        assert (row.head, row.pinned, row.can_undo) == (3, 1, True)
        plan = found.head(row.id)[1]
        assert plan == found.at(row.id, 3)
        ridge = next(p for p in plan.pools if p.id == "ridge")
        assert (ridge.spares, ridge.tier, ridge.standing) == (("d11",), (), True)
        assert len(plan.disks) == 15
        found.move(row.id, 3, "undo")
        assert found.head(row.id)[1].pools[0].spares == ()
    finally:
        opened.close()


def test_a_plan_that_was_let_through_before_opens_is_worked_on_and_undone(tmp_path: Path) -> None:
    # Written by schema 5: a replication "encrypted" that was sent plain, a follower that nothing
    # starts, points thinned by a tool that cannot, a group that is the system's.
    path = tmp_path / "old.db"
    with sqlite3.connect(path) as old:
        for number, script in migrations()[:5]:
            old.executescript(f"{script}\nPRAGMA user_version = {number};")
        old.executescript((Path(__file__).parent / "schema_5_rows.sql").read_text(encoding="utf-8"))
    old.close()
    opened = Database(path)
    try:
        found = Plans(opened, lambda: NOW)
        (row,) = found.rows()
        plan = found.head(row.id)[1]
        assert plan == found.at(row.id, row.head)
        assert [j.name for j in plan.jobs] == ["sent", "follows", "thinned"]
        said = {(c.rule, c.about) for c in evaluate(plan, TODAY).cautions}
        assert {("not_carried_out", j) for j in ("sent", "follows", "thin")} <= said
        assert ("system_group", "all") in said
        # An edit elsewhere goes through; one that would bring the same in again does not.
        other = plan.jobs[2].model_copy(update={"limit_mbit": 3.0})
        found.change(row.id, row.head, None, lambda p: (put(p, "jobs", other), "slower"))
        again = plan.jobs[0].model_copy(update={"id": "again", "name": "again"})
        with pytest.raises(EditError, match="it would be sent plain"):
            found.change(row.id, 3, None, lambda p: (put(p, "jobs", again), "no"))
        found.move(row.id, 3, "undo")
        assert found.head(row.id)[1] == plan
    finally:
        opened.close()


@pytest.mark.parametrize(
    "statement",
    [
        "UPDATE disk SET capacity_bytes = 0",
        "UPDATE disk SET host = NULL WHERE bay IS NOT NULL",
        "UPDATE dataset SET worth = 'dear'",
        "UPDATE access_grant SET account_group = 'all'",
        "DELETE FROM host",
        "UPDATE dataset SET pool = 'nowhere'",
    ],
)
def test_the_tables_themselves_refuse_nonsense(
    plans: Plans, database: Database, statement: str
) -> None:
    plans.create(lab(), "new")
    with pytest.raises(sqlite3.IntegrityError), database.transaction() as db:
        db.execute(statement)


def test_deleting_a_plan_takes_its_rows_along(plans: Plans, database: Database) -> None:
    key = plans.create(lab(), "new")
    kept = plans.create(lab(name="other"), "new")
    plans.delete(key)
    assert [r.id for r in plans.rows()] == [kept]
    with pytest.raises(NoSuchPlan):
        plans.head(key)
    with database.reading() as db:
        tables = [r[0] for r in db.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
        for table in set(tables) - {
            "plan",
            "sqlite_sequence",
            "person",
            "session",
            "door_note",
            "door_rule",
            "passkey",
            "chore_done",
        }:
            sql = f"SELECT count(*) FROM {table} WHERE plan_id = ?"
            assert db.execute(sql, (key,)).fetchone() == (0,)


def test_database_and_backups_are_their_owners_alone(tmp_path: Path) -> None:
    # A folder whose name a URI would read as an escape, and a file that was open to all before.
    folder = tmp_path / "a%25b"
    folder.mkdir()
    path = folder / "kavrel.db"
    path.touch(mode=0o644)
    path.chmod(0o644)
    opened = Database(path)
    try:
        Plans(opened, lambda: NOW).create(lab(), "new")
        modes = {p.name: p.stat().st_mode & 0o077 for p in folder.iterdir()}
        assert set(modes) >= {"kavrel.db", "kavrel.db-wal"}
        assert not any(modes.values()), modes
        backup(path, folder / "copy.db")
        assert (folder / "copy.db").stat().st_mode & 0o077 == 0
    finally:
        opened.close()
    Database(folder / "copy.db").close()  # it opens
