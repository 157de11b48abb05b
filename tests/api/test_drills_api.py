"""Drills over HTTP: listed, played step by step, judged, refused where no stand-in can be."""

from starlette.testclient import TestClient

from kavrel.core.plan import Plan
from tests.api.test_api import problem
from tests.builders import lab
from tests.conftest import Lab


def test_a_drill_is_played_from_its_steps_alone(client: TestClient) -> None:
    from kavrel.rig.drills import DRILLS
    from tests.builders import job

    found = Lab(client, lab(jobs=(job("far", "replication", target_pool="second"),)))
    listed = client.get(f"{found.base}/drills").json()
    assert (len(listed["drills"]), listed["why"]) == (len(DRILLS), "")
    asked = {"drill": "one_disk", "steps": [{"at": "box", "line": "zpool status main"}]}
    told = client.post(f"{found.base}/drill", json=asked).json()
    assert "main is not well" in told["sees"]
    assert "DEGRADED" in told["done"][0]["out"]
    assert (told["verdict"], told["outcomes"]) == ("", [])
    ended = client.post(f"{found.base}/drill", json={**asked, "ended": True}).json()
    assert ended["verdict"].startswith("not over")
    assert ended["outcomes"][0]["name"] == "files"
    # Nothing of it is in the plan.
    assert client.get(found.base).json()["meta"]["revision"] == found.state["meta"]["revision"]


def test_what_is_taken_along_is_what_the_server_answers_at_the_beginning(
    client: TestClient,
) -> None:
    """Whoever plays alone sees no other lab, and the same steps are judged alike."""
    from tests.builders import job

    found = Lab(client, lab(jobs=(job("far", "replication", target_pool="second"),)))
    for drill in ("one_disk", "errors", "box_lost"):
        carried = client.get(f"{found.base}/drills/{drill}/carried").json()
        start = client.post(f"{found.base}/drill", json={"drill": drill}).json()
        assert carried["start"] == start
        lines = [{"at": a["at"], "line": a["line"]} for a in carried["answers"]]
        assert {a["at"] for a in carried["answers"]} == set(start["boxes"])
        again = client.post(f"{found.base}/drill", json={"drill": drill, "steps": lines}).json()
        told = [(d["line"], d["code"], d["out"]) for d in again["done"]]
        assert told == [(a["line"], a["code"], a["out"]) for a in carried["answers"]]
        # Looking changes nothing: all that hands could do, they still can.
        assert again["deeds"] == start["deeds"]
    assert any("zpool status" in a["line"] for a in carried["answers"]) or not start["boxes"]
    assert problem(client.get(f"{found.base}/drills/flood/carried"), 404)


def test_what_cannot_be_drilled_is_told(client: TestClient) -> None:
    empty = Lab(client, Plan(name="mine"))
    assert "a pool that stands" in client.get(f"{empty.base}/drills").json()["why"]
    told = problem(client.post(f"{empty.base}/drill", json={"drill": "fire"}), 422)
    assert "a pool that stands" in told["detail"]
    pc = tuple(h.model_copy(update={"kind": "pc"}) for h in lab().hosts)
    found = Lab(client, lab(hosts=pc))
    assert "a box that takes commands" in client.get(f"{found.base}/drills").json()["why"]
    told = problem(client.post(f"{found.base}/drill", json={"drill": "fire"}), 422)
    assert "a box that takes commands" in told["detail"]
    assert problem(client.post(f"{found.base}/drill", json={"drill": "flood"}), 404)
    many = {"drill": "fire", "steps": [{"at": "box", "line": "ls"}] * 201}
    assert problem(client.post(f"{found.base}/drill", json=many), 422)["errors"]


def test_exercises_fall_due_and_are_logged(client: TestClient) -> None:
    from tests.builders import job

    found = Lab(client, lab(jobs=(job("far", "replication", target_pool="second"),)))
    due = [d for d in found.state["evaluation"]["due"] if d["kind"] == "exercise"]
    assert [(d["about_kind"], d["about"], d["overdue_days"]) for d in due] == [("site", "home", 0)]
    entry = {
        "kind": "exercise", "about_kind": "site", "about": "home", "result": "ok",
        "on": found.state["evaluation"]["today"],
    }  # fmt: skip
    state = found.send("POST", "/log", entry).json()
    (later,) = (d for d in state["evaluation"]["due"] if d["kind"] == "exercise")
    assert later["overdue_days"] == -180


def test_a_plan_is_run_and_what_happened_stands_beside_what_was_predicted(
    client: TestClient,
) -> None:
    from tests.builders import job

    fine = Lab(client, lab(jobs=(job("snap"), job("far", "replication", target_pool="second"))))
    seen = client.post(f"{fine.base}/run", json={"days": 7}).json()
    assert [line for line in seen["lines"] if not line["agrees"]] == []
    assert (seen["days"], seen["mails"], seen["more_mails"]) == (7, [], 0)
    assert "snap: points of files" in {line["what"] for line in seen["lines"]}
    # A line that a year's bytes do not get through: every start but the first finds it running.
    slow = tuple(link.model_copy(update={"mbit_a_to_b": 0.1}) for link in lab().links)
    late = Lab(client, lab(links=slow, jobs=(job("far", "replication", target_pool="second"),)))
    mails = client.post(f"{late.base}/run", json={"days": 7}).json()["mails"]
    assert mails
    assert all("its last run has not ended" in m["text"] for m in mails)
    wanted = tuple(p.model_copy(update={"standing": False}) for p in lab().pools)
    ahead = Lab(client, lab(pools=wanted, jobs=(job("snap"),)))
    seen = client.post(f"{ahead.base}/run", json={"days": 7}).json()
    assert (seen["pools_made"], seen["pools_left"], seen["mails"]) == (["main", "second"], [], [])
    assert all(line["agrees"] for line in seen["lines"])
    assert problem(client.post(f"{fine.base}/run", json={"days": 8}), 422)["errors"]
    empty = Lab(client, Plan(name="mine"))
    assert problem(client.post(f"{empty.base}/run", json={}), 422)


def test_a_drill_on_paper_tells_the_reader_what_the_other_does_not_know(client: TestClient) -> None:
    from tests.builders import job

    named = tuple(d.model_copy(update={"serial": f"S-{d.id}"}) for d in lab().disks)
    found = Lab(client, lab(disks=named, jobs=(job("far", "replication", target_pool="second"),)))
    sheet = client.get(f"{found.base}/drills/one_disk/sheet").json()
    parts = {s["title"]: s for s in sheet["sections"]}
    assert "main is not well" in parts["Read aloud"]["intro"]
    assert "mains plug" in parts["Read aloud"]["facts"][0]["text"]
    so = parts["For the one who reads: what is so"]["facts"]
    assert so[0]["text"] == "pool main on box is degraded; dead: box 1 (bay 3.5-1, serial S-box1)"
    assert so[1]["how"][0].startswith("far: gives back the state of 2026-")
    assert parts["Afterwards"]["facts"][0]["text"] == "files: nothing has to be lost"
    burnt = client.get(f"{found.base}/drills/box_lost/sheet?seed=1").json()
    titles = [s["title"] for s in burnt["sections"]]
    assert titles[0] == "How it goes"
    assert problem(client.get(f"{found.base}/drills/flood/sheet"), 404)
