"""The real lab-job, run for a box of the rig: the same code, with the box's commands and clock beneath it.

What the script asks of its machine (commands, files below /srv, the time, its host's name) is answered
by the box; what it keeps for itself lies in the box's private folder. Anything else it cannot reach:
a name that is not here raises, and the real machine never sees it.
"""

import io
import json
import os
import tempfile
import time
from collections.abc import Iterator, Sequence
from functools import lru_cache, partial
from pathlib import Path
from types import CodeType, ModuleType, SimpleNamespace
from typing import Any, NamedTuple

from kavrel.formats.lab_jobs import script
from kavrel.rig.box import Box
from kavrel.rig.data import NoRoom
from kavrel.rig.said import Said, failed
from kavrel.rig.tools import spread

PIPE, DEVNULL = -1, -3


class Ended(NamedTuple):
    """How a run of lab-job ended, and what it printed."""

    code: int
    out: str
    err: str


class _Done(NamedTuple):
    """What subprocess.run gives back."""

    args: Sequence[str]
    returncode: int
    stdout: Any
    stderr: Any


class _Going:
    """What subprocess.Popen gives back: the stand-in has already done it."""

    def __init__(self, said: Said) -> None:
        self.said, self.stdout = said, io.BytesIO(said.out)
        self.stderr = io.BytesIO(said.err.encode())
        self.returncode = said.code

    def wait(self) -> int:
        """Its exit code."""
        return self.said.code


class Commands:
    """subprocess, as far as lab-job and lab-look use it, over the commands of a box."""

    PIPE, DEVNULL = PIPE, DEVNULL
    Popen: Any
    CompletedProcess = _Done
    SubprocessError = OSError
    TimeoutExpired = TimeoutError

    def __init__(self, box: Box) -> None:
        self.box = box
        self.Popen = self._open

    def run(
        self, words: Sequence[str], *, text: bool = False, stdout: Any = None, **told: Any
    ) -> _Done:
        """Runs to the end. Raises FileNotFoundError where the box has no such command."""
        given = told.get("input", "")
        said = self.box.command(list(words), given.encode() if isinstance(given, str) else given)
        if hasattr(stdout, "write"):
            stdout.write(said.out)
            return _Done(words, said.code, None, said.err)
        if text:
            return _Done(words, said.code, said.out.decode(errors="replace"), said.err)
        return _Done(words, said.code, said.out, said.err.encode())

    def _open(self, words: Sequence[str], stdin: Any = None, **told: Any) -> _Going:
        given = stdin.getvalue() if isinstance(stdin, io.BytesIO) else b""
        try:
            return _Going(self.box.command(list(words), given))
        except FileNotFoundError:
            raise
        except KeyError:
            return _Going(failed("broken stream"))


