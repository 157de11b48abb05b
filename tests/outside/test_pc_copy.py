"""What a Linux PC is told to run, run: into the mounted share, and nowhere when it is not mounted.

Source: rsync, mountpoint of util-linux and a mount namespace themselves.
"""

import os
import subprocess
from pathlib import Path

import pytest

from kavrel.core.index import Index
from kavrel.core.works.page import page_works
from tests.builders import TODAY
from tests.conftest import needs
from tests.core.works.test_pc import desk

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
        "./desk-copy/pictures/new one",
        # A folder that is not there empties nothing.
        "source gone 23",
        "./desk-copy/pictures/new one",
    ]
