"""Measures a real server with people: signing in, what a session costs a request, fifty readers at once."""

import subprocess
from collections.abc import Callable
from pathlib import Path
from tempfile import mkdtemp

import httpx2

from kavrel.demo.people import PEOPLE
from tests.conftest import Served

READERS = 50
SMALL = "/api/capacity?text=8TB"


def _enter(http: httpx2.Client, who: int) -> None:
    name, _, password = PEOPLE[who]
    answer = http.post("/api/visitor/in", json={"name": name, "password": password})
    assert answer.status_code == 200, answer.text


def served(report: Callable[..., None], median_ms: Callable[..., float]) -> None:
    """Prints the figures; one client more than asked keeps the rest honest."""
    folder = Path(mkdtemp())
    open_to_all = Served("demo", folder / "open.db")
    open_to_all.plans()
    bare = median_ms(lambda: open_to_all.http.get(SMALL), 60)
    open_to_all.stop()
    house = Served("demo", folder / "house.db", more=("--people",))
    report(
        "signing in (Argon2id, 64 MiB, 3 passes)",
        median_ms(lambda: _enter(house.http, 0), 7),
        "ms",
        300,
    )
    report(
        "what a session costs a request",
        median_ms(lambda: house.http.get(SMALL), 60) - bare,
        "ms",
        2,
    )
    plan = house.plans()[0]["id"]
    house.http.get(f"/api/plans/{plan}").raise_for_status()
    cookie = "; ".join(f"{n}={v}" for n, v in house.http.cookies.items())
    # A process each: threads of one would wait for one another, not for the server.
    words = ["curl", "-s", "-o", "/dev/null", "-w", "%{time_total}", "-H", f"cookie: {cookie}"]
    asked = [
        subprocess.Popen(
            [*words, f"{house.url}/api/plans/{plan}"], stdout=subprocess.PIPE, text=True
        )
        for _ in range(READERS)
    ]
    times = sorted(float(one.communicate()[0]) * 1000 for one in asked)
    house.stop()
    report("fifty readers at once, 95th percentile", times[int(READERS * 0.95)], "ms", 400)
