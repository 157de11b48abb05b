"""The Shares sheet over HTTP: reach, what-if, differences of revisions, protocols, cards, readers."""

import io
import zipfile
from typing import Any

import pytest

from tests.api.test_api import problem
from tests.conftest import Lab


def test_reach_by_subject_and_by_dataset(demo_lab: Lab) -> None:
    client, base = demo_lab.client, demo_lab.base
    mine = client.get(f"{base}/reach", params={"subject": "courier"}).json()["reach"]
    assert {(r["protocol"], r["thing_name"]) for r in mine} >= {("rsync", "mill"), ("s3", "vault")}
    data = client.get(f"{base}/reach", params={"dataset": "scans"}).json()["reach"]
    assert {r["name"] for r in data} == {"ines", "rui", "tomas", "192.168.20.0/24", "gallery"}


def test_what_if_changes_nothing_and_says_who_gains(demo_lab: Lab) -> None:
    what = {
        "collection": "grants",
        "item": {"share": "papers", "account": "player", "group": None, "right": "read"},
    }
    answer = demo_lab.client.post(f"{demo_lab.base}/access-if", json=what)
    (change,) = answer.json()["changes"]
    assert (change["name"], change["before"], change["after"]) == ("player", "none", "read")
    assert demo_lab.client.get(demo_lab.base).json()["meta"]["revision"] == 1
    gone = {"collection": "grants", "remove": demo_lab.state["plan"]["grants"][0]["id"]}
    lost = demo_lab.client.post(f"{demo_lab.base}/access-if", json=gone).json()["changes"]
    assert {c["name"] for c in lost} == {"ines", "rui"}
    assert not any(c["gains"] for c in lost)


@pytest.mark.parametrize(
    "what",
    [
        {"collection": "nothing", "remove": "x"},
        {"collection": "grants"},
        {"collection": "grants", "item": {"share": "papers"}},
        {"collection": "grants", "item": {"share": "nowhere", "account": "ines", "right": "read"}},
    ],
)
def test_a_what_if_that_cannot_be_is_refused(demo_lab: Lab, what: dict[str, object]) -> None:
    problem(demo_lab.client.post(f"{demo_lab.base}/access-if", json=what), 422)


def test_two_revisions_differ_by_people_who_gain_or_lose(demo_lab: Lab) -> None:
    share = {**demo_lab.item("shares", "cinema"), "guest": "none"}
    assert demo_lab.send("PUT", "/shares/cinema", share).status_code == 200
    found = demo_lab.client.get(f"{demo_lab.base}/access-changes", params={"before": 1}).json()
    assert {c["name"] for c in found["changes"]} >= {"steward", "tenor", "courier"}
    assert all(c["thing_name"] == "cinema" and not c["gains"] for c in found["changes"])
    problem(demo_lab.client.get(f"{demo_lab.base}/access-changes", params={"before": 99}), 404)


def test_twelve_disks_are_made_in_one_change_and_undone_in_one(demo_lab: Lab) -> None:
    luns = {"count": 12, "size_bytes": 64 * 10**9, "prefix": "desk", "dataset": "blocks"}
    state = demo_lab.send("POST", "/luns", luns).json()
    made = [e for e in state["plan"]["exports"] if e["name"].startswith("desk-")]
    assert len(made) == 12
    assert sum(e["size_bytes"] for e in made) == 768 * 10**9
    assert len({tuple(e["clients"]) for e in made}) == 12
    assert state["meta"]["revision"] == 2
    problem(demo_lab.send("POST", "/luns", luns), 422)  # the names are taken
    problem(demo_lab.send("POST", "/luns", {**luns, "count": 0}), 422)
    problem(demo_lab.send("POST", "/luns", {**luns, "prefix": "a b"}), 422)
    demo_lab.send("POST", "/steps", {"direction": "undo"})
    assert len(demo_lab.state["plan"]["exports"]) == 6


def test_protocols_are_chosen_by_need(demo_lab: Lab) -> None:
    query: dict[str, Any] = {"needs": "disk", "system": ["windows"], "many_writers": False}
    found = demo_lab.client.get("/api/protocols", params=query).json()["choices"]
    assert found[0]["protocol"] == "iscsi"
    assert found[0]["fits"]
    problem(demo_lab.client.get("/api/protocols", params={"needs": "luck"}), 422)


def test_cards_and_the_bundle(demo_lab: Lab) -> None:
    client, base = demo_lab.client, demo_lab.base
    mine = client.get(f"{base}/cards", params={"who": "ines"}).json()["cards"]
    assert {c["who"] for c in mine} == {"ines"}
    packed = client.get(f"{base}/paper/bundle.zip", params={"host": "heron"})
    assert packed.headers["content-type"].startswith("application/zip")
    names = zipfile.ZipFile(io.BytesIO(packed.content)).namelist()
    assert {"README.txt", "setup.sh", "smb.conf", "exports", "nftables.conf", "SHA256SUMS"} <= set(
        names
    )


def test_a_file_is_read_back_over_http(demo_lab: Lab) -> None:
    client, base = demo_lab.client, demo_lab.base
    text = client.get(f"{base}/paper/smb.conf", params={"host": "heron"}).content
    report = client.post(f"{base}/read/smb.conf", params={"host": "heron"}, content=text).json()
    assert report["differences"] == []
    for kind, host, content, status in (
        ("smb.conf", "nobody", b"x", 404),
        ("magic", "heron", b"x", 422),
        ("smb.conf", "heron", b"a\0b", 422),
    ):
        answer = client.post(f"{base}/read/{kind}", params={"host": host}, content=content)
        problem(answer, status)


def test_a_caution_carries_its_one_click_change(demo_lab: Lab) -> None:
    cautions = demo_lab.state["evaluation"]["cautions"]
    (nfs,) = [c for c in cautions if c["rule"] == "nfs_root"]
    (change,) = nfs["fix"]["puts"]
    sent = demo_lab.send("PUT", f"/{change['collection']}/{change['id']}", change["item"])
    assert sent.status_code == 200
    assert not [c for c in sent.json()["evaluation"]["cautions"] if c["rule"] == "nfs_root"]
