"""Measures a real server: signing in, a session's cost, fifty readers at once, an edit on a small board."""

import subprocess
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import mkdtemp
from typing import Any

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
    small_board(report, median_ms, folder)


def small_board(report: Callable[..., None], median_ms: Callable[..., float], folder: Path) -> None:
    """An edit of the demo lab on a quarter of a core, as on a single board, with the kernel's own quota."""
    box = Served("demo", folder / "quarter.db")
    plan = box.plans()[0]["id"]
    state = box.http.get(f"/api/plans/{plan}").json()
    head = [state["meta"]["revision"]]
    for what, collection, place, field in (
        ("price", "disks", 0, "price_minor"),
        ("size", "datasets", 3, "size_bytes"),
    ):
        item = dict(state["plan"][collection][place])

        def edit(c: str = collection, f: str = field, i: dict[str, Any] = item) -> None:
            i[f] += 1000
            answer = box.http.put(
                f"/api/plans/{plan}/{c}/{i['id']}",
                json=i,
                headers={"if-match": f'"r{head[0]}"', "kavrel-holds": f'"r{head[0]}"'},
            )
            answer.raise_for_status()
            head[0] += 1

        edit()
        whole = median_ms(edit, 5)
        with _quarter(box.process.pid) as held:
            if not held:
                print("an edit on a quarter of a core: the kernel gives no quota here")
                break
            slow = median_ms(edit, 5)
            print(f"{'  as often as long as on a whole core':46} {slow / whole:9.1f} x")
            report(f"a {what} edited on a quarter of a core", slow, "ms", 400)
    box.stop()


@contextmanager
def _quarter(process: int) -> Iterator[bool]:
    """Holds a process to a quarter of a core by a control group, of the first version or the second."""
    first, second = Path("/sys/fs/cgroup/cpu"), Path("/sys/fs/cgroup")
    root = first if (first / "cpu.cfs_quota_us").exists() else second
    group = root / f"kavrel-{process}"
    try:
        group.mkdir()
        if root is first:
            (group / "cpu.cfs_period_us").write_text("100000")
            (group / "cpu.cfs_quota_us").write_text("25000")
        else:
            (group / "cpu.max").write_text("25000 100000")
        (group / "cgroup.procs").write_text(str(process))
    except OSError:
        yield False
        return
    try:
        yield True
    finally:
        (root / "cgroup.procs").write_text(str(process))
        group.rmdir()
