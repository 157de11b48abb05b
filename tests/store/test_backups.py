"""The database kept safe: copies that are whole, brought back; damage that is never written to."""

import multiprocessing
import os
import signal
import sqlite3
import subprocess
import sys
from collections.abc import Callable
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kavrel.core.plan import Plan
from kavrel.store.backups import (
    BadRule,
    copies,
    folder_of,
    held,
    nightly,
    prune,
    restore,
    rule_of,
    salvage,
    set_aside,
)
from kavrel.store.database import Database, StoreError, backup, migrations
from kavrel.store.plans import Plans
from kavrel.store.thinning import Made, kept, thin
from tests.builders import lab
from tests.conftest import NOW, needs

PAGE = 4096


@pytest.fixture
def path(tmp_path: Path) -> Path:
    return tmp_path / "data" / "kavrel.db"


def called(text: str) -> Callable[[Plan], tuple[Plan, str]]:
    return lambda plan: (plan.model_copy(update={"variant": text}), text)


def filled(path: Path, *names: str) -> None:
    """A database with a plan of each name, each with a few revisions."""
    database = Database(path)
    plans = Plans(database, lambda: NOW)
    for name in names:
        key = plans.create(lab().model_copy(update={"name": name}), "new")
        for number in range(1, 6):
            text = f"{name} {number}"
            plans.change(key, number, None, called(text))
    database.close()


def damage(path: Path, page: int) -> None:
    with path.open("r+b") as file:
        file.seek(page * PAGE)
        file.write(os.urandom(PAGE))


def names(path: Path) -> dict[str, Plan]:
    database = Database(path)
    plans = Plans(database, lambda: NOW)
    found = {r.name: plans.head(r.id)[1] for r in plans.rows()}
    database.close()
    return found


@pytest.mark.parametrize("text", ["", "7", "d7", "7d7d", "0d", "7d 2w", "7x", "99999d", "-1d"])
def test_a_rule_that_is_none(text: str) -> None:
    with pytest.raises(BadRule):
        rule_of(text)


def test_a_year_of_nights_leaves_what_the_rule_says(path: Path) -> None:
    filled(path, "lab")
    folder = folder_of(path)
    folder.mkdir()
    rule, begin = rule_of("7d2w1m1y"), datetime(2026, 1, 1, 3, tzinfo=UTC)
    for day in range(365):
        now = begin + timedelta(days=day)
        (folder / f"kavrel-{now:%Y%m%dT%H%M%S}Z.db").write_bytes(b"")
        prune(folder, rule, "Europe/Berlin", now)
    left = [datetime.fromtimestamp(t, UTC).date() for t, _ in copies(folder)]
    # Worked by hand: 7 days, then the Sundays of two weeks before them, the last of a month before.
    assert left[-7:] == [date(2026, 12, d) for d in range(25, 32)]
    assert date(2026, 12, 20) in left
    assert 10 <= len(left) <= 11


def test_the_nightly_copy_is_whole_and_its_owner_s_alone(path: Path) -> None:
    filled(path, "lab")
    made, gone = nightly(path, rule_of("2d"), "UTC", NOW)
    assert held(made).plans == (("lab", 6),)
    assert not gone
    assert made.stat().st_mode & 0o077 == 0
    for day in range(1, 4):
        _, gone = nightly(path, rule_of("2d"), "UTC", NOW + timedelta(days=day))
    assert len(copies(folder_of(path))) == 2
    assert len(gone) == 1


def test_a_copy_comes_back_and_what_it_replaced_is_kept(path: Path) -> None:
    filled(path, "first")
    made, _ = nightly(path, rule_of("1d"), "UTC", NOW)
    filled(path, "second")
    aside = restore(made, path, NOW)
    assert set(names(path)) == {"first"}
    assert aside
    assert set(names(aside)) == {"first", "second"}
    open_now = Database(path)
    with pytest.raises(StoreError, match="another Kavrel"):
        restore(made, path, NOW)
    open_now.close()


