"""A mirror with a trash can, by a real rsync on local files: what it can bring back is what is predicted.

Source: rsync(1), --delete with --backup and --backup-dir; the common practice of seven days.
"""

import json
import os
import shutil
from datetime import UTC, datetime, timedelta
from pathlib import Path

from kavrel.core.copies.retention import existing, keep
from kavrel.core.plan import Retention
from kavrel.core.quantities import DAY
from kavrel.formats.lab_jobs import lab_jobs
from tests.builders import dataset, job, lab
from tests.conftest import needs
from tests.formats.hostside.box import Box

FIRST = datetime(2026, 3, 1, 1, 0, tzinfo=UTC)
NIGHTS = 20
TRASH_DAYS = 7
# File, written before which night, deleted before which night (or never).
LIVES = (
    ("stays", 0, None),
    ("early", 0, 3),
    ("late", 2, 15),
    ("last", 5, 19),
    ("short", 8, 10),
    ("between", 6, 6),  # written and deleted between two runs
)


def mirror(box: Box, night: int) -> None:
    """One run of the script that the timers start."""
    done = box.run("m", now=(FIRST + timedelta(days=night)).timestamp())
    assert done.returncode == 0, done.stderr


@needs("rsync")
def test_what_comes_back_is_what_the_retention_predicts(tmp_path: Path) -> None:
    source, target = tmp_path / "source", tmp_path / "far" / "target"
    source.mkdir()
    box = Box(tmp_path)
    pairs = [[str(source), str(target)]]
    box.jobs(
        m={
            "kind": "folder_mirror",
            "pairs": pairs,
            "trash_days": TRASH_DAYS,
            "left_out": ["*.part"],
        }
    )
    runs = [(FIRST + timedelta(days=n)).timestamp() for n in range(NIGHTS)]
    points = keep([(t, t) for t in runs], Retention(trash_days=TRASH_DAYS), "UTC")
    for night in range(NIGHTS):
        for name, written, deleted in LIVES:
            if written == night != deleted:
                (source / name).write_text(f"{name} {night}", encoding="utf-8")
            if deleted == night:
                (source / name).unlink(missing_ok=True)
        # One file changes every night: its older states are what the can holds of it.
        (source / "diary").write_text(f"day {night}", encoding="utf-8")
        os.utime(source / "diary", (runs[night], runs[night]))  # rsync looks at size and time
        (source / "film.part").write_text("half", encoding="utf-8")  # left out: never there
        mirror(box, night)
        held = {p.name for p in target.iterdir()}
        trash = target.parent / ".trash-target"
        held |= {p.name for p in trash.rglob("*") if p.is_file()} if trash.exists() else set()
        # The prediction: a file comes back if a point that still exists saw it.
        seen = {runs.index(p.data_time) for p in existing(points, runs[night])}
        predicted = {"diary"} | {
            name
            for name, written, deleted in LIVES
            if any(written <= n and (deleted is None or n < deleted) for n in seen)
        }
        assert held == predicted, night
        days = {
            int(p.read_text(encoding="utf-8").split()[1])
            for p in [target / "diary", *(trash.rglob("diary") if trash.exists() else ())]
        }
        assert days == seen
        assert listed(box, night) == [runs[n] for n in sorted(seen)]
    assert len(seen) == TRASH_DAYS + 1
    assert os.listdir(source)


def listed(box: Box, night: int) -> list[float]:
    """The states that the script says can be had back."""
    said = box.run("points", now=(FIRST + timedelta(days=night, hours=3)).timestamp())
    found: list[float] = json.loads(said.stdout)["points"]["m"]["listed"]
    return found


@needs("rsync")
def test_a_can_that_somebody_emptied_takes_every_older_state_along(tmp_path: Path) -> None:
    source, target = tmp_path / "source", tmp_path / "far" / "target"
    source.mkdir()
    box = Box(tmp_path)
    pairs = [[str(source), str(target)]]
    box.jobs(m={"kind": "folder_mirror", "pairs": pairs, "trash_days": TRASH_DAYS})
    runs = [(FIRST + timedelta(days=n)).timestamp() for n in range(6)]
    for night, moment in enumerate(runs):
        (source / "diary").write_text(f"day {night}", encoding="utf-8")
        os.utime(source / "diary", (moment, moment))
        if night == 4:
            shutil.rmtree(sorted((target.parent / ".trash-target").iterdir())[-2])  # of night 2
        mirror(box, night)
    assert listed(box, 5) == runs[2:]
    # A night on which nothing was replaced leaves no can, and no gap either.
    mirror(box, 6)
    assert listed(box, 6) == [*runs[2:], (FIRST + timedelta(days=6)).timestamp()]
    assert DAY == 86_400


@needs("rsync")
def test_what_other_datasets_keep_inside_is_not_carried_along(tmp_path: Path) -> None:
    """A dataset inside another has copies of its own, or none: on ZFS and Btrfs it is not in its parent's."""
    source, target = tmp_path / "source", tmp_path / "far" / "target"
    names = ["inner", "a [b]*", "back\\slash", "back\\slash ?", "deep/er"]
    for name in (*names, "other", "inner two", "deep/other", "sub/inner"):
        (source / name).mkdir(parents=True)
        (source / name / "file").write_text(name, encoding="utf-8")
    box = Box(tmp_path)
    pairs = [[str(source), str(target)]]
    box.jobs(m={"kind": "folder_mirror", "pairs": pairs, "within": {str(source): names}})
    mirror(box, 0)
    held = {str(f.parent.relative_to(target)) for f in target.rglob("file")}
    assert held == {"other", "inner two", "deep/other", "sub/inner"}
    mirror(box, 1)  # and what stands there is nobody's to empty
    assert {str(f.parent.relative_to(target)) for f in target.rglob("file")} == held


def test_the_boxes_are_told_which_folders_are_of_other_datasets() -> None:
    inner = dataset(id="inner", name="in", parent="files")
    deep = dataset(id="deep", name="deep", parent="inner")
    beside = dataset(id="beside", name="files two")
    plan = lab(
        datasets=(dataset(), inner, deep, beside),
        jobs=(
            job("m", kind="mirror", target_pool="second", retention=Retention()),
            job("s", kind="replication", target_pool="second", retention=Retention(last=3)),
        ),
    )
    told = json.loads(lab_jobs(plan, "box", "r"))["jobs"]
    assert told["m"]["within"] == {"/srv/main/files": ["in"]}
    assert "within" not in told["s"]
