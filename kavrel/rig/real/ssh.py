"""SSH itself: the real client and a real server for each command, without a port: the one starts the other.

What arrives at the far end is read by a real shell, restricted to the programs of that box, which the rig
answers. So quoting and exit codes are those of SSH, and no command of this machine is reached. Whether there is
a way to a box is the rig's to say: no line of it can be cut here.
Sources: ssh_config(5) ProxyCommand, sshd(8) -i and AUTHORIZED_KEYS FILE FORMAT.
"""

import os
import pwd
import shlex
import shutil
import subprocess
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from kavrel.rig.box import Box
from kavrel.rig.calls import answered, write_program, write_programs, write_start
from kavrel.rig.real.compared import Compared
from kavrel.rig.said import Said, failed

if TYPE_CHECKING:
    from kavrel.rig.lab import Lab

NEEDED = ("ssh", "sshd", "ssh-keygen", "bash", "env")
RSYNC = "-rsync"  # its own way there, which no box is called
NAME = "rig"  # of the one server that all boxes' addresses lead to
SERVER = """HostKey {folder}/host
AuthorizedKeysFile {folder}/authorized
StrictModes no
UsePAM no
PidFile none
PasswordAuthentication no
KbdInteractiveAuthentication no
PermitRootLogin prohibit-password
LogLevel ERROR
"""
# Root's server wants a folder in /run, and gets one that nobody else sees; and a shell that reads no files of
# anybody's first.
AS_ROOT = (
    "unshare --mount sh -c 'mount -t tmpfs none /run && mkdir /run/sshd && "
    "mount --bind {folder}/passwd /etc/passwd && exec {sshd} -i -f {folder}/server'"
)
STAYS_SECONDS = 20  # a way between two boxes, once nobody goes it


