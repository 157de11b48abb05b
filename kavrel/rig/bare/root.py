"""A private root for a script: a real shell with the real text tools, and a stand-in for every other command.

The script runs in a user namespace with a root, mounts, processes and a network of its own, so that it needs no
rights and has none: of the machine's files it sees the libraries alone, and those to read. A stand-in is a
small program that hands its words over through a pipe in that root and prints what comes back.
Sources: unshare(1), user_namespaces(7), fifo(7), setpriv(1).
"""

import os
import select
import shlex
import shutil
import signal
import subprocess
import time
from collections.abc import Callable, Collection, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

from kavrel.rig.bare.said import Reader, Refused
from kavrel.rig.said import Said, failed

# What only looks at text and at files below that root is taken as it is here.
REAL = (
    "sh", "basename", "cat", "chmod", "cp", "cut", "dirname", "env", "find", "grep", "head", "ln", "ls",
    "mkdir", "mktemp", "mv", "readlink", "rm", "rmdir", "sed", "sleep", "sort", "tail", "touch", "tr",
    "truncate", "uniq", "wc",
)  # fmt: skip
LIBRARIES = ("lib", "lib32", "lib64", "libx32")
FOLDERS = ("bin", "dev", "etc", "root", "run", "srv", "tmp", "usr", "var/lib", "stand-in", "mnt")
SHUT_IN = (
    "--user", "--map-root-user", "--mount", "--pid", "--net", "--ipc", "--uts", "--fork", "--kill-child",
)  # fmt: skip
END, NEXT = b"\x1d", b"\x1e"
MOST_SECONDS = 120.0
OF_A_COMMAND = (
    "a command asks: "  # it reads what is typed, and prints nothing where that is no terminal
)
# It starts no program of its own: most of a set-up's time would go there.
PROGRAM = r"""#!/bin/sh
{ printf '%s\036' "${0##*/}" "$@"; printf '\035'; } >/run/asked
while IFS= read -r said </run/answered; do
  case "$said" in
    line) IFS= read -r word || word=; printf '%s\036\035' "$word" >/run/asked ;;
    all) { cat; printf '\036\035'; } >/run/asked ;;
    *) break ;;
  esac
done
case "$said" in *o*) while IFS= read -r row; do printf '%s\n' "$row"; done </run/out ;; esac
case "$said" in *e*) while IFS= read -r row; do printf '%s\n' "$row"; done </run/err >&2 ;; esac
exit "${said%%[!0-9]*}"
"""
Command = Callable[[list[str], Reader], Said]
Typed = Callable[[str], str | None]


class CannotRun(Exception):
    """No namespace is given here, or what makes one is not installed; the text says so."""


@dataclass
class Ran:
    """How a script ended and all that it printed."""

    code: int
    said: str


