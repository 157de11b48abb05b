"""A host with the script lab-job on it, for tests: its file, its state, stand-ins on its path."""

import json
import os
import subprocess
import sys
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from kavrel.formats.lab_jobs import script

START = datetime(2026, 1, 1, 2, 0, tzinfo=UTC).timestamp()


class Box:
    """A host with the script, its file, and stand-ins for commands on the path."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.script = folder / "lab-job"
        self.script.write_text(script(), encoding="utf-8")
        (folder / "bin").mkdir()
        (folder / "own").mkdir()
        self.zfs = folder / "zfs.json"
        self.zfs_state({})
        stand_in = Path(__file__).parent / "zfs_stand_in.py"
        self.command("zfs", f'exec {sys.executable} {stand_in} "$@"')
        self.command("zpool", f'exec {sys.executable} {stand_in} zpool "$@"')
        # The other box is this one: what is sent by SSH runs here, and is written down.
        self.command(
            "ssh",
            f'while [ "$1" = -o ]; do shift 2; done; echo "$1" >> {folder}/ssh.log; shift; exec sh -c "$1"',
        )

    def command(self, name: str, text: str) -> None:
        path = self.folder / "bin" / name
        path.write_text(f"#!/bin/sh\n{text}\n", encoding="utf-8")
        path.chmod(0o755)

    def zfs_state(self, content: dict[str, str], **sets: dict[str, str]) -> None:
        state = {"sets": sets, "content": content, "tokens": {}, "cut": False}
        self.zfs.write_text(json.dumps(state), encoding="utf-8")

    @property
    def sets(self) -> dict[str, dict[str, str]]:
        return dict(json.loads(self.zfs.read_text(encoding="utf-8"))["sets"])

    def jobs(self, **jobs: dict[str, Any]) -> None:
        told = {"zone": "Europe/Berlin", "jobs": {k: {"title": "it", **v} for k, v in jobs.items()}}
        (self.folder / "jobs.json").write_text(json.dumps(told), encoding="utf-8")

    def watch(self, *watched: dict[str, Any]) -> None:
        told = json.loads((self.folder / "jobs.json").read_text(encoding="utf-8"))
        text = json.dumps({**told, "watched": watched})
        (self.folder / "jobs.json").write_text(text, encoding="utf-8")

    def break_pool(self, pool: str, errors: str) -> None:
        state = json.loads(self.zfs.read_text(encoding="utf-8"))
        self.zfs.write_text(json.dumps({**state, "broken": {pool: errors}}), encoding="utf-8")

    def start(self, *words: str, now: float = START) -> "subprocess.Popen[bytes]":
        return subprocess.Popen(
            [sys.executable, str(self.script), *words], env=self.environment(now)
        )

    def run(
        self, *words: str, now: float = START, **more: str
    ) -> "subprocess.CompletedProcess[str]":
        return subprocess.run(
            [sys.executable, str(self.script), *words],
            capture_output=True,
            text=True,
            check=False,
            env={**self.environment(now), **more},
        )

    def environment(self, now: float) -> dict[str, str]:
        return {
            "PATH": f"{self.folder / 'bin'}:{os.environ['PATH']}:/usr/sbin:/sbin",
            "LAB_JOBS": str(self.folder / "jobs.json"),
            "LAB_JOB_STATE": str(self.folder / "state"),
            "LAB_JOB_OWN": str(self.folder / "own"),
            "LAB_JOB_NOW": str(now),
            "ZFS_STATE": str(self.zfs),
        }