class Folders:
    """os, as far as the scripts use it: the box's folders, and its private place for real."""

    path = os.path
    R_OK, W_OK, X_OK = os.R_OK, os.W_OK, os.X_OK
    access = staticmethod(os.access)
    utime = staticmethod(os.utime)
    replace = staticmethod(os.replace)
    fsencode = staticmethod(os.fsencode)

    def __init__(self, box: Box) -> None:
        self.box = box
        self.environ: dict[str, str] = {}

    def walk(self, top: str, topdown: bool = True) -> Iterator[tuple[str, list[str], list[str]]]:
        """As os.walk, over the files of a box; those of a fast tier by themselves."""
        fast = spread.fast_at(self.box, top)
        if fast is not None:
            yield top, [], spread.waiting(self.box, fast)
            return
        data, name = self.box.find(top)
        below = data.below(name)
        folders: dict[str, set[str]] = {"": set()}
        files: dict[str, list[str]] = {}
        for path in below:
            above, _, leaf = path.rpartition("/")
            files.setdefault(above, []).append(leaf)
            while above:
                up, _, own = above.rpartition("/")
                folders.setdefault(above, set())
                folders.setdefault(up, set()).add(own)
                above = up
        if not below and not self.box.is_folder(top):
            return
        order = sorted(folders, reverse=not topdown)
        for folder in order:
            yield f"{top}/{folder}".rstrip("/"), sorted(folders[folder]), files.get(folder, [])

    def listdir(self, path: Path) -> list[str]:
        """Names in a folder of the script's own."""
        path.relative_to(self.box.folder)  # raises outside of it
        return os.listdir(path)

    def lstat(self, path: str) -> SimpleNamespace:
        """Size and times. Raises FileNotFoundError."""
        file = self.box.file(path)
        if file is None:
            raise FileNotFoundError(2, "No such file or directory", path)
        return SimpleNamespace(st_size=file.size, st_mtime=file.mtime, st_ctime=file.mtime)

    def unlink(self, path: str) -> None:
        """Removes a file."""
        data, name = self.box.find(path)
        if name not in data.files:
            raise FileNotFoundError(2, "No such file or directory", path)
        data.remove(name)

    def rmdir(self, path: str) -> None:
        """Removes an empty folder."""
        data, name = self.box.find(path)
        if any(n.startswith(f"{name}/") for n in data.files):
            raise OSError(39, "Directory not empty", path)
        data.folders.discard(name)

    def statvfs(self, path: str) -> SimpleNamespace:
        """What is free there."""
        data, _ = self.box.find(path)
        free = data.room.capacity - data.room.used
        return SimpleNamespace(f_bavail=free // 4096, f_frsize=4096)

    def readlink(self, path: str) -> str:
        """No process of a box has files open."""
        raise FileNotFoundError(2, "No such file or directory", path)


def _print(
    out: io.StringIO, *words: object, end: str = "\n", file: io.StringIO | None = None
) -> None:
    print(*words, end=end, file=file or out)


@lru_cache(maxsize=1)
def _code() -> CodeType:
    return compile(script(), "lab-job", "exec")


class Hands:
    """lab-job on one box; `jobs` is its lab-jobs.json."""

    def __init__(self, box: Box, jobs: str) -> None:
        self.box = box
        box.folder.mkdir(parents=True, exist_ok=True)
        self.text, self.told = jobs, json.loads(jobs)
        self.module = module = ModuleType(f"lab_job of {box.name}")
        exec(_code(), module.__dict__)  # noqa: S102  # our own script, as it is put on every box
        self.folders = Folders(box)
        self.behind: list[str] = []  # what follows the job that ran last in its line
        self._in_line = False
        self._run_job = module.run_job
        names = module.__dict__
        names |= {
            "run_job": self._one_of_them,
            "run_with_followers": self._first_of_line,
            "CONFIG": SimpleNamespace(read_text=lambda encoding: self.text),
            "json": SimpleNamespace(loads=self._loads, dumps=json.dumps),
            "STATE": box.folder / "state",
            "MADE": box.folder / "made",  # no setup.sh has run here
            "OWN": box.folder / "own",
            "SECRETS": box.folder / "secrets",
            "subprocess": Commands(box),
            "os": self.folders,
            "glob": SimpleNamespace(glob=self._globbed),
            "socket": SimpleNamespace(gethostname=lambda: box.name),
            "time": SimpleNamespace(time=self._now, localtime=self._localtime),
            "tempfile": SimpleNamespace(
                TemporaryDirectory=partial(tempfile.TemporaryDirectory, dir=box.folder)
            ),
        }

    def _one_of_them(self, name: str, *told: Any) -> None:
        """One job of a start: what it writes is there when it has ended, and not when all have."""
        lab = self.box.lab
        if lab.touched is not None:
            lab.touched.begins(name)
        try:
            self._run_job(name, *told)
        finally:
            if lab.touched is not None:
                lab.touched.ended(lab.moment)

    def _first_of_line(
        self, name: str, jobs: dict[str, Any], zone: str, show: bool, now: float, by_cron: bool
    ) -> None:
        """What is behind it starts when it has ended, and here that may be days after what others do."""
        self._one_of_them(name, jobs[name], zone, show, now)
        if by_cron or self._in_line:
            self.behind = list(jobs[name].get("then", ()))

    def _now(self) -> float:
        return self.box.lab.moment + self.box.clock

    def _localtime(self, moment: float) -> SimpleNamespace:
        there = time.gmtime(moment)
        offset = self.box.lab.offset(moment)
        return SimpleNamespace(tm_gmtoff=offset, tm_year=there.tm_year)

    def _globbed(self, pattern: str) -> list[str]:
        if "*" not in pattern:
            return [pattern] if self.box.is_folder(pattern) else []
        above, _, below = pattern.partition("/*")
        if not self.box.is_folder(above):
            return []
        names = (f"{above}/{name}{below}" for name in self.box.listed(above))
        return [path for path in names if self.box.is_folder(path)]

    def run(self, *words: str, in_line: bool = False) -> Ended:
        """lab-job WORDS, now; `in_line` as the next job of a line that goes on."""
        self.behind, self._in_line = [], in_line
        # Not by redirecting the real ones: other threads of a server print meanwhile.
        out, err = io.StringIO(), io.StringIO()
        names = self.module.__dict__
        names["sys"] = SimpleNamespace(stderr=err)
        names["print"] = partial(_print, out)
        self.folders.environ["LAB_JOB_NOW"] = str(self.box.lab.now + self.box.clock)
        try:
            code = self.module.main(list(words))
        except NoRoom:
            err.write("No space left on device\n")
            code = 1
        return Ended(code, out.getvalue(), err.getvalue())

    def _loads(self, text: str) -> Any:
        # The file is the same at every start, and the script only reads it.
        if text is not self.text:
            return json.loads(text)
        if not self.box.hollow:
            return self.told
        emptied = {
            name: told | {key: [] for key in ("sets", "pairs") if key in told}
            for name, told in self.told["jobs"].items()
            if name in self.box.hollow
        }
        return self.told | {"jobs": self.told["jobs"] | emptied}

    def jobs(self) -> dict[str, Any]:
        """Its lab-jobs.json."""
        told: dict[str, Any] = self.told
        return told

    def stamped(self, name: str) -> float | None:
        """When a job last began here."""
        moment: float | None = self.module.stamped(name, "began")
        return moment
