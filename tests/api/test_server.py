"""The real server in its own process."""

import json
import os
import signal
import socket
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from kavrel.formats.hostside import lab_look
from kavrel.store.database import Database
from tests.conftest import Served


@pytest.fixture
def path(tmp_path: Path) -> Path:
    return tmp_path / "data" / "kavrel.db"


def kavrel(*args: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "kavrel.cli", *args],
        capture_output=True,
        text=True,
        timeout=240,
        check=False,
    )


def test_the_demo_is_made_once_and_found_again(path: Path) -> None:
    first = Served("demo", path)
    (plan,) = first.plans()
    assert (plan["name"], plan["pinned"]) == ("Lantern Row", 1)
    first.stop()
    second = Served("demo", path)
    assert [p["id"] for p in second.plans()] == [plan["id"]]
    second.stop()


def test_serve_starts_with_no_plan(path: Path) -> None:
    served = Served("serve", path)
    assert served.plans() == []
    served.stop()


def test_a_second_server_on_the_same_database_says_so_and_stops(path: Path) -> None:
    served = Served("serve", path)
    assert served.plans() == []
    second = kavrel("serve", "--database", str(path), "--port", "0")
    assert second.returncode == 1
    assert "another Kavrel" in second.stderr
    assert "Traceback" not in second.stderr
    served.stop()


def test_a_port_that_is_taken_is_said(path: Path, tmp_path: Path) -> None:
    served = Served("serve", path)
    served.plans()
    other = kavrel("serve", "--database", str(tmp_path / "b.db"), "--port", str(served.port))
    assert other.returncode == 1
    assert "--port" in other.stderr
    served.stop()


def test_backup_while_it_runs(path: Path, tmp_path: Path) -> None:
    served = Served("demo", path)
    (plan,) = served.plans()
    copy = tmp_path / "copy.db"
    done = kavrel("backup", str(copy), "--database", str(path))
    assert done.returncode == 0, done.stderr
    served.stop()
    opened = Database(copy)
    with opened.reading() as db:
        assert db.execute("SELECT id FROM plan").fetchall() == [(plan["id"],)]
    opened.close()


def test_killed_it_starts_again_with_everything(path: Path) -> None:
    served = Served("demo", path)
    (plan,) = served.plans()
    base = f"/api/plans/{plan['id']}"
    for number in range(1, 6):
        state = served.http.get(base).json()
        item = {**state["plan"]["disks"][0], "batch": f"batch {number}"}
        answer = served.http.put(
            f"{base}/disks/d1", json=item, headers={"if-match": f'"r{number}"'}
        )
        assert answer.status_code == 200
    served.http.close()
    served.process.send_signal(signal.SIGKILL)
    served.process.wait(90)
    again = Served("demo", path)
    state = again.http.get(base).json()
    assert state["meta"]["revision"] == 6
    assert state["plan"]["disks"][0]["batch"] == "batch 5"
    again.stop()


def test_it_listens_on_loopback_only(path: Path) -> None:
    served = Served("serve", path)
    served.plans()
    wanted = f"{served.port:04X}"
    rows = Path("/proc/net/tcp").read_text().splitlines()[1:]
    listening = [r.split()[1] for r in rows if r.split()[3] == "0A"]
    assert [a for a in listening if a.endswith(f":{wanted}")] == [f"0100007F:{wanted}"]
    served.stop()


def test_the_front_end_is_served_with_its_own_fonts_and_nothing_from_elsewhere(
    served: Served,
) -> None:
    page = served.http.get("/plan/any/bench")
    assert page.status_code == 200
    assert page.headers["cache-control"] == "no-cache"
    assert "http://" not in page.text.replace("http://www.w3.org/2000/svg", "")
    assert "https://" not in page.text
    style = next(x for x in page.text.split('"') if x.endswith(".css"))
    text = served.http.get(style).text
    assert "woff2" in text
    assert "//fonts" not in text


def asked(port: int, request: bytes) -> tuple[bytes, dict[str, Any]]:
    """The head and the body of the answer to what is written on the wire."""
    with socket.create_connection(("127.0.0.1", port), 20) as wire:
        wire.sendall(request)
        answer = b"".join(iter(lambda: wire.recv(65_536), b""))
    head, _, body = answer.partition(b"\r\n\r\n")
    return head.lower(), json.loads(body)


def test_whatever_comes_over_the_wire_is_answered_with_problem_details(path: Path) -> None:
    served = Served("serve", path)
    served.plans()
    rest = f"Host: 127.0.0.1:{served.port}\r\nConnection: close\r\n\r\n".encode()
    for line, status in (
        (b"GET /api/" + b"a" * 100_000 + b" HTTP/1.1\r\n", 400),
        (b"get /api/plans HTTP/1.1\r\n", 400),  # methods are told apart by case: RFC 9110, 9.1
        (b"BREW /api/plans HTTP/1.1\r\n", 400),
        (b"POST /api/plans HTTP/1.1\r\nContent-Length: many\r\n", 400),
        (
            b"POST /api/plans HTTP/1.1\r\nContent-Length: 2\r\nTransfer-Encoding: chunked\r\n",
            400,
        ),
        (b"PROPFIND /nothing HTTP/1.1\r\n", 405),
        (b"DELETE /api/plans HTTP/1.1\r\n", 405),
        (b"GET /api/nothing HTTP/1.1\r\n", 404),
    ):
        head, body = asked(served.port, line + rest)
        assert head.startswith(b"http/1.1 %d" % status), line[:40]
        assert b"application/problem+json" in head, line[:40]
        assert body["status"] == status
        assert body["detail"]
    served.stop()


def test_a_box_sends_its_look_to_the_server_itself(path: Path, tmp_path: Path) -> None:
    """lab-look of this machine, run as a program, to a real server, with the token that it gave."""
    served = Served("demo", path, today="")
    try:
        (plan,) = served.plans()
        base = f"/api/plans/{plan['id']}"
        before = served.http.get(f"{base}/looks", params={"newest": True}).json()["looks"]
        token = served.http.post(f"{base}/hosts/perch/token").json()["token"]
        (tmp_path / "token").write_text(token, encoding="utf-8")

        def send() -> subprocess.CompletedProcess[str]:
            address = f"{served.url}/api/observations"
            return subprocess.run(
                [sys.executable, lab_look.__file__, "--send", address],
                capture_output=True,
                text=True,
                timeout=360,
                check=False,
                env={**os.environ, "LAB_LOOK_TOKEN": str(tmp_path / "token")},
            )

        done = send()
        assert (done.returncode, done.stderr) == (0, "")
        after = served.http.get(f"{base}/looks", params={"newest": True}).json()["looks"]
        assert {x["host"] for x in after} == {x["host"] for x in before} | {"perch"}
        served.http.delete(f"{base}/hosts/perch/token")
        refused = send()
        assert (refused.returncode, "not taken: 401" in refused.stderr) == (1, True)
    finally:
        served.stop()
