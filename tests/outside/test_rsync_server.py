"""A real rsync daemon from the generated files: passwords, rights, and the mode of the secrets.

Source: rsync 3.2 (rsyncd.conf(5)): a wrong password ends with 5, a push to a read-only module with 1.
"""

import os
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from kavrel.core.plan import Export, Plan
from kavrel.formats.servers.files import rsyncd_conf, rsyncd_secrets
from tests.builders import lab
from tests.conftest import free_port, needs, until_it_answers

pytestmark = needs("rsync")
PASSWORD = "Correct-horse-9"


def offering(may: str) -> Plan:
    module = Export.model_validate(
        {
            "id": "m",
            "protocol": "rsync",
            "name": "tree",
            "dataset": "files",
            "may": may,
            "clients": ["127.0.0.1"],
            "accounts": ["ana"],
        }
    )
    return lab(exports=(module,))


class Daemon:
    """rsync --daemon with the generated configuration, its paths moved below a folder."""

    def __init__(self, plan: Plan, folder: Path) -> None:
        self.tree = folder / "tree"
        self.tree.mkdir()
        (self.tree / "there.txt").write_text("there")
        # Where each dataset is mounted by itself, this folder is not one: it says what the file says.
        self.mounted = folder / "mounted"
        self.mounted.touch()
        (folder / "bin").mkdir()
        looks = folder / "bin" / "mountpoint"
        looks.write_text(f'#!/bin/sh\n[ "$*" = "-q {self.tree}" ] && [ -e {self.mounted} ]\n')
        looks.chmod(0o755)
        self.secrets = folder / "secrets"
        self.stub = rsyncd_secrets(plan, "box", "revision 1")
        self.secrets.write_text(self.stub.replace("#ana:SET-ME", f"ana:{PASSWORD}"))
        self.secrets.chmod(0o600)
        me = str(os.getuid())
        text = (
            rsyncd_conf(plan, "box", "revision 1")
            .replace("/srv/main/files", str(self.tree))
            .replace("/etc/rsyncd.secrets\n    strict", f"{self.secrets}\n    strict")
            .replace("pid file = /run/rsyncd.pid\n", "")
            .replace("use chroot = yes", "use chroot = no")
            .replace("uid = root", f"uid = {me}")
            .replace("gid = root", f"gid = {os.getgid()}")
        )
        config = folder / "rsyncd.conf"
        config.write_text(text)
        self.port = free_port()
        self.process = subprocess.Popen(
            [
                "rsync",
                "--daemon",
                "--no-detach",
                f"--config={config}",
                f"--port={self.port}",
                "--address=127.0.0.1",
                f"--log-file={folder / 'log'}",
            ],
            env={**os.environ, "PATH": f"{folder / 'bin'}:{os.environ['PATH']}"},
        )
        until_it_answers(self.port)

    def rsync(self, *args: str, password: str = PASSWORD, user: str = "ana") -> int:
        at = f"rsync://{user}@127.0.0.1:{self.port}/tree/"
        words = [a if a else at for a in args]
        done = subprocess.run(
            ["rsync", "-a", *words],
            check=False,
            env={**os.environ, "RSYNC_PASSWORD": password},
            capture_output=True,
        )
        return done.returncode


@pytest.fixture
def daemon(tmp_path: Path, request: pytest.FixtureRequest) -> Iterator[Daemon]:
    found = Daemon(offering(request.param), tmp_path)
    yield found
    found.process.terminate()
    found.process.wait(90)


@pytest.mark.parametrize("daemon", ["read"], indirect=True)
def test_a_read_only_module(daemon: Daemon, tmp_path: Path) -> None:
    out = tmp_path / "out"
    assert daemon.rsync("", f"{out}/") == 0
    assert (out / "there.txt").read_text() == "there"
    assert daemon.rsync("", f"{out}/", password="wrong") == 5
    assert daemon.rsync("", f"{out}/", user="bo") == 5
    assert daemon.rsync(f"{out}/", "") == 1
    # As it is handed out nobody comes in, with the words that everybody can read in it too.
    daemon.secrets.write_text(daemon.stub)
    for user in ("ana", "#ana"):
        assert daemon.rsync("", f"{out}/", user=user, password="SET-ME") == 5
    # Secrets that others may read: every login fails.
    daemon.secrets.write_text(daemon.stub.replace("#ana:SET-ME", f"ana:{PASSWORD}"))
    assert daemon.rsync("", f"{out}/") == 0
    daemon.secrets.chmod(0o644)
    assert daemon.rsync("", f"{out}/") == 5


@pytest.mark.parametrize("daemon", ["write"], indirect=True)
def test_a_module_that_may_be_written(daemon: Daemon, tmp_path: Path) -> None:
    mine = tmp_path / "mine"
    mine.mkdir()
    (mine / "new.txt").write_text("new")
    assert daemon.rsync(f"{mine}/", "") == 0
    assert (daemon.tree / "new.txt").read_text() == "new"


@pytest.mark.parametrize("daemon", ["write"], indirect=True)
def test_a_locked_dataset_gives_and_takes_nothing(daemon: Daemon, tmp_path: Path) -> None:
    """An empty folder stands there: a mirror of it would delete the last copy, and what comes is hidden."""
    mine, copy = tmp_path / "mine", tmp_path / "copy"
    for folder in (mine, copy):
        folder.mkdir()
        (folder / "kept.txt").write_text("kept")
    (daemon.tree / "there.txt").unlink()
    daemon.mounted.unlink()
    assert daemon.rsync("--delete", "", f"{copy}/") != 0
    assert daemon.rsync(f"{mine}/", "") != 0
    assert [(copy / "kept.txt").exists(), *daemon.tree.iterdir()] == [True]
    daemon.mounted.touch()
    assert daemon.rsync(f"{mine}/", "") == 0
