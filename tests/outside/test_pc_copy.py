"""What a Linux PC is told to run, run: into the mounted share, and nowhere when it is not mounted.

The box that has the share looks at the mark of each good run.

Source: rsync, mountpoint of util-linux and a mount namespace themselves.
"""

import os
import subprocess
import sys
from pathlib import Path

import pytest

from kavrel.core.index import Index
from kavrel.core.shares.names import copy_folders
from kavrel.core.works.page import page_works
from kavrel.formats.hostside import lab_job
from kavrel.formats.lab_jobs import lab_jobs
from tests.builders import TODAY
from tests.conftest import needs
from tests.core.works.test_pc import desk, replace

pytestmark = [
    needs("rsync"),
    needs("unshare"),
    pytest.mark.skipif(os.geteuid() != 0, reason="a mount namespace needs root"),
]
RUN = """
mount -t tmpfs none /mnt && mkdir /mnt/pcs
{program}
echo "not mounted $?"; ls -A /mnt/pcs
mount -t tmpfs none /mnt/pcs
{program}; echo "mounted $?"
rm "$HOME/Pictures/old"; {program}; echo "again $?"
cd /mnt/pcs && find . -type f
mv "$HOME/Pictures" "$HOME/gone"; {program}; echo "source gone $?"
find . -type f
"""


def test_it_copies_into_the_mounted_share_and_never_beside_it(tmp_path: Path) -> None:
    works = {w.title: dict(w.values) for w in page_works(Index(desk("linux")), "desk", TODAY)}
    program, _, before = works["Task desk-copy: Pictures"]["program"].partition("; before it: ")
    assert before.startswith("mount /mnt/pcs")
    (tmp_path / "Pictures").mkdir()
    for name in ("new one", "old"):
        (tmp_path / "Pictures" / name).write_text(name)
    done = subprocess.run(
        ["unshare", "-m", "sh", "-c", RUN.format(program=program)],
        check=True,
        capture_output=True,
        text=True,
        env={**os.environ, "HOME": str(tmp_path)},
    ).stdout
    assert done.splitlines() == [
        "not mounted 32",
        "mounted 0",
        "again 0",
        "./desk-copy/.came-pictures",
        "./desk-copy/pictures/new one",
        # A folder that is not there empties nothing.
        "source gone 23",
        "./desk-copy/.came-pictures",
        "./desk-copy/pictures/new one",
    ]


# The share of the box is mounted on the PC: here both are one machine, and the mount is a bind.
WATCHED = """
set -e
mount -t tmpfs none /srv && mount -t tmpfs none /mnt && mkdir -p {share} /mnt/pcs
{late}
if sh {folder}/program; then echo ran; fi
mount --bind {share} /mnt/pcs
sh {folder}/program && ls -A {copy}
rm {folder}/home/Pictures/two && sh {folder}/program && ls -A {copy}
{look}
touch -d '5 days ago' {mark}
{look}
"""


def test_it_copies_leaves_its_mark_and_is_missed_when_it_stops(tmp_path: Path) -> None:
    plan = replace(desk("linux"), alarm_days=3.0)
    works = {w.title: dict(w.values) for w in page_works(Index(plan), "desk", TODAY)}
    program = works["Task desk-copy: Pictures"]["program"].partition("; before it")[0]
    (tmp_path / "program").write_text(program, encoding="utf-8")
    home = tmp_path / "home" / "Pictures"
    home.mkdir(parents=True)
    for name in ("one", "two"):
        (home / name).write_text(name)
    (tmp_path / "jobs.json").write_text(lab_jobs(plan, "far", "r"), encoding="utf-8")
    copy = copy_folders(plan)["desk-copy", "pictures"]
    look = f"{sys.executable} {lab_job.__file__} overdue 2>&1 || true"
    said = subprocess.run(
        ["unshare", "-m", "sh", "-c", WATCHED.format(
            folder=tmp_path, share=copy.rsplit("/", 2)[0], copy=copy, late=look, look=look,
            mark=f"{copy.rpartition('/')[0]}/.came-pictures",
        )],
        capture_output=True,
        text=True,
        check=False,
        env={
            **os.environ, "HOME": str(tmp_path / "home"), "LAB_JOBS": str(tmp_path / "jobs.json"),
            "LAB_JOB_STATE": str(tmp_path / "state"),
        },
    )  # fmt: skip
    assert said.returncode == 0, said.stderr
    # Not mounted: nothing goes beside it, and nothing was missed yet. Then a mirror, deletions too.
    assert said.stdout.split("\n")[:-1] == [
        "one", "two", "one", "desk-copy: nothing came for 5.0 days",
    ]  # fmt: skip
