"""The real rsync over small files that stand for those of the rig: of their names, times and changes.

Two files are as large as one another here when they are so there, within chance, and content differs when it
differs there: so rsync decides as it would. Source: rsync(1), quick check and FILTER RULES.
"""

import hashlib
import os
import shutil
import subprocess
from collections.abc import Mapping, Sequence
from pathlib import Path

from kavrel.rig.files import File
from kavrel.rig.said import Said, failed
from kavrel.rig.workspace import workspace

SIZES = 9_973  # of a prime: two sizes that differ hardly ever look the same
NOT_HERE = ("--bwlimit", "--backup-dir", "--password-file", "--stats", "--mkpath")


class NotAsked(Exception):
    """The real rsync refused: what it said, and its exit code."""

    def __init__(self, said: Said) -> None:
        super().__init__(said.err)
        self.said = said


def ended(
    state: Mapping[str, File], now: Mapping[str, File], options: Sequence[str], aside: bool
) -> tuple[dict[str, File], dict[str, File]]:
    """What lies at the target afterwards, and what it put aside. Raises NotAsked."""
    known: dict[bytes, File] = {}
    with workspace() as folder:
        for place, files in (("from", state), ("to", now)):
            (folder / place).mkdir()
            for name, file in files.items():
                known[_put(folder / place / name, file)] = file
        can = [f"--backup-dir={folder / 'can'}"] if aside else []
        asked = [o for o in options if not o.startswith(NOT_HERE)]
        done = subprocess.run(  # noqa: S603  # words of our own script, over a folder of the rig
            [shutil.which("rsync") or "rsync", *asked, *can, f"{folder}/from/", f"{folder}/to/"],
            capture_output=True, text=True, check=False, env={"PATH": os.defpath, "LC_ALL": "C"},
        )  # fmt: skip
        if done.returncode:
            raise NotAsked(failed(done.stderr, done.returncode))
        return _taken(folder / "to", known), _taken(folder / "can", known)


def _put(path: Path, file: File) -> bytes:
    path.parent.mkdir(parents=True, exist_ok=True)
    # A version of a file is itself alone: two of one size and one time are still two.
    key = hashlib.sha256(f"{file.mark} {file.size} {file.sound}".encode()).hexdigest().encode()
    path.write_bytes(key + b"." * (file.size % SIZES))
    moment = int(file.mtime * 1e9)
    os.utime(path, ns=(moment, moment))
    return key


def _taken(folder: Path, known: Mapping[bytes, File]) -> dict[str, File]:
    return {
        str(path.relative_to(folder)): known[path.read_bytes()[:64]]
        for path in folder.rglob("*")
        if path.is_file()
    }
