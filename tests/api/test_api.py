"""The API: clear problems, nothing lost, nobody else let in."""

import json
from collections.abc import Iterator
from typing import Any, cast

import pytest
from fastapi import FastAPI
from starlette.testclient import TestClient

from kavrel.core.plan import COLLECTIONS
from kavrel.formats.papers import PAPERS
from tests.conftest import Lab

JSON = {"content-type": "application/json"}


def problem(answer: Any, status: int) -> dict[str, Any]:
    assert answer.status_code == status, answer.text
    assert answer.headers["content-type"] == "application/problem+json"
    found: dict[str, Any] = answer.json()
    assert {"type", "title", "status", "detail", "errors"} <= set(found)
    assert found["status"] == status
    return found


def test_start_an_empty_plan_and_build_up_to_a_proof(client: TestClient) -> None:
    answer = client.post("/api/plans", json={"name": "mine", "currency": "CHF", "zone": "UTC"})
    assert answer.status_code == 201
    lab = Lab.__new__(Lab)
    lab.client, lab.state = client, answer.json()
    lab.base = f"/api/plans/{lab.state['meta']['id']}"
    steps: list[tuple[str, dict[str, Any]]] = [
        ("sites", {"name": "home"}),
        ("hosts", {"name": "box", "site": "site-1", "bays_35": 4}),
        *(
            (
                "disks",
                {
                    "label": f"D{n}",
                    "capacity_bytes": 4_000_787_030_016,
                    "host": "host-1",
                    "bay": f"3.5-{n}",
                },
            )
            for n in (1, 2, 3)
        ),
        (
            "pools",
            {
                "name": "tank",
                "host": "host-1",
                "family": "raidz1",
                "filesystem": "zfs",
                "groups": [["disk-1", "disk-2", "disk-3"]],
            },
        ),
        ("datasets", {"name": "photos", "pool": "pool-1", "size_bytes": 10**12}),
        ("shares", {"name": "photos", "dataset": "data-1"}),
        ("accounts", {"login": "ana", "full_name": "Ana"}),
        ("grants", {"share": "share-1", "account": "account-1", "right": "write"}),
        (
            "jobs",
            {
                "name": "snaps",
                "kind": "snapshot",
                "datasets": ["data-1"],
                "schedule": {"kind": "daily"},
                "retention": {"daily": 40},
            },
        ),
    ]
    for collection, item in steps:
        assert lab.send("POST", f"/{collection}", item).status_code == 201, (collection, item)
    evaluation = lab.state["evaluation"]
    assert evaluation["strip"]["usable_bytes"] > 7.8e12
    fates = {c["hazard"]: c["fate"] for c in evaluation["proof"]}
    assert (fates["one_disk"], fates["deleted"], fates["fire"]) == ("runs_on", "restored", "lost")
    assert lab.state["meta"]["revision"] == len(steps) + 1


def test_every_collection_can_be_changed_and_undone(demo_lab: Lab) -> None:
    start = demo_lab.state["plan"]
    for collection in COLLECTIONS:
        item = start[collection][0]
        assert demo_lab.send("PUT", f"/{collection}/{item['id']}", item).status_code == 200
    assert demo_lab.state["meta"]["revision"] == 1  # nothing was really changed
    disk = {**demo_lab.item("disks", "d1"), "label": "renamed"}
    demo_lab.send("PUT", "/disks/d1", disk)
    assert demo_lab.item("disks", "d1")["label"] == "renamed"
    demo_lab.send("POST", "/steps", {"direction": "undo"})
    assert demo_lab.state["plan"] == start
    demo_lab.send("POST", "/steps", {"direction": "redo"})
    assert demo_lab.item("disks", "d1")["label"] == "renamed"


def test_a_pool_said_to_stand_by_hand_says_which_copies_are_still_to_be_made(demo_lab: Lab) -> None:
    """Its jobs counted as made, and a proof of today promised what nobody has ever copied."""
    job = next(j for j in demo_lab.state["plan"]["jobs"] if j["name"] == "ridge to the mill")
    ridge = demo_lab.item("pools", job["target_pool"])
    demo_lab.send("PUT", f"/pools/{ridge['id']}", {**ridge, "standing": False})
    assert demo_lab.item("jobs", job["id"])["first_copy"] == "done"
    for entry in [e for e in demo_lab.state["plan"]["log"] if e["about"] == job["id"]]:
        demo_lab.send("DELETE", f"/log/{entry['id']}")
    assert demo_lab.send("PUT", f"/pools/{ridge['id']}", ridge).status_code == 200
    said = demo_lab.state["meta"]["summary"]
    assert "; still to be made: the first copies of " in said
    assert "ridge to the mill" in said
    assert demo_lab.item("jobs", job["id"])["first_copy"] == "over_link"
    demo_lab.send("POST", "/steps", {"direction": "undo"})
    assert demo_lab.item("jobs", job["id"])["first_copy"] == "done"