@needs("unshare")
@pytest.mark.skipif(os.geteuid() != 0, reason="a mount that nobody writes to needs root")
def test_a_copy_comes_back_from_a_medium_that_nobody_writes_to(path: Path, tmp_path: Path) -> None:
    """Source: Database File Format of SQLite, bytes 18 and 19 (1: no side files to read it); SQLite itself."""
    filled(path, "lab")
    stick = tmp_path / "stick"
    stick.mkdir()
    backup(path, stick / "new.db")
    assert (stick / "new.db").read_bytes()[18:20] == b"\1\1"
    held(stick / "new.db")
    assert [p.name for p in stick.iterdir()] == ["new.db"], "nothing is left beside it"
    (stick / "old.db").write_bytes(path.read_bytes())  # as copies were made until now
    assert (stick / "old.db").read_bytes()[18:20] == b"\2\2"
    kavrel = f"echo y | {sys.executable} -m kavrel.cli restore --database {path}"
    shown = (
        f"mount --bind {stick} {stick} && mount -o remount,ro,bind {stick} && ! touch {stick}/x && "
        f"{kavrel} {stick}/new.db && {kavrel} {stick}/old.db"
    )
    done = subprocess.run(
        ["unshare", "-m", "sh", "-c", shown], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout + done.stderr
    assert set(names(path)) == {"lab"}


@pytest.mark.skipif(os.geteuid() != 0, reason="only root makes files for others")
def test_what_root_makes_beside_a_database_is_its_owner_s(path: Path) -> None:
    """Commands are typed as root at the machine; the service runs as a user of its own."""
    path.parent.mkdir()
    os.chown(path.parent, 4321, 4322)
    filled(path, "lab")
    made, _ = nightly(path, rule_of("7d"), "UTC", NOW)
    restore(made, path, NOW)
    beside = [path, path.with_name("kavrel.db.lock"), made, made.parent]
    assert {(p.stat().st_uid, p.stat().st_gid) for p in beside} == {(4321, 4322)}


def test_what_is_no_copy_is_not_brought_back(path: Path, tmp_path: Path) -> None:
    filled(path, "lab")
    other = tmp_path / "other.db"
    for content in (b"", b"no database", path.read_bytes()[: 3 * PAGE]):
        other.write_bytes(content)
        with pytest.raises(StoreError):
            restore(other, path, NOW)
    with pytest.raises(StoreError):
        restore(tmp_path / "missing.db", path, NOW)
    assert set(names(path)) == {"lab"}


def test_a_damaged_file_is_refused_and_not_a_byte_of_it_is_written(path: Path) -> None:
    filled(path, "lab", "other")
    pages = path.stat().st_size // PAGE
    refused = 0
    for page in range(pages):
        whole = path.read_bytes()
        damage(path, page)
        broken = path.read_bytes()
        try:
            Database(path).close()
        except StoreError:
            refused += 1
            assert path.read_bytes() == broken
        path.write_bytes(whole)
    assert refused >= pages * 0.9, "the rest are pages that are free"
    Database(path).close()


def test_what_can_still_be_read_of_a_damaged_file_is_saved(path: Path, tmp_path: Path) -> None:
    filled(path, "one", "two", "three")
    whole, best = path.read_bytes(), 0
    wanted = names(path)
    pages = len(whole) // PAGE
    for page in range(1, pages, 7):
        damaged = tmp_path / f"damaged-{page}.db"
        damaged.write_bytes(whole)
        damage(damaged, page)
        target = tmp_path / f"saved-{page}.db"
        salvage(damaged, target)
        held(target)
        saved = names(target)
        # Whatever is saved is a whole plan as it once was, never half of one.
        for name, plan in saved.items():
            old = plan.variant == "" or plan.variant.startswith(name)
            assert old
            assert plan.model_copy(update={"variant": ""}) == wanted[name].model_copy(
                update={"variant": ""}
            )
        best = max(best, len(saved))
    assert best == 3


def test_set_aside_takes_what_lies_beside_along(path: Path) -> None:
    filled(path, "lab")
    path.with_name(path.name + "-wal").write_bytes(b"log")
    aside = set_aside(path, "damaged", NOW)
    assert aside
    assert aside.with_name(aside.name + "-wal").read_bytes() == b"log"
    assert not path.with_name(path.name + "-wal").exists()
    filled(path, "lab")
    again = set_aside(path, "damaged", NOW)
    assert again != aside


def test_the_schema_is_not_changed_without_a_copy(path: Path) -> None:
    path.parent.mkdir(parents=True)
    old = sqlite3.connect(path)
    known = migrations()
    for number, script in known[:-1]:
        old.executescript(f"{script}\nPRAGMA user_version = {number};")
    old.close()
    Database(path).close()
    (copy,) = folder_of(path).iterdir()
    assert copy.name.startswith(f"before-schema-{known[-1][0]}-")
    with sqlite3.connect(copy) as db:
        assert db.execute("PRAGMA user_version").fetchone() == (known[-2][0],)
    db.close()


def _writes_until_it_is_killed(path: Path) -> None:
    database = Database(path)
    plans = Plans(database, lambda: NOW)
    key = plans.create(lab(), "new")
    number = 1
    while True:
        text = f"step {number}"
        plans.change(key, number, None, called(text))
        path.with_suffix(".said").write_text(text)
        number += 1


def test_after_a_crash_everything_is_looked_at_and_nothing_acknowledged_is_lost(path: Path) -> None:
    path.parent.mkdir(parents=True)
    process = multiprocessing.get_context("fork").Process(
        target=_writes_until_it_is_killed, args=(path,)
    )
    process.start()
    said = path.with_suffix(".said")
    while not said.exists() or said.read_text() in ("", "step 1", "step 2"):
        assert process.is_alive()
    assert process.pid
    os.kill(process.pid, signal.SIGKILL)
    process.join()
    assert path.with_name(path.name + "-wal").stat().st_size
    (plan,) = names(path).values()
    acknowledged = int((said.read_text() or "step 0").split()[1])
    assert int(plan.variant.split()[1]) >= acknowledged


# -- old revisions -----------------------------------------------------------------------------------


@given(st.lists(st.integers(0, 2000), max_size=600), st.sets(st.integers(1, 600), max_size=5))
def test_thinning_keeps_the_newest_the_young_the_pinned_and_one_of_each_day_and_month(
    ages: list[int], always: set[int]
) -> None:
    today = date(2026, 11, 24)
    days = [today - timedelta(days=a) for a in sorted(ages, reverse=True)]
    made = [Made(n, on) for n, on in enumerate(days, 1)]
    stay = kept(made, frozenset(always), today)
    assert stay <= {m.number for m in made}
    assert always & {m.number for m in made} <= stay
    assert {m.number for m in made[-200:]} <= stay
    assert {m.number for m in made if (today - m.on).days < 30} <= stay
    for one in made:
        same_month = [
            m.number for m in made if (m.on.year, m.on.month) == (one.on.year, one.on.month)
        ]
        assert stay & set(same_month)


def test_undo_goes_past_what_was_thinned(path: Path) -> None:
    database = Database(path)
    clock = [datetime(2024, 1, 1, tzinfo=UTC)]
    plans = Plans(database, lambda: clock[0])
    key = plans.create(lab(), "new")
    for number in range(1, 260):
        clock[0] += timedelta(minutes=1)
        text = str(number)
        plans.change(key, number, None, called(text))
    plans.pin(key, 3)
    gone = thin(database, date(2026, 11, 24))
    assert gone == 260 - 200 - 1
    left = [r.number for r in plans.revisions(key)]
    assert left == [*range(260, 60, -1), 3]
    for _ in range(200):
        plans.move(key, plans.row(key).head, "undo")
    assert plans.row(key).head == 3
    assert not plans.row(key).can_undo
    plans.move(key, 3, "redo")
    assert plans.row(key).head == 61
    database.close()
