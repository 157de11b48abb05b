"""What machines say, over HTTP: read, taken over in one change, kept beside the plan, held against it."""

import json
from typing import Any

import pytest
from starlette.testclient import TestClient

from kavrel.core.plan import Plan
from kavrel.store.database import Database
from kavrel.store.looks import KEPT_WHOLE, ClockAhead, Looks, NoSuchToken
from tests.api.test_api import problem
from tests.conftest import NOW, Lab
from tests.formats.looks.machines import disk, look, lsblk, nas, smart, system_disk

TEXT = {"Content-Type": "text/plain"}
RUN = {
    "job": "hourly",
    "began": 1773140000.0,
    "ended": 1773140005.5,
    "result": "failed",
    "said": "no room",
    "bytes": 4096,
}


@pytest.fixture
def empty_lab(client: TestClient) -> Lab:
    return Lab(client, Plan(name="mine"))


def read(lab: Lab, content: bytes, **query: str) -> dict[str, Any]:
    answer = lab.client.post(f"{lab.base}/looks/read", content=content, headers=TEXT, params=query)
    assert answer.status_code == 200, answer.text
    found: dict[str, Any] = answer.json()
    return found


def take_all(lab: Lab, content: bytes) -> dict[str, Any]:
    things = read(lab, content)["takes"]["things"]
    wanted = [{"collection": t["collection"], "item": t["item"]} for t in things]
    answer = lab.send("POST", "/take", {"things": wanted, "said": "a look at nas"})
    assert answer.status_code == 201, answer.text
    state: dict[str, Any] = answer.json()
    return state


def keep(lab: Lab, content: bytes, **query: str) -> Any:
    return lab.client.post(f"{lab.base}/looks", content=content, headers=TEXT, params=query)


def drift(lab: Lab) -> dict[str, Any]:
    found: dict[str, Any] = lab.client.get(f"{lab.base}/drift").json()
    return found


def test_a_box_is_taken_over_in_one_change_and_given_back_in_one(empty_lab: Lab) -> None:
    state = take_all(empty_lab, nas())
    assert state["meta"]["revision"] == 2
    assert state["meta"]["summary"] == "19 things taken over from a look at nas"
    assert len(state["plan"]["disks"]) == 5
    assert state["evaluation"]["strip"]["usable_bytes"] > 10**13
    undone = empty_lab.send("POST", "/steps", {"direction": "undo"}).json()
    assert undone["plan"]["hosts"] == []


def test_some_of_it_is_taken_and_what_lacks_its_ground_is_told(empty_lab: Lab) -> None:
    things = read(empty_lab, nas())["takes"]["things"]
    some = [t for t in things if t["collection"] in ("sites", "hosts", "disks")]
    wanted = [{"collection": t["collection"], "item": t["item"]} for t in some]
    assert empty_lab.send("POST", "/take", {"things": wanted}).status_code == 201
    share = next(t for t in things if t["collection"] == "shares")
    alone = {"things": [{"collection": "shares", "item": share["item"]}]}
    said = problem(empty_lab.send("POST", "/take", alone), 422)
    assert "data-1" in json.dumps(said)
    problem(
        empty_lab.send("POST", "/take", {"things": [{"collection": "novels", "item": {}}]}), 422
    )
    problem(
        empty_lab.send("POST", "/take", {"things": [{"collection": "disks", "item": {"id": "x"}}]}),
        422,
    )


def test_a_look_is_kept_beside_the_plan_once(empty_lab: Lab) -> None:
    take_all(empty_lab, nas())
    before = empty_lab.state["meta"]["revision"]
    first, again = keep(empty_lab, nas()), keep(empty_lab, nas())
    assert (first.status_code, first.json()["again"]) == (201, False)
    assert (again.json()["number"], again.json()["again"]) == (1, True)
    assert empty_lab.state["meta"]["revision"] == before
    (host,) = drift(empty_lab)["hosts"]
    assert host["differences"] == []
    assert any("timers" in u for u in host["unknown"])


def test_an_older_look_never_hides_a_newer_one(empty_lab: Lab) -> None:
    take_all(empty_lab, nas())
    five = [disk(f"sd{x}", f"H{n}") for n, x in enumerate("abcde", 1)]
    newer = look("nas", lsblk(system_disk(), *five[:4]), at="2026-03-11T12:00:00+00:00")
    assert keep(empty_lab, newer).status_code == 201
    assert keep(empty_lab, nas()).status_code == 201  # of the day before
    (host,) = drift(empty_lab)["hosts"]
    assert [(d["verdict"], d["name"]) for d in host["differences"]] == [("missing", "nas H5")]
    numbers = [x["number"] for x in empty_lab.client.get(f"{empty_lab.base}/looks").json()["looks"]]
    assert numbers == [1, 2]


