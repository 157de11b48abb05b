"""The boxes of a drill as programs: a folder for each box, with one small program for each command of it.

Each hands its words, and what it reads, to the rig over a socket in the rig's own folder, and prints what that
answers. In the shell that is opened over them no other program is found: bash's restricted mode takes neither a
path for a command nor a redirection nor another PATH (bash(1), RESTRICTED SHELL).
"""

import base64
import json
import os
import shutil
import socketserver
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from threading import Lock, Thread
from typing import Any

from kavrel.rig.drilling import HANDS, Play
from kavrel.rig.said import Said, failed, lines
from kavrel.rig.tools import TOOLS

MOST = 64 * 2**20  # bytes that a program may be given
# Started for each command: nothing but what every Python has.
PROGRAM = """#!{python} -IS
import base64, json, os, socket, stat, sys
here = os.fstat(0)
piped = stat.S_ISFIFO(here.st_mode) and os.environ.get("LINES_FROM") != str(here.st_ino)
given = sys.stdin.buffer.read({most}) if piped else b""
words = [os.path.basename(sys.argv[0]), *sys.argv[1:]]
call = {{"at": {at!r}, "words": words, "stdin": base64.b64encode(given).decode()}}
line = socket.socket(socket.AF_UNIX)
line.connect({socket!r})
with line, line.makefile("rwb") as wire:
    wire.write(json.dumps(call).encode() + b"\\n")
    wire.flush()
    told = json.loads(wire.readline() or b'{{"code": 1, "out": "", "err": "the rig has ended"}}')
sys.stdout.buffer.write(base64.b64decode(told["out"]))
sys.stdout.flush()
if told["err"]:
    print(told["err"].rstrip(), file=sys.stderr)
sys.exit(told["code"])
"""


class _Server(socketserver.ThreadingUnixStreamServer):
    daemon_threads = True
    play: Play
    lock: Lock


class _Call(socketserver.StreamRequestHandler):
    server: _Server

    def handle(self) -> None:
        """One program of one box."""
        asked = json.loads(self.rfile.readline() or b"{}")
        if not asked:
            return
        with self.server.lock:  # the lab is one, and does one thing after the other
            said = self._said(asked)
        out = base64.b64encode(said.out).decode()
        self.wfile.write(
            json.dumps({"code": said.code, "out": out, "err": said.err}).encode() + b"\n"
        )

    def _said(self, asked: dict[str, Any]) -> Said:
        play, words = self.server.play, asked["words"]
        if words[0] != HANDS:
            return play.on_box(asked["at"], words, base64.b64decode(asked["stdin"]))
        if len(words) > 1:
            return play.by_hand(" ".join(words[1:]))
        deeds = play.can_do()
        return (
            lines(*(f"{HANDS} {line:24} {says}" for line, says in deeds))
            if deeds
            else failed("nothing: everything stands and is open")
        )


class Programs:
    """See above; `folders` has each box's own."""

    def __init__(self, play: Play, folder: Path) -> None:
        self.folder, self.play = folder, play
        self.bash, self.env = shutil.which("bash") or "bash", shutil.which("env") or "env"
        self.boxes = [
            host for host, box in play.lab.boxes.items() if box.stores and not box.host.closed
        ]
        self.folders = {host: folder / "bin" / host for host in self.boxes}

    def make(self, socket: Path) -> None:
        """Writes them."""
        names = {*TOOLS, "lab-job", HANDS}
        for host, place in self.folders.items():
            place.mkdir(parents=True)
            text = PROGRAM.format(python=sys.executable, most=MOST, at=host, socket=str(socket))
            for name in names:
                _program(place / name, text)
            for other, there in self.folders.items():
                _program(place / f"on-{other}", self._entering(other, there))

    def _entering(self, host: str, place: Path) -> str:
        told = " ".join(f"{k}={v!r}" for k, v in self._environment(host, place).items())
        return f"#!/bin/sh\nexec {self.env} -i {told} {' '.join(self._shell())}\n"

    def _environment(self, host: str, place: Path) -> dict[str, str]:
        return {
            "PATH": str(place),
            "HOME": str(self.folder),
            "TERM": os.environ.get("TERM", "dumb"),
            "PS1": f"{host}# ",
            "LINES_FROM": str(os.fstat(0).st_ino),  # no program reads what is typed
        }

    def _shell(self) -> list[str]:
        return [self.bash, "--restricted", "--norc", "--noprofile"]

    def shell(self, host: str) -> int:
        """A person at a box, until they leave; the code with which their shell ended."""
        place = self.folders[host]
        done = subprocess.run(  # noqa: S603  # restricted, and none of its words is anybody's
            self._shell(), env=self._environment(host, place), cwd=self.folder, check=False
        )
        return done.returncode


def _program(file: Path, text: str) -> None:
    file.write_text(text, encoding="utf-8")
    file.chmod(0o755)


@contextmanager
def programs(play: Play, folder: Path) -> Iterator[Programs]:
    """The programs of a drill's boxes, for as long as somebody is at one."""
    made = Programs(play, folder)
    socket = folder / "rig"
    made.make(socket)
    with _Server(str(socket), _Call) as server:
        server.play, server.lock = play, Lock()
        Thread(target=server.serve_forever, daemon=True).start()
        try:
            yield made
        finally:
            server.shutdown()