class Ssh:
    """See above."""

    def __init__(self, lab: "Lab", folder: Path, names: Sequence[str]) -> None:
        self.lab, self.folder, self.names = lab, folder, names
        self.compared = Compared("SSH")
        self._answered: list[tuple[list[str], Said]] = []

    def answer(
        self, lab: "Lab", words: Sequence[str], other: Box, command: Sequence[str], stdin: bytes
    ) -> Said:
        """What the words of a command `ssh`, which lead to another box, say."""
        self.lab, self._answered = lab, []
        mine = pwd.getpwuid(os.getuid()).pw_name
        done = subprocess.run(  # noqa: S603  # words of our own scripts; what they reach is the rig
            [self._path("ssh"), *self._options(other.host.id), "-l", mine, *words],
            input=stdin, capture_output=True, check=False, env={"PATH": os.environ["PATH"], "LC_ALL": "C"},
        )  # fmt: skip
        err = done.stderr.decode(errors="replace")
        said = Said(done.returncode, done.stdout, err)
        for asked, told in self._answered[:1]:
            same = (asked, told.code, told.out) == (list(command), said.code, said.out)
            self.compared.same(
                same or len(self._answered) > 1,
                f"{other.name}: {command} came as {asked}, and ended with {told.code}, by SSH with {said.code}",
            )
        if not self._answered:
            self.compared.same(
                said.code == 127, f"{other.name}: {command} did not arrive: {err.strip()[:200]}"
            )
        return said

    def make(self, socket: Path) -> None:
        """Keys, the server's file and each box's programs. Raises CalledProcessError."""
        folder = self.folder
        for key in ("host", f"to-{RSYNC}", *(f"to-{host}" for host in self.lab.boxes)):
            words = [
                self._path("ssh-keygen"),
                "-q",
                "-t",
                "ed25519",
                "-N",
                "",
                "-f",
                str(folder / key),
            ]
            subprocess.run(words, check=True, capture_output=True)  # noqa: S603  # of ours
        (folder / "server").write_text(SERVER.format(folder=folder), encoding="utf-8")
        host = (folder / "host.pub").read_text(encoding="utf-8")
        (folder / "known").write_text(f"{NAME} {host}", encoding="utf-8")
        write_start(folder / "start", self.names)
        rows = []
        for host in self.lab.boxes:
            write_programs(folder / "bin" / host, self.names, host, socket)
            rows.append(f'command="{folder}/run {host}",restrict {self._public(host)}')
        rows.append(f'command="{folder}/serve",restrict {self._public(RSYNC)}')
        (folder / "authorized").write_text("".join(rows), encoding="utf-8")
        people = "".join(
            f"{':'.join([*map(str, p[:5]), str(folder), '/bin/sh'])}\n"
            for p in map(tuple, pwd.getpwall())
        )
        (folder / "passwd").write_text(people, encoding="utf-8")
        write_program(
            folder / "run",
            f'#!/bin/sh\nexec {self._path("env")} -i PATH="{folder}/bin/$1" BASH_ENV={folder}/start '
            f'{self._path("bash")} --restricted --noprofile -c "$SSH_ORIGINAL_COMMAND"\n',
        )
        self._make_way_of_rsync()

    def _make_way_of_rsync(self) -> None:
        """What rsync starts to get to its other end, where there is nothing but rsync itself."""
        folder = self.folder
        (folder / "bin" / RSYNC).mkdir()
        (folder / "bin" / RSYNC / "rsync").symlink_to(self._path("rsync"))
        write_program(
            folder / "serve",
            f'#!/bin/sh\nexec {self._path("env")} -i PATH="{folder}/bin/{RSYNC}" LC_ALL=C '
            f'{self._path("bash")} --restricted --noprofile --norc -c "$SSH_ORIGINAL_COMMAND"\n',
        )
        mine = pwd.getpwuid(os.getuid()).pw_name
        words = [self._path("ssh"), *self._options(RSYNC), "-l", mine]
        write_program(self.way_of_rsync, f'#!/bin/sh\nexec {shlex.join(words)} "$@"\n')

    @property
    def way_of_rsync(self) -> Path:
        """What takes the place of `ssh` in a command `rsync -e`."""
        return self.folder / "way"

    def end(self) -> None:
        """Closes the ways that are still open."""
        for way in self.folder.glob("way-*"):
            words = [self._path("ssh"), "-F", "none", "-S", str(way), "-O", "exit", NAME]
            subprocess.run(words, check=False, capture_output=True)  # noqa: S603  # of ours

    def said(self, host: str, words: list[str], stdin: bytes) -> Said:
        """What a program of a box answers."""
        try:
            told = self.lab.boxes[host].command(words, stdin)
        except FileNotFoundError:
            told = failed(f"{words[0]}: command not found", 127)
        self._answered.append((words, told))
        return told

    def _public(self, host: str) -> str:
        return (self.folder / f"to-{host}.pub").read_text(encoding="utf-8")

    def _path(self, name: str) -> str:
        return _found(name) or name

    def _options(self, host: str) -> list[str]:
        folder, server = self.folder, f"{self._path('sshd')} -i -f {self.folder}/server"
        if os.getuid() == 0:
            server = AS_ROOT.format(sshd=self._path("sshd"), folder=folder)
        told = {
            "ProxyCommand": server, "HostKeyAlias": NAME, "UserKnownHostsFile": f"{folder}/known",
            "GlobalKnownHostsFile": "none", "StrictHostKeyChecking": "yes", "IdentitiesOnly": "yes",
            "IdentityFile": f"{folder}/to-{host}", "IdentityAgent": "none", "BatchMode": "yes",
            "LogLevel": "ERROR", "ControlMaster": "auto", "ControlPersist": str(STAYS_SECONDS),
            "ControlPath": f"{folder}/way-{[RSYNC, *self.lab.boxes].index(host)}",
        }  # fmt: skip
        return ["-F", "none", *(w for k, v in told.items() for w in ("-o", f"{k}={v}"))]


def _found(name: str) -> str | None:
    return shutil.which(name) or shutil.which(name, path="/usr/sbin:/sbin")


@contextmanager
def ssh_here(lab: "Lab", folder: Path, names: Sequence[str]) -> Iterator[Ssh | str]:
    """SSH between the boxes of a lab, over programs of these names; or why there is none."""
    missing = [name for name in NEEDED if not _found(name)]
    if missing:
        yield f"{missing[0]} is not installed"
        return
    folder.mkdir(mode=0o700)
    made, socket = Ssh(lab, folder, names), folder / "rig"
    made.make(socket)
    with answered(socket, made.said):
        box = next(iter(lab.boxes.values()))
        tried = made.answer(lab, [box.name, "true"], box, ["true"], b"")
        made.compared = Compared(made.compared.name)
        try:
            yield made if tried.code == 0 else f"it lets nobody in here: {tried.err.strip()[:200]}"
        finally:
            made.end()
