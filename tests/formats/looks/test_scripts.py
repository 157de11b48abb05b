"""The scripts on a box are those that this Kavrel hands out, or it is said: by a real tool's sums."""

import subprocess
from datetime import date
from pathlib import Path

from kavrel.core.index import Index
from kavrel.core.plan import Plan
from kavrel.core.seen.drifted import Drifted
from kavrel.formats.lab_jobs import script
from kavrel.formats.lab_look import look_script
from kavrel.formats.looks.drifted import whole_drift
from kavrel.formats.looks.read import read_look
from kavrel.formats.looks.scripts import FOLDER
from tests.core.seen.test_points import machines
from tests.formats.looks.machines import look

TODAY = date(2026, 11, 24)


def rows(plan: Plan, host: str, folder: Path, **texts: str) -> list[Drifted]:
    """What is said of a box that has these scripts."""
    for name, text in texts.items():
        (folder / name.replace("_", "-")).write_text(text, encoding="utf-8")
    asked = ["sha256sum", f"{folder}/lab-job", f"{folder}/lab-look"]
    said = subprocess.run(asked, check=False, capture_output=True, text=True).stdout
    listing = ("scripts", "sha256sum", said.replace(str(folder), FOLDER))
    machine = read_look(
        look("box", ("meminfo", "m", "MemTotal: 16384000 kB\n"), listing), 0
    ).machine
    found = whole_drift(Index(plan), host, machine, TODAY).differences
    return [d for d in found if d.field in ("lab-job", "lab-look")]


def test_an_older_script_is_found_and_the_one_handed_out_is_not(demo: Plan, tmp_path: Path) -> None:
    assert rows(demo, "heron", tmp_path, lab_job=script(), lab_look=look_script()) == []
    older = rows(demo, "heron", tmp_path, lab_job=script() + "#\n", lab_look=look_script())
    assert [(d.verdict, d.field) for d in older] == [("different", "lab-job")]
    assert older[0].command.startswith("install -m 755 lab-job /usr/local/sbin/")


def test_a_box_that_runs_jobs_without_the_script_is_urgent(demo: Plan, tmp_path: Path) -> None:
    (row,) = rows(demo, "heron", tmp_path, lab_look=look_script())
    assert (row.verdict, row.field, row.urgent) == ("missing", "lab-job", True)
    # perch runs nothing: what looked there was carried over and taken away again.
    assert rows(demo, "perch", tmp_path) == []


def test_the_demos_machines_have_both(demo: Plan) -> None:
    seen = machines(demo)["heron"]
    found = whole_drift(Index(demo), "heron", seen, TODAY)
    assert [d for d in found.differences if d.field in ("lab-job", "lab-look")] == []
