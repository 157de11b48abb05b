"""Thirty-two people at once: no edit is lost, none is made twice, nobody is told a lie."""

import secrets
import threading
from collections import Counter
from pathlib import Path

import httpx2
import pytest

from tests.conftest import Served

CLIENTS = 32


@pytest.mark.parametrize("seconds", [4, pytest.param(60, marks=pytest.mark.prove)])
def test_thirty_two_clients_edit_and_each_edit_is_there_once(
    tmp_path: Path, seconds: int, request: pytest.FixtureRequest
) -> None:
    served = Served("demo", tmp_path / "many.db")
    request.addfinalizer(served.stop)
    plan = served.plans()[0]["id"]
    base = f"{served.url}/api/plans/{plan}"
    over = threading.Event()
    answered: list[str] = []  # what the server said it had done
    odd: Counter[int] = Counter()

    def edits(who: int) -> None:
        with httpx2.Client(timeout=180) as http:
            while not over.is_set():
                head = http.get(f"{served.url}/api/plans").json()["plans"][0]["revision"]
                note = secrets.token_hex(6)
                entry = {
                    "on": "2026-11-24", "kind": "update", "about_kind": "host", "about": "heron",
                    "result": "ok", "who": f"n{who}", "minutes": 1, "note": note,
                }  # fmt: skip
                headers = {"if-match": f'"r{head}"', "idempotency-key": f"key-{note}"}
                for _ in range(2):  # each is sent twice, as after a lost answer
                    answer = http.post(f"{base}/log", json=entry, headers=headers)
                    if answer.status_code != 201:
                        odd[answer.status_code] += 1
                        break
                else:
                    answered.append(note)

    threads = [threading.Thread(target=edits, args=(n,)) for n in range(CLIENTS)]
    for thread in threads:
        thread.start()
    over.wait(seconds)
    over.set()
    for thread in threads:
        thread.join()
    state = served.http.get(base).json()
    there = Counter(e["note"] for e in state["plan"]["log"])
    assert len(answered) >= CLIENTS / 4
    assert [n for n in answered if there[n] != 1] == []
    # Adding beside others contradicts nobody: nothing is refused.
    assert dict(odd) == {}
