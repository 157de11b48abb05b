"""Fixtures: the demo lab, a store, the application in process, and a real server with a browser."""

import gc
import os
import shutil
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from datetime import UTC, datetime
from itertools import islice
from pathlib import Path
from typing import Any

import httpx2
import pytest
from starlette.testclient import TestClient

from kavrel.api.app import create_app
from kavrel.core.part import Part
from kavrel.core.plan import Plan
from kavrel.demo import demo_plan
from kavrel.store.database import Database
from kavrel.store.plans import Plans

# As the server has it: what is remembered grows large, and walking all of it so often takes longer.
gc.set_threshold(500_000, 20, 100)
# A part of the evaluation that looks further than it declares is an error here.
Part.strict = True
NOW = datetime(2026, 11, 24, 9, 0, tzinfo=UTC)


@pytest.hookimpl(trylast=True)  # what is left out is no longer in it
def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Each worker begins with its share of the whole boxes: at the end, the others would wait for one."""
    longest = [i for i in items if i.get_closest_marker("whole_box")]
    others = iter([i for i in items if not i.get_closest_marker("whole_box")])
    workers = int(os.environ.get("PYTEST_XDIST_WORKER_COUNT", "1"))
    dealt: list[pytest.Item] = []
    for n in range(workers if longest else 0):
        mine = longest[n::workers]
        # As work stealing cuts its list at first: what is left, by the workers that are left.
        part = (len(items) - len(dealt)) // (workers - n)
        dealt += [*mine, *islice(others, max(part - len(mine), 0))]
    items[:] = [*dealt, *others]


def needs(program: str) -> Any:
    """Skips a test, with the reason, where a program is missing."""
    return pytest.mark.skipif(
        shutil.which(program) is None, reason=f"{program} is not on this machine"
    )


def free_port() -> int:
    """A port of loopback that nobody has now."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def until_it_answers(port: int) -> None:
    """Waits until a server that was just started takes connections on loopback."""
    deadline = time.monotonic() + 180  # on a busy machine it takes a minute
    while True:
        try:
            socket.create_connection(("127.0.0.1", port), 0.2).close()
            return
        except OSError:
            assert time.monotonic() < deadline, f"nothing answers on port {port}"


@pytest.fixture(scope="session")
def demo() -> Plan:
    return demo_plan()


@pytest.fixture(scope="session")
def empty_database(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A database with nothing in it: to make all tables anew for each test would take longer than most."""
    path = tmp_path_factory.mktemp("empty") / "kavrel.db"
    Database(path).close()
    return path


@pytest.fixture
def database(tmp_path: Path, empty_database: Path) -> Iterator[Database]:
    shutil.copy(empty_database, tmp_path / "kavrel.db")
    opened = Database(tmp_path / "kavrel.db")
    yield opened
    opened.close()


@pytest.fixture
def plans(database: Database) -> Plans:
    return Plans(database, lambda: NOW)


@pytest.fixture
def client(database: Database) -> Iterator[TestClient]:
    app = create_app(database, lambda: NOW)
    with TestClient(app, base_url="http://127.0.0.1:8321", raise_server_exceptions=False) as found:
        yield found


class Lab:
    """A plan behind the API, with the revision that was seen last."""

    def __init__(self, client: TestClient, plan: Plan) -> None:
        from kavrel.formats.plan_file import dump

        self.client = client
        answer = client.post(
            "/api/plans/import",
            content=dump(plan),
            headers={"content-type": "application/json"},
        )
        assert answer.status_code == 201, answer.text
        self.state = answer.json()
        self.base = f"/api/plans/{self.state['meta']['id']}"

    def send(self, method: str, path: str, body: Any = None, revision: int | None = None) -> Any:
        """One change on the revision seen last, or on the one given."""
        seen = self.state["meta"]["revision"] if revision is None else revision
        answer = self.client.request(
            method, self.base + path, json=body, headers={"if-match": f'"r{seen}"'}
        )
        if answer.status_code in (200, 201):
            self.state = answer.json()
        return answer

    def item(self, collection: str, key: str) -> dict[str, Any]:
        """A thing of the plan as it was seen last."""
        return dict(next(i for i in self.state["plan"][collection] if i["id"] == key))


@pytest.fixture
def demo_lab(client: TestClient, demo: Plan) -> Lab:
    return Lab(client, demo)


class Served:
    """A real `kavrel` server in its own process."""

    def __init__(
        self,
        command: str,
        database: Path,
        today: str = "2026-11-24",
        more: tuple[str, ...] = (),
        port: int = 0,
    ) -> None:
        listener = socket.create_server(("127.0.0.1", port))
        self.port = listener.getsockname()[1]
        self.url = f"http://127.0.0.1:{self.port}"
        os.set_inheritable(listener.fileno(), True)
        self.process = subprocess.Popen(
            [
                sys.executable,
                "-m",
                "kavrel.cli",
                command,
                "--database",
                str(database),
                "--fd",
                str(listener.fileno()),
                *(("--today", today) if today else ()),
                *more,
            ],
            pass_fds=[listener.fileno()],
            stdout=subprocess.DEVNULL,
        )
        listener.close()
        # The socket listens already: the first request waits for the server, on a busy machine a minute.
        self.http = httpx2.Client(base_url=self.url, timeout=180)

    def plans(self) -> list[dict[str, Any]]:
        return list(self.http.get("/api/plans").json()["plans"])

    def stop(self) -> None:
        self.http.close()
        self.process.terminate()
        self.process.wait(60)


@pytest.fixture(scope="session")
def served(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Served]:
    found = Served("demo", tmp_path_factory.mktemp("served") / "demo.db")
    yield found
    found.stop()