@pytest.mark.parametrize(
    ("field", "value", "says"),
    [
        ("capacity_bytes", 0, "greater than"),
        ("capacity_bytes", -4, "greater than"),
        ("capacity_bytes", 10**40, "less than"),
        ("capacity_bytes", "4 TB", "valid integer"),
        ("capacity_bytes", False, "valid integer"),
        ("mb_per_s", "quick", "valid number"),
        ("label", "  ", "blank"),
        ("label", "two\nlines", "line breaks"),
        ("label", None, "valid string"),
        ("bay", "3.5-1", "already holds D1"),
        ("serial", "LR-4137", "already that of d1"),
        ("host", "nobody", "no nobody"),
        ("kind", "tape", "hdd"),
        ("surprise", 1, "no such field"),
    ],
)
def test_bad_input_is_told_at_its_field(demo_lab: Lab, field: str, value: Any, says: str) -> None:
    item = {**demo_lab.item("disks", "d2"), field: value}
    found = problem(demo_lab.send("PUT", "/disks/d2", item), 422)
    assert any(e["field"] == field and says in e["message"] for e in found["errors"]), found
    assert demo_lab.client.get(demo_lab.base).json()["meta"]["revision"] == 1


@pytest.mark.parametrize(
    "body",
    [
        b'{"mb_per_s": NaN}',
        b'{"mb_per_s": 1e400}',
        b'{"label": "\\ud800"}',
        b'{"label": "\\u0000"}',
        b"{",
        b"[]",
        b"null",
        b"\xff",
        b'{"schedule": ' + b"[" * 5000,
    ],
)
def test_malformed_bodies_are_four_hundreds_never_five(demo_lab: Lab, body: bytes) -> None:
    for path in ("/disks", "/jobs", "/log", "/assumptions"):
        answer = demo_lab.client.post(
            demo_lab.base + path, content=body, headers={**JSON, "if-match": '"r1"'}
        )
        assert 400 <= answer.status_code < 500, (path, answer.text)


def test_nested_fields_are_named_by_their_path(demo_lab: Lab) -> None:
    item = demo_lab.item("jobs", "images")
    item["schedule"] = {**item["schedule"], "weekdays": []}
    found = problem(demo_lab.send("PUT", "/jobs/images", item), 422)
    assert found["errors"][0]["field"] == "schedule.weekdays"
    item["schedule"]["at"] = "25:00"
    found = problem(demo_lab.send("PUT", "/jobs/images", item), 422)
    assert found["errors"][0]["field"] == "schedule.at"


def test_two_tabs(demo_lab: Lab) -> None:
    mine = {**demo_lab.item("disks", "d1"), "label": "mine"}
    theirs = {**mine, "label": "theirs"}
    other = {**demo_lab.item("disks", "d2"), "label": "elsewhere"}
    assert demo_lab.send("PUT", "/disks/d1", mine, 1).status_code == 200
    found = problem(demo_lab.send("PUT", "/disks/d1", theirs, 1), 412)
    assert found["head"] == 2
    assert "Nothing was overwritten" in found["detail"]
    # Another thing is no conflict, and naming the newest revision settles it.
    assert demo_lab.send("PUT", "/disks/d2", other, 1).status_code == 200
    assert demo_lab.send("PUT", "/disks/d1", theirs, 3).status_code == 200


def test_a_change_must_say_what_it_has_seen(demo_lab: Lab) -> None:
    answer = demo_lab.client.delete(f"{demo_lab.base}/grants/grant-1")
    problem(answer, 428)
    for tag in ("*", '"r"', "r1", '"r٣"', '"r99999"'):
        bad = demo_lab.client.delete(
            f"{demo_lab.base}/grants/grant-1", headers={b"if-match": tag.encode()}
        )
        assert bad.status_code in (404, 412), tag


def test_answers_carry_their_revision_as_entity_tag(demo_lab: Lab) -> None:
    assert demo_lab.client.get(demo_lab.base).headers["etag"] == '"r1-20261124"'


def test_what_is_still_used_stays(demo_lab: Lab) -> None:
    found = problem(demo_lab.send("DELETE", "/disks/d1"), 409)
    assert "pool ridge" in found["detail"]
    assert demo_lab.send("DELETE", "/disks/d11").status_code == 200


