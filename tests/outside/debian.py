"""Packages of Debian's mirror, unpacked into a folder of the tests: nothing of them is installed."""

import os
import shlex
import subprocess
from collections.abc import Sequence
from pathlib import Path

HOME = Path("/var/cache/kavrel-tests")


class NotHere(Exception):
    """It cannot be had on this machine, and why."""


def fetched(work: Path, packages: Sequence[str]) -> None:
    """Unpacks packages of Debian's main and contrib parts, by settings for apt of this folder alone."""
    apt = work / "apt"
    for part in ("lists/partial", "cache/archives/partial", "parts", "debs"):
        (apt / part).mkdir(parents=True)
    known = "apt-get indextargets --format '$(REPO_URI)' 'Created-By: Packages' 'Component: main'"
    mirrors = [x for x in run(known, work).splitlines() if "security" not in x]
    if not mirrors:
        raise NotHere("apt knows no mirror of Debian here")
    keys = "/usr/share/keyrings/debian-archive-keyring.gpg"
    system = dict(x.partition("=")[::2] for x in Path("/etc/os-release").read_text().splitlines())
    lines = ("Types: deb", f"URIs: {mirrors[0]}", f"Suites: {system.get('VERSION_CODENAME', '')}",
             "Components: main contrib", f"Signed-By: {keys}", "")  # fmt: skip
    (apt / "parts" / "contrib.sources").write_text("\n".join(lines), encoding="utf-8")
    settings = {
        "Dir::Etc::sourcelist": "/dev/null",
        "Dir::Etc::sourceparts": apt / "parts",
        "Dir::State::lists": apt / "lists",
        "Dir::Cache": apt / "cache",
        "APT::Sandbox::User": "root",
    }
    (apt / "settings").write_text(
        "".join(f'{k} "{v}";\n' for k, v in settings.items()), encoding="utf-8"
    )
    own = {"APT_CONFIG": str(apt / "settings")}
    run("apt-get -qq update", apt / "debs", own)
    run(f"apt-get -qq download {' '.join(packages)}", apt / "debs", own)
    for package in sorted((apt / "debs").glob("*.deb")):
        run(f"dpkg-deb -x {package} unpacked", work)


def run(command: str, folder: Path, more: dict[str, str] | None = None) -> str:
    """What a shell's command in a folder prints; raises NotHere with its last word where it fails."""
    env = {
        k: v
        for k, v in os.environ.items()
        if k not in ("LD_PRELOAD", "MAKEFLAGS", "MAKELEVEL", "MFLAGS")
    }
    done = subprocess.run(
        ["/bin/sh", "-c", command], cwd=folder, env=env | (more or {}), capture_output=True, text=True,
        stdin=subprocess.DEVNULL, errors="replace", check=False,
    )  # fmt: skip
    if done.returncode:
        last = (done.stderr or done.stdout).strip().splitlines()[-1:] or ["no word"]
        raise NotHere(f"{shlex.split(command)[0]}: {last[0]}")
    return done.stdout
