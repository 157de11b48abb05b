"""Run inside a namespace of its own: starts sshd, vsftpd and rsyncd from the files as written.

Reads a JSON object from standard input: the files and where they go, logins, and what is exported.
Prints what each login could really do in each, as JSON.
"""

import ftplib
import io
import json
import os
import ssl
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

PASSWORD = "Correct-horse-9"
CERTIFICATE = "/etc/ssl/certs/vsftpd.pem"


def quiet(*command: str, **more: Any) -> subprocess.CompletedProcess[str]:
    """A command whose output is looked at only when something is wrong."""
    done = subprocess.run(command, check=False, capture_output=True, text=True, **more)
    print(f"RAN {' '.join(command)}: {' '.join((done.stdout + done.stderr).split())[-300:]}")
    return done


def installed(given: dict[str, Any]) -> None:
    """Every file where its README says that it goes, keys and passwords for everybody."""
    quiet("mount", "-t", "tmpfs", "none", "/run")  # a daemon of another test has its mark there
    Path("/run/vsftpd/empty").mkdir(parents=True)
    for place, text in given["files"].items():
        path = Path(place)
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text, encoding="utf-8")
        path.chmod(0o600 if "secrets" in place else 0o644)
    for line in given["fstab"].splitlines():
        if " bind" in line:
            source, target = line.split()[:2]
            quiet("mount", "--bind", source, target)
    quiet("ip", "link", "set", "lo", "up")
    room = Path(given["room"])
    room.mkdir(parents=True)
    quiet("ssh-keygen", "-A")
    quiet("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", str(room / "key"))
    Path("/etc/ssh/keys").mkdir(exist_ok=True)
    for login in given["logins"]:
        key = Path("/etc/ssh/keys", login)
        key.write_text((room / "key.pub").read_text(encoding="utf-8"), encoding="utf-8")
        key.chmod(0o644)
    quiet("chpasswd", input="".join(f"{x}:{PASSWORD}\n" for x in given["logins"]))
    Path("/run/sshd").mkdir(exist_ok=True)


def servers(given: dict[str, Any]) -> list[subprocess.Popen[bytes]]:
    """Those that have a file."""
    lines = {
        "sftp": ["/usr/sbin/sshd", "-D", "-p", "2022"],
        "ftp": ["vsftpd", "/etc/vsftpd.conf"],
        "rsync": ["rsync", "--daemon", "--no-detach", "--port=2873"],
    }
    used = {e["protocol"] for e in given["exports"]}
    return [
        subprocess.Popen(line, stdout=sys.stderr, stderr=sys.stderr, start_new_session=True)
        for protocol, line in lines.items()
        if protocol in used
    ]


def by_sftp(export: dict[str, Any], login: str, room: Path) -> None:
    """One visit over SFTP."""
    batch = (
        f"-get files/seen.txt {room}/got\n-put {room}/new.txt files/by-{login}-{export['id']}.txt\n"
    )
    options = ["BatchMode=yes", "StrictHostKeyChecking=no", "UserKnownHostsFile=/dev/null"]
    flags = [x for o in options for x in ("-o", o)]
    line = ("sftp", "-b", "-", "-P", "2022", "-i", str(room / "key"), *flags)
    quiet(*line, f"{login}@127.0.0.1", input=batch)


def by_ftp(export: dict[str, Any], login: str, room: Path) -> None:
    """One visit over FTP, in the clear only where the plan has it so."""
    # Nobody but whoever has the key of this very certificate.
    known = ssl.create_default_context(cafile=CERTIFICATE if export["secured"] else None)
    known.check_hostname = False  # it is of the box's name, and here it is 127.0.0.1
    try:
        with ftplib.FTP_TLS(context=known) if export["secured"] else ftplib.FTP() as line:
            line.connect("127.0.0.1", export["port"], timeout=60)
            line.login(login, PASSWORD)
            if isinstance(line, ftplib.FTP_TLS):
                line.prot_p()
            print(f"FTP {login} is sent to {line.sendcmd('PASV')}")
            got = io.BytesIO()
            line.retrbinary("RETR seen.txt", got.write)
            (room / "got").write_bytes(got.getvalue())
            line.storbinary(f"STOR by-{login}-{export['id']}.txt", io.BytesIO(b"new"))
    except ftplib.all_errors as error:
        print(f"FTP {login}: {error}")


def by_rsync(export: dict[str, Any], login: str, room: Path) -> None:
    """One visit to the rsync daemon."""
    there = f"rsync://{login}@127.0.0.1:2873/{export['name']}"
    known = {**os.environ, "RSYNC_PASSWORD": PASSWORD}
    quiet("rsync", f"{there}/seen.txt", str(room / "got"), env=known)
    quiet("rsync", str(room / "new.txt"), f"{there}/by-{login}-{export['id']}.txt", env=known)


WAYS = {"sftp": by_sftp, "ftp": by_ftp, "rsync": by_rsync}


def listening(port: int) -> bool:
    """Whether somebody listens on a TCP port of this namespace."""
    return f":{port:04X} " in Path("/proc/net/tcp").read_text(encoding="utf-8")


def main() -> None:
    """Visits every export as every login."""
    given = json.load(sys.stdin)
    installed(given)
    room = Path(given["room"])
    (room / "new.txt").write_text("new", encoding="utf-8")
    for export in given["exports"]:
        Path(export["folder"], "seen.txt").write_text(export["folder"], encoding="utf-8")
    started = servers(given)
    found = {}
    in_the_clear = []
    try:
        ports = {"sftp": 2022, "rsync": 2873}
        deadline = time.monotonic() + 120
        for export in given["exports"]:
            while not listening(ports.get(export["protocol"], export["port"])):
                assert time.monotonic() < deadline, f"nothing listens for {export['name']}"
        for export in given["exports"]:
            if export["protocol"] == "ftp" and export["secured"]:
                for login in given["logins"]:
                    by_ftp({**export, "secured": False}, login, room)
                    in_the_clear += [login] if (room / "got").exists() else []
                    (room / "got").unlink(missing_ok=True)
            for login in given["logins"]:
                (room / "got").unlink(missing_ok=True)
                WAYS[export["protocol"]](export, login, room)
                wrote = Path(export["folder"], f"by-{login}-{export['id']}.txt")
                got = room / "got"
                # Whoever is shut in elsewhere reads what lies there, and not this.
                read = got.exists() and got.read_text(encoding="utf-8") == export["folder"]
                found[f"{login} {export['id']}"] = (
                    "write" if wrote.exists() else "read" if read else "none"
                )
                wrote.unlink(missing_ok=True)
    finally:
        for server in started:
            os.killpg(server.pid, 15)
            server.wait(90)
        for line in given["fstab"].splitlines():
            if " bind" in line:
                quiet("umount", line.split()[1])
    assert not in_the_clear, f"{in_the_clear} signed in and nothing was encrypted"
    print("CELLS " + json.dumps(found))


if __name__ == "__main__":
    main()