def test_nothing_there_is_said(demo_lab: Lab, client: TestClient) -> None:
    problem(client.get("/api/plans/nope"), 404)
    problem(client.get("/api/nope"), 404)
    # To be told so, nobody waits for the whole document to be made.
    assert cast(FastAPI, client.app).openapi_schema is None
    problem(demo_lab.send("PUT", "/disks/x9", {**demo_lab.item("disks", "d1"), "id": "x9"}), 404)
    problem(demo_lab.send("DELETE", "/disks/x9"), 404)
    problem(demo_lab.send("POST", "/steps", {"direction": "redo"}), 409)
    problem(demo_lab.send("POST", "/restore", {"revision": 77}), 404)
    problem(client.get(f"{demo_lab.base}/points", params={"job": "x", "on": "2026-01-01"}), 404)


def test_pin_gives_the_figures_to_compare_with(demo_lab: Lab) -> None:
    demo_lab.client.put(f"{demo_lab.base}/pin", json={"revision": 1})
    before = demo_lab.state["evaluation"]["strip"]
    demo_lab.send("PUT", "/disks/d1", {**demo_lab.item("disks", "d1"), "price_minor": 0})
    assert demo_lab.state["pinned"]["cost_minor"] == before["cost_minor"]
    assert demo_lab.state["evaluation"]["strip"]["cost_minor"] == before["cost_minor"] - 17_900
    found = demo_lab.client.get(
        f"{demo_lab.base}/comparison", params={"before": 1, "after": 2}
    ).json()
    assert [(c["id"], c["what"]) for c in found["changes"]] == [("d1", "changed")]
    assert found["after"]["cost_minor"] == found["before"]["cost_minor"] - 17_900


def test_a_variant_is_changed_freely_beside_the_first(demo_lab: Lab) -> None:
    answer = demo_lab.client.post(f"{demo_lab.base}/variants", json={"variant": "what if"})
    other = answer.json()
    assert other["plan"]["variant"] == "what if"
    assert other["meta"]["id"] != demo_lab.state["meta"]["id"]
    assert len(demo_lab.client.get("/api/plans").json()["plans"]) == 2


def test_an_assumption_is_set_and_taken_back(demo_lab: Lab) -> None:
    def shown() -> dict[str, Any]:
        listed = demo_lab.state["evaluation"]["assumptions"]
        return dict(next(a for a in listed if a["id"] == "travel_hours"))

    value = {"id": "travel_hours", "value": 9, "note": ""}
    demo_lab.send("PUT", "/assumptions/travel_hours", value)
    assert (shown()["value"], shown()["own"]) == (9, True)
    demo_lab.send("DELETE", "/assumptions/travel_hours")
    assert (shown()["value"], shown()["own"]) == (3, False)
    bad = problem(demo_lab.send("PUT", "/assumptions/travel_hours", {**value, "value": -1}), 422)
    assert bad["errors"][0]["field"] == "value"


@pytest.mark.parametrize(
    ("name", "kind"),
    [
        ("plan.json", "application/json"),
        ("runbook.md", "text/markdown"),
        ("smb.conf", "text/plain"),
        ("disks.csv", "text/csv"),
        ("week.ics", "text/calendar"),
        ("run-sheet.md", "text/markdown"),
        ("schema.json", "application/schema+json"),
    ],
)
def test_papers(demo_lab: Lab, name: str, kind: str) -> None:
    answer = demo_lab.client.get(f"{demo_lab.base}/paper/{name}")
    assert answer.status_code == 200
    assert answer.headers["content-type"].startswith(kind)
    assert f'filename="{name}"' in answer.headers["content-disposition"]
    assert len(answer.content) > 300


def test_each_paper_is_of_a_kind_that_the_document_names(demo_lab: Lab) -> None:
    paths = demo_lab.client.get("/openapi.json").json()["paths"]
    answers = paths["/api/plans/{plan_id}/paper/{name}"]["get"]["responses"]
    assert set(answers["200"]["content"]) == {p.media for p in PAPERS.values()}


def test_papers_are_listed_with_the_hosts_that_get_one(demo_lab: Lab) -> None:
    listed = demo_lab.client.get(f"{demo_lab.base}/paper").json()["papers"]
    hosts = {p["name"]: p["hosts"] for p in listed}
    assert hosts["smb.conf"] == ["heron", "dipper"]
    assert hosts["runbook.md"] is None
    for name, query in (("nothing.txt", {}), ("smb.conf", {"host": "wren"})):
        answer = demo_lab.client.get(f"{demo_lab.base}/paper/{name}", params=query)
        problem(answer, 404)


