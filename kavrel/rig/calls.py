"""Small programs that hand their words, and what they read, to the rig, and print what that answers.

The rig listens on a socket in its own folder.
"""

import base64
import json
import socketserver
import sys
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from threading import Lock, Thread

from kavrel.rig.said import Said

MOST = 64 * 2**20  # bytes that a program may be given
Answer = Callable[[str, list[str], bytes], Said]  # of a box, to words and what was read
# Started for each command: nothing but what every Python has.
PROGRAM = """#!{python} -IS
import base64, json, os, socket, stat, sys
here = os.fstat(0)
piped = stat.S_ISFIFO(here.st_mode) or stat.S_ISSOCK(here.st_mode)
piped = piped and os.environ.get("LINES_FROM") != str(here.st_ino)
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
    answer: Answer
    lock: Lock


class _Call(socketserver.StreamRequestHandler):
    server: _Server

    def handle(self) -> None:
        """One program of one box."""
        asked = json.loads(self.rfile.readline() or b"{}")
        if not asked:
            return
        with self.server.lock:  # the lab is one, and does one thing after the other
            said = self.server.answer(asked["at"], asked["words"], base64.b64decode(asked["stdin"]))
        out = base64.b64encode(said.out).decode()
        told = {"code": said.code, "out": out, "err": said.err}
        self.wfile.write(json.dumps(told).encode() + b"\n")


def write_programs(place: Path, names: Iterable[str], at: str, socket: Path) -> None:
    """Writes programs of these names for a box into a new folder."""
    place.mkdir(parents=True)
    text = PROGRAM.format(python=sys.executable, most=MOST, at=at, socket=str(socket))
    for name in names:
        write_program(place / name, text)


def write_program(file: Path, text: str) -> None:
    """Writes a file that can be started."""
    file.write_text(text, encoding="utf-8")
    file.chmod(0o755)


def write_start(file: Path, names: Iterable[str]) -> None:
    """Writes what bash reads at its start: what is a program here is not done by the shell itself.

    `test` of the shell would look at the real machine, and so would a name with a star in it.
    Source: bash(1), enable, set -f.
    """
    own = sorted({*names, "[", "compgen", "mapfile", "readarray"})
    lines = (*(f"enable -n {name} 2>/dev/null" for name in own), "set -f")
    file.write_text("\n".join(lines) + "\n", encoding="utf-8")


@contextmanager
def answered(socket: Path, answer: Answer) -> Iterator[None]:
    """Programs are answered, one at a time, for as long as this goes on."""
    with _Server(str(socket), _Call) as server:
        server.answer, server.lock = answer, Lock()
        Thread(target=server.serve_forever, daemon=True).start()
        try:
            yield
        finally:
            server.shutdown()
