"""An end that falls silent in the middle: the run ends with an error, and the next one can begin.

Source: ssh, sshd and rsync themselves; ssh_config(5), ServerAliveInterval; rsync(1), --timeout.
"""

import os
import signal
import socket
import subprocess
import time
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

import pytest

from kavrel.formats.hostside import lab_job
from tests.conftest import free_port, needs

NEVER = 100  # seconds: a test that waits so long has found one that waits for ever


@pytest.fixture
def silent() -> Iterator[int]:
    """The port of somebody who takes every call and says nothing."""
    with socket.create_server(("127.0.0.1", 0)) as server:
        yield server.getsockname()[1]


@pytest.fixture(autouse=True)
def _soon(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(lab_job, "SILENT_SECONDS", 10)
    monkeypatch.setattr(lab_job, "REACHED_SECONDS", 3)


def ended(words: list[str]) -> subprocess.CompletedProcess[str]:
    return subprocess.run(words, capture_output=True, text=True, check=False, timeout=NEVER)


def listens(port: int) -> bool:
    with socket.socket() as probe:
        return probe.connect_ex(("127.0.0.1", port)) == 0


@needs("rsync")
def test_a_module_that_says_nothing_is_given_up(
    silent: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(lab_job, "SECRETS", tmp_path)
    (tmp_path / "m.secret").write_text("x", encoding="utf-8")
    (tmp_path / "m.secret").chmod(0o600)
    (tmp_path / "data").mkdir()
    (tmp_path / "data" / "file").touch()
    url = f"rsync://kavrel@127.0.0.1:{silent}/sync"
    told = {"kind": "mirror", "title": "mirror", "module": {"url": url, "path": "/srv"}}
    job = lab_job.Job("m", told, "UTC", show=False, now=time.time())
    with pytest.raises(lab_job.Trouble, match=r"imeout|timed out"):
        job.mirror_one(str(tmp_path / "data"), "/srv/copy")


@needs("ssh")
def test_a_box_that_does_not_even_greet_is_given_up(silent: int) -> None:
    words = lab_job.Side("root@127.0.0.1").words("true")
    done = ended([words[0], "-F", "none", "-p", str(silent), *words[1:]])
    assert done.returncode == lab_job.NO_WAY


@needs("sshd")
@needs("ssh-keygen")
@pytest.mark.skipif(os.geteuid() != 0, reason="a server that lets root in needs root")
def test_a_box_that_falls_silent_in_the_middle_is_given_up(tmp_path: Path) -> None:
    for name in ("host", "mine"):
        make = ("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", str(tmp_path / name))
        subprocess.run(make, check=True)
    port = free_port()
    told = {
        "Port": port, "ListenAddress": "127.0.0.1", "HostKey": tmp_path / "host", "UsePAM": "no",
        "AuthorizedKeysFile": tmp_path / "mine.pub", "StrictModes": "no", "PermitRootLogin": "yes",
        "PidFile": "none",
    }  # fmt: skip
    (tmp_path / "config").write_text(
        "".join(f"{k} {v}\n" for k, v in told.items()), encoding="utf-8"
    )
    Path("/run/sshd").mkdir(exist_ok=True)
    words = lab_job.Side("root@127.0.0.1").words(
        "sh", "-c", "echo begun; kill -STOP $PPID; sleep 600"
    )
    mine = ["-F", "none", "-p", str(port), "-i", str(tmp_path / "mine")]
    mine += ["-o", "StrictHostKeyChecking=no", "-o", "UserKnownHostsFile=/dev/null"]
    server = subprocess.Popen(
        ["/usr/sbin/sshd", "-D", "-e", "-f", str(tmp_path / "config")], start_new_session=True,
        stderr=subprocess.DEVNULL,
    )  # fmt: skip
    try:
        deadline = time.monotonic() + 60
        while not listens(port):
            assert time.monotonic() < deadline, "sshd does not listen"
        done = ended([words[0], *mine, *words[1:]])
        assert done.returncode == lab_job.NO_WAY
        assert "not responding" in done.stderr
    finally:
        # Those that were stopped, too: each is of a session of its own.
        for asked in Path("/proc").glob("[0-9]*/cmdline"):
            with suppress(OSError):  # it may end meanwhile
                if b"echo begun; kill -STOP" in asked.read_bytes():
                    line = asked.parent.joinpath("stat").read_text(encoding="utf-8")
                    above = int(line.rpartition(")")[2].split()[1])
                    os.kill(int(asked.parent.name), signal.SIGKILL)
                    if above not in (1, os.getpid(), os.getppid()):
                        os.kill(above, signal.SIGKILL)
        os.killpg(server.pid, signal.SIGKILL)
        server.wait()
