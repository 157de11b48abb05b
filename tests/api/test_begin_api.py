"""Beginning without forms, over HTTP: a line, a sketch; and what is found once boxes were looked at."""

from datetime import UTC, datetime

import pytest
from starlette.testclient import TestClient

from kavrel.core.plan import Plan
from kavrel.demo import keep_history
from kavrel.sketches import SKETCHES
from kavrel.store.database import Database
from kavrel.store.looks import Looks
from tests.api.test_api import problem
from tests.conftest import NOW, Lab


@pytest.fixture
def empty_lab(client: TestClient) -> Lab:
    return Lab(client, Plan(name="mine"))


def test_a_line_says_what_it_will_do_and_does_it_in_one_change(empty_lab: Lab) -> None:
    line = {"text": "cellar: 4 x 4TB heron 99 each"}
    said = empty_lab.client.post(f"{empty_lab.base}/line/read", json=line).json()
    assert said["says"].startswith("a new box cellar with 4 bays")
    assert (said["wrong"], said["disks"]) == ("", 4)
    state = empty_lab.send("POST", "/line", line).json()
    assert len(state["plan"]["disks"]) == 4
    assert empty_lab.send("POST", "/steps", {"direction": "undo"}).json()["plan"]["sites"] == []
    wrong = empty_lab.client.post(f"{empty_lab.base}/line/read", json={"text": "heron"}).json()
    assert "no size" in wrong["wrong"]
    assert "no size" in problem(empty_lab.send("POST", "/line", {"text": "heron"}), 422)["detail"]
    blank = empty_lab.client.post(f"{empty_lab.base}/line/read", json={"text": "  "}).json()
    assert (blank["says"], blank["wrong"]) == ("", "")


@pytest.mark.parametrize("sketch", SKETCHES)
def test_each_sketch_starts_an_empty_plan(empty_lab: Lab, sketch: str) -> None:
    listed = empty_lab.client.get("/api/sketches").json()["sketches"]
    drawn = next(s for s in listed if s["id"] == sketch)["drawn"]
    assert drawn["boxes"][0]["bays"]
    state = empty_lab.send("POST", "/sketch", {"sketch": sketch}).json()
    assert state["plan"]["name"] == "mine"
    assert state["evaluation"]["strip"]["usable_bytes"] > 0
    again = empty_lab.send("POST", "/sketch", {"sketch": sketch})
    assert "empty plan" in problem(again, 409)["detail"]


def test_a_wrong_answer_is_told_at_its_question(empty_lab: Lab) -> None:
    asked = {"sketch": "two_bays", "answers": {"disk": "four"}}
    said = problem(empty_lab.send("POST", "/sketch", asked), 422)
    assert said["errors"][0]["field"] == "disk"
    problem(empty_lab.send("POST", "/sketch", {"sketch": "castle"}), 422)


def test_before_any_look_nothing_is_found_and_nothing_claimed(demo_lab: Lab) -> None:
    found = demo_lab.client.get(f"{demo_lab.base}/found").json()
    assert (found["asked"], found["points"], found["cells"]) == (False, [], [])
    assert {a["seen_at"] for a in found["ages"]} == {None}
    wear = demo_lab.client.get(f"{demo_lab.base}/wear").json()["disks"]
    assert {d["level"] for d in wear} == {"unknown"}
    drift = demo_lab.client.get(f"{demo_lab.base}/drift").json()
    assert drift["hosts"] == []
    assert set(drift["never"]) == {"heron", "wren", "dipper", "perch"}


def test_the_demos_history_stands_beside_its_plan(
    demo_lab: Lab, database: Database, demo: Plan
) -> None:
    plan_id = demo_lab.base.rpartition("/")[2]
    keep_history(Looks(database, lambda: NOW), plan_id, demo, datetime(2026, 11, 24, 9, tzinfo=UTC))
    base, client = demo_lab.base, demo_lab.client
    assert demo_lab.state["meta"]["revision"] == 1
    found = client.get(f"{base}/found").json()
    mill = next(p for p in found["points"] if (p["job"], p["dataset"]) == ("to-mill", "scans"))
    assert mill["missing"] == 3
    box = next(c for c in found["cells"] if (c["dataset"], c["hazard"]) == ("scans", "box_lost"))
    assert box["fate"] == "restored"
    working = client.get(
        f"{base}/proof/working", params={"dataset": "scans", "hazard": "box_lost", "found": True}
    )
    assert working.json()["value"] != client.get(
        f"{base}/proof/working", params={"dataset": "scans", "hazard": "box_lost"}
    ).json()["value"] or "3.2 days" in working.text  # fmt: skip
    assert {r["job_id"] for r in found["runs"]} >= {"homes-wren", "to-mill"}
    grown = next(g for g in found["grown"] if g["dataset"] == "scans")
    assert len(grown["fills"]) == 5
    wear = client.get(f"{base}/wear").json()["disks"]
    assert (wear[0]["disk"], wear[0]["level"]) == ("d3", "replace")
    newest = client.get(f"{base}/looks", params={"newest": True}).json()["looks"]
    assert {x["host"] for x in newest} == {"heron", "dipper", "wren"}
    # What is taken over from there is a change of the plan like any other.
    taken = demo_lab.send(
        "POST", "/take", {"things": [{"collection": "disks", "item": wear[0]["change"]["item"]}]}
    )
    assert taken.status_code == 201
    assert client.get(f"{base}/wear").json()["disks"][0]["change"] is None
