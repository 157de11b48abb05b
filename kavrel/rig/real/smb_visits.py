"""Run inside a namespace of its own: starts smbd with a file as it was written, and visits its shares.

Reads a JSON object from standard input: the text of smb.conf, logins, shares, and a folder to work
in. Prints what each login could really do in each share, as JSON.
"""

import json
import os
import re
import subprocess
import sys
import time
from pathlib import Path
from shutil import which
from typing import Any

PASSWORD = "Correct-horse-9"  # noqa: S105  # of accounts that are there for a minute
# What a server says that has made up its mind: not let in, or nothing there that one may see.
REFUSALS = {
    *("NT_STATUS_ACCESS_DENIED", "NT_STATUS_BAD_NETWORK_NAME", "NT_STATUS_LOGON_FAILURE"),
    *("NT_STATUS_OBJECT_NAME_NOT_FOUND", "NT_STATUS_OBJECT_PATH_NOT_FOUND"),
}


def quiet(*command: str, **more: Any) -> subprocess.CompletedProcess[str]:
    """A command whose output nobody sees."""
    return subprocess.run(command, check=False, capture_output=True, text=True, **more)  # noqa: S603


def visit(port: int, share: str, login: str, commands: str) -> str:
    """What smbclient says to these commands; an empty login is a guest.

    A server that has just started may answer that it has no memory, or nothing yet: that is no
    refusal and is asked again. A server that goes on so has given no answer, and none is made up.
    """
    who = ["-U", f"{login}%{PASSWORD}"] if login else ["-N"]
    line = ["smbclient", f"//127.0.0.1/{share}", "-p", str(port), "-s", "/dev/null", *who]
    deadline = time.monotonic() + 30
    while True:
        done = quiet(*line, "-c", commands)
        said = " ".join((done.stdout + done.stderr).split())
        print(f"VISIT {login or 'guest'} {share}: {said}")
        other = set(re.findall(r"NT_STATUS_\w+", said)) - REFUSALS
        if not other:
            return said
        if time.monotonic() > deadline:
            raise SystemExit(f"smbd neither lets in nor refuses: {' '.join(sorted(other))}")


def served(given: dict[str, Any]) -> subprocess.Popen[bytes]:
    """The server, with everybody's password set, once it answers."""
    room = Path(given["room"])
    for name in ("run", "private"):
        (room / name).mkdir(parents=True)
    dirs = "".join(
        f"   {w} directory = {room}/run\n" for w in ("lock", "state", "cache", "pid", "ncalrpc")
    )
    more = (
        f"[global]\n   interfaces = 127.0.0.1\n   bind interfaces only = yes\n   smb ports = {given['port']}\n"
        f"   private dir = {room}/private\n   passdb backend = tdbsam:{room}/private/passdb.tdb\n{dirs}"
    )
    text = given["conf"].replace("/var/log/samba/%m.log", f"{room}/log")
    config = room / "smb.conf"
    config.write_text(text.replace("[global]\n", more, 1), encoding="utf-8")
    quiet("ip", "link", "set", "lo", "up")
    for login in given["logins"]:
        quiet(
            *("smbpasswd", "-c", str(config), "-s", "-a", login), input=f"{PASSWORD}\n{PASSWORD}\n"
        )
    server = subprocess.Popen(  # noqa: S603
        [which("smbd") or "smbd", "--foreground", "--no-process-group", "-s", str(config)],
        start_new_session=True,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    visit(given["port"], "IPC$", given["logins"][0], "exit")
    return server


def tried(given: dict[str, Any], share: dict[str, str], login: str) -> str:
    """What a login can really do in a share: none, read or write; and change what others made."""
    real = Path(share["folder"])
    if share["home"]:
        real /= login
        if real.exists():
            (real / "seen.txt").write_text("seen", encoding="utf-8")
            (real / "seen.txt").chmod(0o644)
    got = Path(given["room"]) / "seen.txt"
    got.unlink(missing_ok=True)
    key = share["id"].replace("/", "-")
    mine, all_of = f"by-{login or 'guest'}-{key}.txt", f"everybodys-{key}.txt"
    below = f'cd "{share["below"]}"; ' if share.get("below") else ""
    source = f"{given['room']}/smb.conf"
    # Everybody writes over what the one before has made: whoever may write may change it.
    visit(
        given["port"],
        share["name"],
        login,
        f"{below}get seen.txt {got}; put {source} {mine}; put {source} {all_of}",
    )
    read, wrote = got.exists(), (real / mine).exists()
    if not wrote:
        return "read" if read else "none"
    common = real / all_of
    whole = common.read_text(encoding="utf-8") == Path(source).read_text(encoding="utf-8")
    visit(given["port"], share["name"], login, f"{below}put {got} {all_of}")
    fresh = common.read_text(encoding="utf-8") == "seen"
    return "write" if read and whole and fresh else "write, but not what others made"


def main() -> None:
    """Visits every share as every login, and as a guest."""
    given = json.load(sys.stdin)
    for share in given["shares"]:
        seen = Path(share["folder"], "seen.txt")
        seen.write_text("seen", encoding="utf-8")
    server = served(given)
    try:
        found = {
            f"{login} {share['id']}": tried(given, share, login)
            for share in given["shares"]
            for login in [*given["logins"], ""]
            if login or not share["home"]
        }
    finally:
        os.killpg(server.pid, 15)
        server.wait(20)
    print("CELLS " + json.dumps(found))


if __name__ == "__main__":
    main()
