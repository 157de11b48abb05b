"""smbd itself, over folders as the setup.sh of a box left them on its stand-in, visited by everybody.

In a mount and a network namespace of its own, with accounts of its own: nothing of this machine is
touched, nothing listens on it, and all of it goes with the process.
"""

import json
import os
import re
import shlex
import shutil
import subprocess
import sys
from collections.abc import Iterator, Sequence
from pathlib import Path

from kavrel.rig.real.compared import Compared
from kavrel.rig.shared import Folder, Shared

NEEDED = ("unshare", "mount", "smbd", "smbclient", "smbpasswd", "setfacl", "ip")
VISITS = Path(__file__).with_name("smb_visits.py")
TOP = "/mnt"  # a file system of the namespace's own lies there
PORT = 445
SECONDS = 300
BEGIN = f"""set -e
mount -t tmpfs -o mode=755 none {TOP}
mount --bind "$1/passwd" /etc/passwd
mount --bind "$1/group" /etc/group
"""


def smb_here(boxes: Sequence[tuple[Shared, tuple[str, ...]]], folder: Path) -> Compared | str:
    """How smbd and its stand-in agree about all logins of each box, or why it cannot be asked."""
    missing = [name for name in NEEDED if not shutil.which(name)]
    if not boxes:
        return ""
    if os.getuid() != 0:
        return "it takes root"
    if missing:
        return f"{missing[0]} is not installed"
    compared = Compared("smbd")
    for number, (box, logins) in enumerate(boxes):
        seen = visited(box, logins, folder / str(number))
        if isinstance(seen, str):
            return seen
        for login, share, may in box.cells(logins):
            really = seen.get(f"{login} {share}")
            compared.same(
                really == may,
                f"{box.host}: {login or 'a guest'} in {box.shares[share]}: {really}, the stand-in: {may}",
            )
    return compared


def visited(box: Shared, logins: tuple[str, ...], room: Path) -> dict[str, str] | str:
    """What each login could really do in each share, by both; or what went wrong."""
    room.mkdir(parents=True)
    (room / "passwd").write_text("".join(_accounts(box)), encoding="utf-8")
    (room / "group").write_text("".join(_groups(box)), encoding="utf-8")
    given = {
        "conf": _moved(box.conf),
        "logins": list(logins),
        "room": str(room / "samba"),
        "port": PORT,
        "shares": [
            {"id": key, "name": name, "folder": TOP + box.folder(name), "home": box.is_home(name)}
            for key, name in box.shares.items()
        ],
    }
    (room / "given.json").write_text(json.dumps(given), encoding="utf-8")
    script = "\n".join([BEGIN, *_made(box), f'exec {sys.executable} {VISITS} <"$1/given.json"'])
    (room / "visit.sh").write_text(script, encoding="utf-8")
    command = ["unshare", "--mount", "--net", "--fork", "--kill-child", "--propagation", "private"]
    ran = subprocess.run(  # noqa: S603  # our own script; its words are quoted
        [*command, "sh", str(room / "visit.sh"), str(room)],
        capture_output=True, text=True, check=False, timeout=SECONDS, stdin=subprocess.DEVNULL,
    )  # fmt: skip
    line = next((x for x in ran.stdout.splitlines() if x.startswith("CELLS ")), None)
    if line is None:
        return f"it does not start: {(ran.stderr or ran.stdout).strip()[-300:]}"
    seen: dict[str, str] = json.loads(line.removeprefix("CELLS "))
    return seen


def _moved(conf: str) -> str:
    """The same file, for folders that lie below the namespace's own file system."""
    return re.sub(r"(?m)^(\s*path = |\s*root preexec = mountpoint -q '?)/", rf"\1{TOP}/", conf)


def _accounts(box: Shared) -> Iterator[str]:
    for name, member in box.people.items():
        yield f"{name}:x:{member.number}:{member.group}::/nonexistent:/usr/sbin/nologin\n"


def _groups(box: Shared) -> Iterator[str]:
    for name, number in box.groups.items():
        yield f"{name}:x:{number}:{','.join(n for n, m in box.people.items() if name in m.groups)}\n"


def _made(box: Shared) -> Iterator[str]:
    """The folders, those above first, each as it was left."""
    for path, there in box.folders.items():
        place = shlex.quote(TOP + path)
        yield f"mkdir -p {place}"
        yield f"setfacl -b -k {place}"  # what the one above passes on is not what was left here
        yield f"chown {shlex.quote(there.owner)}:{shlex.quote(there.group)} {place}"
        yield f"chmod {there.mode:o} {place}"
        for flag, entries in (("--set", _listed(there, "")), ("-m", _listed(there, "default:"))):
            if entries:
                yield f"setfacl {flag} {shlex.quote(entries)} {place}"
    for name in box.shares.values():  # a share of a file system by name wants to see it mounted
        place = shlex.quote(TOP + box.folder(name))
        yield f"mount --bind {place} {place}"


def _listed(there: Folder, start: str) -> str:
    mine = [k + v for k, v in there.entries.items() if k.startswith("default:") == bool(start)]
    return ",".join(mine)
