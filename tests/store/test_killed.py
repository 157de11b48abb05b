"""Killed while editing and while a box reports: nothing that was acknowledged is lost, and all is whole."""

import multiprocessing
import os
import random
import signal
import time
from pathlib import Path

import pytest

from kavrel.core.edit import put
from kavrel.core.seen.machine import Machine, SeenRun
from kavrel.store.database import Database
from kavrel.store.looks import Looks
from kavrel.store.plans import Plans
from tests.builders import disk, lab
from tests.conftest import NOW
from tests.seeds import some

# In all, shared among databases: each start looks through the whole file after a kill, and a file grows.
KILLS, DATABASES = int(os.environ.get("KAVREL_KILLS", "1000")), 10


def _edits_and_reports(path: Path, key: str, acknowledged: Path) -> None:
    """One edit, one look with a run, over and over; what is done is said at once, in a file."""
    database = Database(path)
    plans, looks = Plans(database, lambda: NOW), Looks(database, lambda: NOW)
    number = plans.row(key).head
    with acknowledged.open("a", buffering=1) as told:
        while True:
            label = f"label {number}"
            wanted = put(plans.head(key)[1], "disks", disk(1, label=label))
            plans.change(key, number, None, lambda _, w=wanted, s=label: (w, s))  # type: ignore[misc]
            number = plans.row(key).head
            told.write(f"edit {number} {label}\n")
            at = 1e9 + number * 60
            run = SeenRun(job=f"job {number}", began=at, ended=at + 1, result="ok")
            machine = Machine(host="box", at=at, runs=(run,))
            looks.keep(key, "box", machine, f"look {number}".encode(), sent=True)
            told.write(f"look {number}\n")


@pytest.mark.parametrize(
    ("seed", "kills"),
    [
        (4, 10),
        *(
            pytest.param(seed, KILLS // DATABASES, marks=pytest.mark.prove)
            for seed in some(range(DATABASES))
        ),
    ],
)
def test_killed_again_and_again_nothing_acknowledged_is_lost(
    tmp_path: Path, seed: int, kills: int
) -> None:
    path, acknowledged = tmp_path / "kavrel.db", tmp_path / "acknowledged"
    database = Database(path)
    key = Plans(database, lambda: NOW).create(lab(), "new")
    database.close()
    luck = random.Random(seed)
    for round_ in range(kills):
        size = acknowledged.stat().st_size if acknowledged.exists() else 0
        process = multiprocessing.get_context("fork").Process(
            target=_edits_and_reports, args=(path, key, acknowledged)
        )
        process.start()
        while not acknowledged.exists() or acknowledged.stat().st_size <= size:
            assert process.is_alive(), f"it does not start again after {round_} kills"
            os.sched_yield()
        # Anywhere within what one round of both takes.
        until = time.monotonic() + luck.uniform(0, 0.03)
        while time.monotonic() < until:
            pass
        assert process.pid
        os.kill(process.pid, signal.SIGKILL)
        process.join()
    said = [line.split(" ", 2) for line in acknowledged.read_text().splitlines()]
    edits = {int(n): label for what, n, *rest in said if what == "edit" for label in rest}
    reports = [int(n) for what, n, *_ in said if what == "look"]
    assert min(len(edits), len(reports)) > kills / 2
    database = Database(path)
    plans, looks = Plans(database, lambda: NOW), Looks(database, lambda: NOW)
    for number, label in edits.items():
        assert plans.at(key, number).disks[0].label == label
    # Each is there once: what was being done at a kill is there whole, or not at all.
    head = plans.row(key).head
    assert head - max(edits) <= 1
    labels = [plans.at(key, number).disks[0].label for number in range(2, head + 1)]
    assert len(set(labels)) == head - 1
    assert {f"job {n}" for n in reports} <= {run.job for _, run in looks.runs(key, 10**6)}
    with database.reading() as db:
        assert db.execute("PRAGMA integrity_check").fetchone() == ("ok",)
        assert db.execute("PRAGMA foreign_key_check").fetchall() == []
    database.close()