def test_a_clock_ahead_and_another_machine_are_refused(empty_lab: Lab) -> None:
    take_all(empty_lab, nas())
    far = look("far", lsblk(system_disk(), disk("sda", "F1")))
    take_all(empty_lab, far)
    said = problem(keep(empty_lab, nas(at="2031-01-01T00:00:00+00:00")), 422)
    assert "clock is ahead" in said["detail"]
    hosts = {h["name"]: h["id"] for h in empty_lab.state["plan"]["hosts"]}
    said = problem(keep(empty_lab, far, host=hosts["nas"]), 422)
    assert "this look is of far" in said["detail"]
    assert (
        "no host of the plan"
        in problem(keep(empty_lab, look("x", lsblk(disk("sda", "Q")))), 422)["detail"]
    )
    problem(keep(empty_lab, b"Dear diary"), 422)
    problem(keep(empty_lab, nas(), host="nowhere"), 404)


def test_a_host_sends_its_look_by_a_token_until_that_is_withdrawn(empty_lab: Lab) -> None:
    take_all(empty_lab, nas())
    (box,) = empty_lab.state["plan"]["hosts"]
    place = f"{empty_lab.base}/hosts/{box['id']}/token"
    old = empty_lab.client.post(place).json()["token"]
    token = empty_lab.client.post(place).json()["token"]

    def send(word: str, content: bytes = nas()) -> Any:
        head = {**TEXT, "Authorization": f"Bearer {word}"}
        return empty_lab.client.post("/api/observations", content=content, headers=head)

    problem(send(old), 401)  # a new one takes the place of the one before
    problem(send("made up"), 401)
    problem(empty_lab.client.post("/api/observations", content=nas(), headers=TEXT), 401)
    assert send(token).status_code == 201
    assert empty_lab.client.get(f"{empty_lab.base}/looks").json()["looks"][0]["sent"] is True
    # Nothing of another machine comes in by it.
    take_all(empty_lab, look("far", lsblk(system_disk(), disk("sda", "F1"))))
    problem(send(token, look("far", lsblk(system_disk(), disk("sda", "F1")))), 422)
    (one, two) = empty_lab.client.get(f"{empty_lab.base}/tokens").json()["tokens"]
    assert one["used_at"]
    assert two["withdrawn_at"]
    assert token not in empty_lab.client.get(f"{empty_lab.base}/tokens").text
    assert empty_lab.client.delete(place).status_code == 204
    problem(send(token), 401)


@pytest.fixture
def kept(plans: Any) -> tuple[Looks, str, Database]:
    database: Database = plans._database
    return Looks(database, lambda: NOW), plans.create(Plan(name="x"), "x"), database


def machine_of(content: bytes) -> Any:
    from kavrel.formats.looks.read import read_look

    return read_look(content, 0).machine


def test_readings_fills_and_runs_are_kept_by_their_moment(
    kept: tuple[Looks, str, Database],
) -> None:
    looks, plan, _ = kept
    for day, pending in ((10, 0), (11, 8), (9, 0)):
        run = ("run", "/var/lib/lab-job/runs/1.json", json.dumps(RUN))
        content = look(
            "nas", lsblk(disk("sda", "H1")), smart("/dev/sda", "H1", pending=pending), run,
            at=f"2026-03-{day:02}T12:00:00+00:00",
        )  # fmt: skip
        looks.keep(plan, "nas", machine_of(content), content, [("pools", "p", day * 100)])
    rows = looks.readings(plan, "H1")
    assert [r.readings["pending"] for r in rows] == [0, 0, 8]
    assert [b for _, b in looks.fills(plan)["pools", "p"]] == [900, 1000, 1100]
    # One run that three looks tell of is one run.
    ((host, run_of),) = looks.runs(plan)
    assert (host, run_of.job, run_of.result, run_of.said) == ("nas", "hourly", "failed", "no room")
    assert run_of.bytes == 4096
    assert looks.carried(plan) == [(host, run_of)]


def test_old_listings_go_and_what_was_read_of_them_stays(kept: tuple[Looks, str, Database]) -> None:
    looks, plan, database = kept
    for n in range(KEPT_WHOLE + 3):
        content = look("nas", lsblk(disk("sda", "H1")), at=f"2026-03-10T12:{n:02}:00+00:00")
        looks.keep(plan, "nas", machine_of(content), content)
    assert looks.said(plan, 1) is None
    assert looks.said(plan, KEPT_WHOLE) is not None
    assert Looks(database, lambda: NOW).machine(plan, 1).disks[0].serial == "H1"
    assert looks.newest(plan)["nas"].at == machine_of(content).at


def test_what_is_sent_wrongly_is_not_kept(kept: tuple[Looks, str, Database]) -> None:
    looks, plan, _ = kept
    ahead = look("nas", lsblk(disk("sda", "H1")), at="2027-01-01T00:00:00+00:00")
    with pytest.raises(ClockAhead):
        looks.keep(plan, "nas", machine_of(ahead), ahead)
    with pytest.raises(NoSuchToken):
        looks.whose_token("")
    with pytest.raises(KeyError):
        looks.machine(plan, 7)


def test_a_plan_takes_its_looks_along_when_it_goes(
    kept: tuple[Looks, str, Database], plans: Any
) -> None:
    looks, plan, _ = kept
    looks.keep(plan, "nas", machine_of(nas()), nas())
    plans.delete(plan)
    assert looks.rows(plan) == []
    assert looks.readings(plan) == []
