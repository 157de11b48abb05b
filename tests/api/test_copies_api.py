"""The routes of Copies, Week and Proof."""

from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.conftest import Lab


@pytest.fixture
def base(demo_lab: Lab) -> str:
    return demo_lab.base


def test_points_say_by_which_rule_they_are_kept_and_what_they_free(
    client: TestClient, base: str
) -> None:
    found = client.get(f"{base}/points", params={"job": "papers-vault", "on": "2026-11-24"}).json()
    rules = {r for p in found["points"] for r in p["kept_by"]}
    assert {"daily, one of 7", "weekly, one of 2", "monthly, one of 12"} <= rules
    assert any(p["frees_bytes"] > 0 for p in found["points"])
    chore = client.get(f"{base}/points", params={"job": "ridge-scrub", "on": "2026-11-24"})
    assert chore.json()["points"] == []


def test_have_it_back_and_its_complaints(client: TestClient, base: str) -> None:
    days = {"written_on": "2026-09-25", "lost_on": "2026-11-04", "noticed_on": "2026-11-24"}
    found = client.get(f"{base}/back", params={"dataset": "scans", **days}).json()
    assert found["best"] == "to-mill"
    assert len(found["curves"]) == len(found["copies"]) == 3
    wrong = client.get(f"{base}/back", params={"dataset": "scans", **days, "lost_on": "2026-09-01"})
    assert wrong.status_code == 422
    assert wrong.json()["errors"][0]["field"] == "lost_on"
    assert client.get(f"{base}/back", params={"dataset": "none", **days}).status_code == 404
    far = client.get(
        f"{base}/back", params={"dataset": "scans", **days, "noticed_on": "2500-01-01"}
    )
    assert far.status_code == 422


def test_space_first_copies_and_weeks(client: TestClient, base: str) -> None:
    space = client.get(f"{base}/space", params={"pool": "ridge"}).json()
    assert {layer["kind"] for layer in space["layers"]} == {"live", "points", "copy"}
    assert client.get(f"{base}/space", params={"pool": "ridge", "years": 50}).status_code == 422
    assert client.get(f"{base}/space", params={"pool": "none"}).status_code == 404
    ways = client.get(f"{base}/first", params={"job": "to-mill"}).json()["ways"]
    assert [w["way"] for w in ways] == ["side_by_side", "carried", "over_link"]
    assert client.get(f"{base}/first", params={"job": "ridge-snaps"}).json()["ways"] == []
    week = client.get(f"{base}/week", params={"day": "2027-03-28"}).json()
    assert week["monday"] == "2027-03-22"


def test_figures_are_explained_when_asked(client: TestClient, base: str) -> None:
    asked = {"dataset": "scans", "hazard": "fire+key_lost"}
    lost, back, *_ = client.get(f"{base}/proof/working", params=asked).json()["inputs"]
    assert (lost["name"], back["name"]) == ("work lost at worst", "time to be back")
    for wrong in ({**asked, "hazard": "flood"}, {**asked, "dataset": "none"}):
        assert client.get(f"{base}/proof/working", params=wrong).status_code == 404
    points = {"job": "papers-vault", "figure": "points"}
    assert client.get(f"{base}/copies/working", params=points).json()["value"] > 7
    for wrong in ({**points, "job": "none"}, {**points, "figure": "none"}):
        assert client.get(f"{base}/copies/working", params=wrong).status_code in (404, 422)
    run = {"job": "to-mill", "day": "2026-11-24"}
    told = client.get(f"{base}/week/working", params=run).json()
    runs = client.get(f"{base}/week", params=run).json()["runs"]
    assert told["value"] == max(r["seconds"] for r in runs if r["job"] == "to-mill")
    far = client.get(f"{base}/week/working", params={**run, "day": "2500-01-01"})
    assert far.status_code == 422
    counted = client.get(f"{base}/ladder/working", params={"dataset": "scans"}).json()
    assert counted["value"] == 3
    assert client.get(f"{base}/ladder/working", params={"dataset": "none"}).status_code == 404


def test_pairs_and_plans_side_by_side(client: TestClient, base: str) -> None:
    pairs = client.get(f"{base}/pairs").json()
    assert {p["id"] for p in pairs["pairs"]} == {c["hazard"] for c in pairs["cells"]}
    # One administrator with a password alone would open every box: here the second factor is there.
    state = client.get(base).json()
    steward = next(a for a in state["plan"]["accounts"] if a["id"] == "steward")
    guarded = client.put(
        f"{base}/accounts/steward",
        json={**steward, "second_factor": True},
        headers={"If-Match": f'"r{state["meta"]["revision"]}"'},
    )
    assert guarded.status_code == 200
    variant = client.post(f"{base}/variants", json={"variant": "what if"}).json()
    other = f"/api/plans/{variant['meta']['id']}"
    assert client.get(f"{other}/against/{base.rpartition('/')[2]}").json()["changes"] == []
    job = next(j for j in variant["plan"]["jobs"] if j["id"] == "to-mill")
    pulled = client.put(
        f"{other}/jobs/to-mill", json={**job, "credentials": "target"}, headers={"If-Match": '"r1"'}
    )
    assert pulled.status_code == 200
    changes = client.get(f"{other}/against/{base.rpartition('/')[2]}").json()["changes"]
    turns = {(c["dataset"], c["hazard"]): c["turn"] for c in changes}
    assert turns["scans", "malware_credentials"] == "better"
    # While heron's root got into dipper, what dipper pulled by itself was gone as well.
    assert turns["homes", "malware_credentials"] == "better"


def ask(client: TestClient, base: str, question: dict[str, Any]) -> Any:
    """A question's answer, followed to its end."""
    begun = client.post(f"{base}/questions", json=question)
    assert begun.status_code == 202, begun.text
    key = begun.json()["id"]
    with client.stream("GET", f"/api/questions/{key}/events") as events:
        assert any(line == "event: end" for line in events.iter_lines())
    ended = client.get(f"/api/questions/{key}").json()
    assert ended["state"] == "done", ended
    return ended["answer"]


def test_many_starts_move_in_one_change(client: TestClient, base: str) -> None:
    before = client.get(base).json()
    at = {"If-Match": f'"r{before["meta"]["revision"]}"'}
    starts = {"papers-vault": "02:10", "to-mill": "01:35"}
    moved = client.post(f"{base}/starts", json={"starts": starts}, headers=at)
    assert moved.status_code == 200, moved.text
    assert moved.json()["meta"]["revision"] == before["meta"]["revision"] + 1
    jobs = {j["id"]: j["schedule"]["at"] for j in moved.json()["plan"]["jobs"]}
    assert {k: jobs[k] for k in starts} == starts
    assert client.post(f"{base}/starts", json={"starts": starts}, headers=at).status_code == 412
    now = {"If-Match": f'"r{moved.json()["meta"]["revision"]}"'}
    for wrong, status in (({"none": "02:10"}, 404), ({"to-mill": "25:00"}, 422), ({}, 422)):
        answer = client.post(f"{base}/starts", json={"starts": wrong}, headers=now)
        assert answer.status_code == status, answer.text


def test_arranging_living_and_the_nights_are_questions(client: TestClient, base: str) -> None:
    arranged = ask(client, base, {"kind": "arrange"})["arrangement"]
    assert arranged["before"]["overlaps"] > arranged["after"]["overlaps"] == 0
    nights = ask(client, base, {"kind": "nights", "days": 60})
    assert nights["worst"]
    lives = ask(client, base, {"kind": "lab", "years": 3, "lifetimes": 1000})["lives"]
    assert lives["lifetimes"] == 1000
    assert lives["changes"]