@dataclass
class Root:
    """See above. `typed` answers a prompt, or says None where that is none."""

    folder: Path
    commands: Collection[str]
    command: Command
    typed: Typed
    shared: Path
    _asked: int = field(default=-1, init=False)
    _answered: int = field(default=-1, init=False)
    _stdin: int = field(default=-1, init=False)

    def make(self) -> None:
        """Its folders and programs."""
        for name in FOLDERS:
            (self.folder / name).mkdir(parents=True, exist_ok=True)
        (self.folder / "tmp").chmod(0o1777)
        for name in LIBRARIES:
            here = Path("/", name)
            if here.is_symlink():
                (self.folder / name).symlink_to(str(here.readlink()))
            for real in (here, Path("/usr", name)):
                if real.is_dir() and not real.is_symlink():
                    (self.folder / str(real)[1:]).mkdir(parents=True, exist_ok=True)
        for name in self.commands:
            file = self.folder / "stand-in" / name
            file.write_text(PROGRAM, encoding="utf-8")
            file.chmod(0o755)
        for name in ("null", "urandom"):
            (self.folder / "dev" / name).touch()
        for name in ("asked", "answered"):
            os.mkfifo(self.folder / "run" / name)

    def _mounts(self) -> Iterator[str]:
        def bound(real: str, there: str) -> Iterator[str]:
            yield shlex.join(("mount", "--rbind", real, str(self.folder / there)))

        for name in LIBRARIES:
            for real in (f"/{name}", f"/usr/{name}"):
                if Path(real).is_dir() and not Path(real).is_symlink():
                    yield from bound(real, real[1:])
                    yield self._read_only(real)
        yield from bound(str(self.shared), "bin")
        yield self._read_only("/bin")
        for name in ("null", "urandom"):
            yield from bound(f"/dev/{name}", f"dev/{name}")

    def _read_only(self, path: str) -> str:
        return shlex.join(("mount", "-o", "remount,bind,ro", f"{self.folder}{path}"))

    def run(self, script: str) -> Ran:
        """Runs a script to its end. Raises CannotRun."""
        (self.folder / "script.sh").write_text(script, encoding="utf-8")
        chroot = shutil.which("chroot") or "/usr/sbin/chroot"
        begun = self.folder / "run" / "begun"
        begun.unlink(missing_ok=True)
        text = "\n".join((
            "set -e", *self._mounts(),
            # Only a shell that runs in there has begun: its libraries may lie elsewhere on this machine.
            shlex.join(("exec", chroot, str(self.folder), "/bin/sh", "-c", ": >/run/begun; . /script.sh")),
        ))  # fmt: skip
        setpriv, unshare = (_installed(name) for name in ("setpriv", "unshare"))
        with self._pipes() as typed:
            going = subprocess.Popen(  # noqa: S603  # our own script, shut in
                # It ends with whoever started it, however that one ends.
                [setpriv, "--pdeathsig", "KILL", unshare, *SHUT_IN, "sh", "-c", text],
                stdin=typed, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, start_new_session=True,
                env={"PATH": "/stand-in:/usr/sbin:/usr/bin:/sbin:/bin", "LANG": "C", "HOME": "/root"},
            )  # fmt: skip
            try:
                said = self._served(going)
            finally:
                if going.poll() is None:
                    os.killpg(going.pid, signal.SIGKILL)
                going.wait()
                if going.stdout:
                    going.stdout.close()
        if not begun.exists():
            raise CannotRun(
                said.strip().splitlines()[-1] if said.strip() else "no namespace is given"
            )
        return Ran(going.returncode, said)

    @contextmanager
    def _pipes(self) -> Iterator[int]:
        # Held at both ends, so that no opening waits and nothing that was written is lost.
        self._asked = os.open(self.folder / "run" / "asked", os.O_RDWR | os.O_NONBLOCK)
        self._answered = os.open(self.folder / "run" / "answered", os.O_RDWR)
        typed, self._stdin = os.pipe()
        try:
            yield typed
        finally:
            for one in (self._asked, self._answered, typed, self._stdin):
                os.close(one)

    def _served(self, going: "subprocess.Popen[bytes]") -> str:
        """Answers until the script has ended; all that it printed."""
        assert going.stdout
        out = going.stdout.fileno()
        said, asked = b"", b""
        ends = time.monotonic() + MOST_SECONDS
        while time.monotonic() < ends:
            ready, _, _ = select.select([out, self._asked], [], [], 1.0)
            if self._asked in ready:
                asked += os.read(self._asked, 65_536)
                if asked.endswith(END):
                    self._answer(asked, going)
                    asked = b""
            if out in ready:
                more = os.read(out, 65_536)
                if not more:
                    return said.decode(errors="replace")
                said += more
                word = self.typed(said.rpartition(b"\n")[2].decode(errors="replace"))
                if word is not None:
                    os.write(self._stdin, f"{word}\n".encode())
        raise CannotRun(f"the script did not end within {MOST_SECONDS:.0f} s")

    def _answer(self, asked: bytes, going: "subprocess.Popen[bytes]") -> None:
        words = [w.decode() for w in asked.removesuffix(END).split(NEXT)[:-1]]
        try:
            said = self.command(words, _Typed(self, going))
        except Refused as no:
            said = failed(no.text, no.code)
        flags = ""
        for flag, name, text in (("o", "out", said.out), ("e", "err", said.err.encode())):
            if text:
                (self.folder / "run" / name).write_bytes(text)
                flags += flag
        os.write(self._answered, f"{said.code} {flags}\n".encode())

    def ask(self, what: str, going: "subprocess.Popen[bytes]") -> bytes:
        """What the program that runs now reads. Raises Refused where it has ended."""
        os.write(self._answered, f"{what}\n".encode())
        given = b""
        while going.poll() is None:
            if select.select([self._asked], [], [], 1.0)[0]:
                given += os.read(self._asked, 65_536)
                if given.endswith(END):
                    return given.removesuffix(END).removesuffix(NEXT)
        raise Refused("interrupted")


@dataclass
class _Typed:
    root: Root
    going: "subprocess.Popen[bytes]"

    def line(self) -> str:
        """One line of what is typed."""
        word = self.root.typed(OF_A_COMMAND) or ""
        os.write(self.root._stdin, f"{word}\n".encode())
        return self.root.ask("line", self.going).decode()

    def all(self) -> bytes:
        """Everything that is piped into it."""
        return self.root.ask("all", self.going)


def text_tools(folder: Path) -> Path:
    """A folder with the real text tools, for as many roots as there are. Raises CannotRun."""
    folder.mkdir(parents=True, exist_ok=True)
    for name in REAL:
        shutil.copy2(os.path.realpath(_installed(name)), folder / name)
    return folder


def _installed(name: str) -> str:
    here = shutil.which(name)
    if here is None:
        raise CannotRun(f"{name} is not installed here")
    return here
