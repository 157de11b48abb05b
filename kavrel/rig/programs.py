"""The boxes of a drill as programs: a folder for each box, with one small program for each command of it.

In the shell that is opened over them no other program is found: bash's restricted mode takes neither a
path for a command nor another PATH, and writes to no file (bash(1), RESTRICTED SHELL). It does read one by
`<`, by the rights of whoever sits there, and hands it to a stand-in.
"""

import os
import shutil
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from kavrel.rig.calls import answered, write_program, write_programs, write_start
from kavrel.rig.drilling import HANDS, Play
from kavrel.rig.said import Said, failed, lines
from kavrel.rig.tools import TOOLS


class Programs:
    """See above; `folders` has each box's own."""

    def __init__(self, play: Play, folder: Path) -> None:
        self.folder, self.play = folder, play
        self.bash, self.env = shutil.which("bash") or "bash", shutil.which("env") or "env"
        self.boxes = [
            host for host, box in play.lab.boxes.items() if box.stores and not box.host.closed
        ]
        self.folders = {host: folder / "bin" / host for host in self.boxes}
        self.start = folder / "start"

    def make(self, socket: Path) -> None:
        """Writes them."""
        names = {*TOOLS, "lab-job", HANDS}
        write_start(self.start, names)
        for host, place in self.folders.items():
            write_programs(place, names, host, socket)
            for other, there in self.folders.items():
                write_program(place / f"on-{other}", self._entering(other, there))

    def _entering(self, host: str, place: Path) -> str:
        told = " ".join(f"{k}={v!r}" for k, v in self._environment(host, place).items())
        return f"#!/bin/sh\nexec {self.env} -i {told} {' '.join(self._shell())}\n"

    def _environment(self, host: str, place: Path) -> dict[str, str]:
        return {
            "PATH": str(place),
            "HOME": str(self.folder),
            "TERM": os.environ.get("TERM", "dumb"),
            "PS1": f"{host}# ",
            "BASH_ENV": str(self.start),  # where lines are piped to it
            "LINES_FROM": str(os.fstat(0).st_ino),  # no program reads what is typed
        }

    def _shell(self) -> list[str]:
        return [self.bash, "--restricted", "--noprofile", "--rcfile", str(self.start)]

    def said(self, host: str, words: list[str], stdin: bytes) -> Said:
        """What a program of a box answers."""
        if words[0] != HANDS:
            return self.play.on_box(host, words, stdin)
        if len(words) > 1:
            return self.play.by_hand(" ".join(words[1:]))
        deeds = self.play.can_do()
        return (
            lines(*(f"{HANDS} {line:24} {says}" for line, says in deeds))
            if deeds
            else failed("nothing: everything stands and is open")
        )

    def shell(self, host: str) -> int:
        """A person at a box, until they leave; the code with which their shell ended."""
        place = self.folders[host]
        done = subprocess.run(  # noqa: S603  # restricted, and none of its words is anybody's
            self._shell(), env=self._environment(host, place), cwd=self.folder, check=False
        )
        return done.returncode


@contextmanager
def programs(play: Play, folder: Path) -> Iterator[Programs]:
    """The programs of a drill's boxes, for as long as somebody is at one."""
    made = Programs(play, folder)
    socket = folder / "rig"
    made.make(socket)
    with answered(socket, made.said):
        yield made
