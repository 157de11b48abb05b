"""The real rsync over small files: it decides as it would. Source: rsync(1), quick check and FILTER RULES."""

import os
import shutil
import subprocess
from collections.abc import Mapping, Sequence
from pathlib import Path

from kavrel.rig.files import File
from kavrel.rig.real.small import keys, put
from kavrel.rig.said import Said, failed
from kavrel.rig.workspace import workspace

NOT_HERE = ("--bwlimit", "--backup-dir", "--password-file", "--stats", "--mkpath")


class NotAsked(Exception):
    """The real rsync refused: what it said, and its exit code."""

    def __init__(self, said: Said) -> None:
        super().__init__(said.err)
        self.said = said


def ended(
    state: Mapping[str, File],
    now: Mapping[str, File],
    options: Sequence[str],
    aside: bool,
    ways: Sequence[str] = ("", ""),
) -> tuple[dict[str, File], dict[str, File]]:
    """What lies at the target afterwards, and what it put aside. Raises NotAsked.

    `ways`: for each end what leads there, empty where it is on the box itself; see `Ssh.way_of_rsync`.
    """
    known: dict[bytes, File] = {}
    with workspace() as folder:
        for place, files in (("from", state), ("to", now)):
            (folder / place).mkdir()
            for name, file in files.items():
                known[put(folder / place / name, file)] = file
        can = [f"--backup-dir={folder / 'can'}"] if aside else []
        asked = [o for o in options if not o.startswith(NOT_HERE)]
        asked += [f"--rsh={way}" for way in ways if way]
        ends = [
            f"{'far:' if w else ''}{folder}/{p}/" for w, p in zip(ways, ("from", "to"), strict=True)
        ]
        done = subprocess.run(  # noqa: S603  # words of our own script, over a folder of the rig
            [shutil.which("rsync") or "rsync", *asked, *can, *ends],
            capture_output=True, text=True, check=False, env={"PATH": os.defpath, "LC_ALL": "C"},
        )  # fmt: skip
        if done.returncode:
            raise NotAsked(failed(done.stderr, done.returncode))
        return _taken(folder / "to", known), _taken(folder / "can", known)


def _taken(folder: Path, known: Mapping[bytes, File]) -> dict[str, File]:
    return {name: known[key] for name, key in keys(folder)}