def test_export_and_import_give_the_same_plan(demo_lab: Lab) -> None:
    exported = demo_lab.client.get(f"{demo_lab.base}/paper/plan.json").content
    again = demo_lab.client.post("/api/plans/import", content=exported, headers=JSON)
    assert again.json()["plan"] == demo_lab.state["plan"]
    for broken in (exported[:1000], b"x", json.dumps({"format": "kavrel-plan", "version": 9})):
        problem(demo_lab.client.post("/api/plans/import", content=broken, headers=JSON), 422)
    big = b" " * (9 * 2**20)
    problem(demo_lab.client.post("/api/plans/import", content=big, headers=JSON), 413)


def test_a_body_without_a_length_is_counted_as_it_comes(demo_lab: Lab) -> None:
    exported = demo_lab.client.get(f"{demo_lab.base}/paper/plan.json").content
    client = demo_lab.client

    def pieces(size: int) -> Iterator[bytes]:
        for at in range(0, size, 2**16):
            yield exported[at : at + 2**16].ljust(2**16)

    read = client.post("/api/plans/import", content=pieces(len(exported)), headers=JSON)
    assert read.json()["plan"] == demo_lab.state["plan"]
    told = problem(client.post("/api/plans/import", content=pieces(2**26), headers=JSON), 413)
    assert told["detail"] == "at most 8 MiB are read"


def test_sheets_ask_for_layouts_points_weeks_and_sizes(demo_lab: Lab) -> None:
    client, base = demo_lab.client, demo_lab.base
    rows = client.get(
        f"{base}/layouts", params={"disk": ["d1", "d2", "d3", "d4"], "filesystem": "zfs"}
    ).json()["layouts"]
    assert {"raidz1", "raidz2", "striped_mirror"} <= {r["family"] for r in rows}
    problem(client.get(f"{base}/layouts", params={"disk": ["d1", "d1"]}), 422)
    points = client.get(f"{base}/points", params={"job": "to-mill", "on": "2026-11-24"}).json()
    assert len(points["points"]) == 28
    week = client.get(f"{base}/week", params={"day": "2026-03-29"}).json()
    assert week["monday"] == "2026-03-23"
    problem(client.get(f"{base}/week", params={"day": "0001-01-01"}), 422)
    problem(client.get(f"{base}/week", params={"day": "2026-02-30"}), 422)
    size = client.get("/api/capacity", params={"text": "12TB"}).json()
    assert size["capacity_bytes"] == 12_000_138_625_024
    found = problem(client.get("/api/capacity", params={"text": "12,5TB"}), 422)
    assert "decimal point" in found["errors"][0]["message"]


@pytest.mark.parametrize(
    "headers",
    [
        {"host": "evil.example"},
        {"host": "127.0.0.1.evil.example:8321"},
        {"host": ""},
        {"origin": "https://evil.example"},
        {"origin": "http://127.0.0.1:9999"},
        {"origin": "null"},
        {"sec-fetch-site": "cross-site", "sec-fetch-mode": "no-cors"},
    ],
)
def test_strangers_are_refused(demo_lab: Lab, headers: dict[str, str]) -> None:
    problem(demo_lab.client.get(demo_lab.base, headers=headers), 403)
    answer = demo_lab.client.post("/api/plans", json={"name": "x"}, headers=headers)
    problem(answer, 403)


@pytest.mark.parametrize("host", ["127.0.0.1:8321", "localhost", "localhost:8321", "[::1]:8321"])
def test_the_own_page_is_welcome(client: TestClient, host: str) -> None:
    headers = {"host": host, "origin": f"http://{host}", "sec-fetch-site": "same-origin"}
    assert client.get("/api/plans", headers=headers).status_code == 200


def test_pages_may_not_be_framed_or_load_from_elsewhere(client: TestClient) -> None:
    policy = client.get("/api/plans").headers["content-security-policy"]
    assert "frame-ancestors 'none'" in policy
    assert "default-src 'self'" in policy
    assert "base-uri 'none'" in policy
    assert "object-src 'none'" in policy


@pytest.mark.parametrize("path", ["/../pyproject.toml", "/..%2f..%2fpyproject.toml", "/%2e%2e/x"])
def test_no_file_outside_the_front_end_is_served(client: TestClient, path: str) -> None:
    answer = client.get(path)
    assert b"[project]" not in answer.content
