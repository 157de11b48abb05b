"""Folders of a rig: gone with it, or with the next one where it was killed; never another's."""

import subprocess
import sys
from pathlib import Path

import pytest

from kavrel.rig import workspace as place

HOLDS = """
import sys
from kavrel.rig import workspace as place
place.IN_MEMORY = sys.argv[1]
with place.workspace() as folder:
    (folder / "made").write_text("x")
    print(folder, flush=True)
    sys.stdin.read()
"""


def test_what_a_killed_rig_left_goes_with_the_next_and_what_is_in_use_stays(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def holder() -> tuple[subprocess.Popen[str], Path]:
        words = [sys.executable, "-c", HOLDS, str(tmp_path)]
        process = subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
        assert process.stdout
        return process, Path(process.stdout.readline().strip())

    (killed, left), (alive, used) = holder(), holder()
    killed.kill()
    killed.communicate()
    monkeypatch.setattr(place, "IN_MEMORY", str(tmp_path))
    with place.workspace():
        assert left.exists()  # it could be one that another rig has made this moment
    monkeypatch.setattr(place, "NEW_SECONDS", -1)
    with place.workspace() as mine:
        assert (mine.exists(), left.exists(), (used / "made").exists()) == (True, False, True)
    alive.communicate("")
    assert list(tmp_path.iterdir()) == []
