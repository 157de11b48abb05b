"""Questions over HTTP: asked once, followed, stopped, and refused in the trade's words."""

import json
import threading
from collections.abc import Iterator
from typing import Any

import pytest

from kavrel.api import running as jobs_module
from kavrel.core.progress import Stopped
from kavrel.core.questions import Answer, Question, ShuffleQuestion, answer
from tests.conftest import Lab


def ask(lab: Lab, **question: Any) -> dict[str, Any]:
    found = lab.client.post(f"{lab.base}/questions", json=question)
    assert found.status_code == 202, found.text
    return dict(found.json())


def events(lab: Lab, job: str) -> Iterator[tuple[str, dict[str, Any]]]:
    """Server-sent events of a question, to its end."""
    name = ""
    with lab.client.stream("GET", f"/api/questions/{job}/events") as stream:
        assert stream.headers["content-type"].startswith("text/event-stream")
        for line in stream.iter_lines():
            if line.startswith("event: "):
                name = line[7:]
            elif line.startswith("data: "):
                yield name, json.loads(line[6:])


def ended(lab: Lab, **question: Any) -> dict[str, Any]:
    job = ask(lab, **question)["id"]
    *_, (name, last) = events(lab, job)
    assert name == "end"
    found = lab.client.get(f"/api/questions/{job}").json()
    assert found["state"] == last["state"]
    return dict(found)


@pytest.mark.parametrize(
    "question",
    [
        {"kind": "finder", "disks": ["d10", "d11", "d12"]},
        {"kind": "basket", "disks": [], "wish": {"survive": 1, "usable_bytes": 10**13}},
        {"kind": "odds", "pools": ["ridge"], "years": 3, "lifetimes": 1000},
        {"kind": "growth", "pool": "burrow", "years": 2},
        {"kind": "shuffle"},
    ],
    ids=lambda q: q["kind"],
)
def test_every_kind_of_question_is_answered_as_the_core_answers_it(
    demo_lab: Lab, question: dict[str, Any]
) -> None:
    found = ended(demo_lab, **question)
    assert found["state"] == "done"
    assert found["answer"]["kind"] == question["kind"]
    assert found["share"] == 1.0


def test_the_same_question_about_the_same_revision_is_asked_once(demo_lab: Lab) -> None:
    first = ended(demo_lab, kind="shuffle")
    again = ask(demo_lab, kind="shuffle")
    assert again["id"] == first["id"]
    assert again["answer"] == first["answer"]
    demo_lab.send("PUT", "/disks/d1", {**demo_lab.item("disks", "d1"), "label": "renamed"})
    assert ask(demo_lab, kind="shuffle")["id"] != first["id"]


@pytest.mark.parametrize(
    ("question", "says"),
    [
        ({"kind": "finder", "disks": ["nobody"]}, "name each disk of the plan once"),
        ({"kind": "finder", "disks": ["d1", "d1"]}, "name each disk of the plan once"),
        ({"kind": "growth", "pool": "nowhere"}, "there is no pool nowhere"),
        ({"kind": "odds", "pools": ["nowhere"]}, "there is no pool nowhere"),
    ],
)
def test_what_is_not_there_is_said(demo_lab: Lab, question: dict[str, Any], says: str) -> None:
    found = ended(demo_lab, **question)
    assert found["state"] == "failed"
    assert found["why"] == says
    assert found["answer"] is None


@pytest.mark.parametrize(
    ("question", "field"),
    [
        ({"kind": "tarot"}, ""),
        ({"kind": "finder", "disks": []}, "disks"),
        ({"kind": "finder", "disks": ["d1"], "wish": {"survive": -1}}, "wish.survive"),
        ({"kind": "finder", "disks": ["d1"], "wish": {"survive": True}}, "wish.survive"),
        ({"kind": "odds", "lifetimes": 10**9}, "lifetimes"),
        ({"kind": "odds", "years": 1.5}, "years"),
        ({"kind": "growth", "pool": "../x"}, "pool"),
        ({"kind": "shuffle", "more": 1}, "more"),
    ],
)
def test_a_malformed_question_is_refused_at_its_field(
    demo_lab: Lab, question: dict[str, Any], field: str
) -> None:
    found = demo_lab.client.post(f"{demo_lab.base}/questions", json=question)
    assert found.status_code == 422
    assert any(e["field"].endswith(field) for e in found.json()["errors"]), found.text


def test_a_question_is_stopped_and_can_be_asked_again(
    demo_lab: Lab, monkeypatch: pytest.MonkeyPatch
) -> None:
    begun, go = threading.Event(), threading.Event()

    def slow(plan: Any, evaluation: Any, question: Question, tell: Any) -> Answer:
        begun.set()
        assert go.wait(30)
        if not tell(0.5, "half way"):
            raise Stopped
        return answer(plan, evaluation, question)

    monkeypatch.setattr(jobs_module, "answer", slow)
    job = ask(demo_lab, kind="shuffle")
    assert begun.wait(30)
    assert demo_lab.client.delete(f"/api/questions/{job['id']}").status_code == 200
    go.set()
    *_, (_, last) = events(demo_lab, job["id"])
    assert last["state"] == "stopped"
    again = ended(demo_lab, kind="shuffle")
    assert again["id"] != job["id"]
    assert again["state"] == "done"


def test_progress_is_told_on_the_way(demo_lab: Lab, monkeypatch: pytest.MonkeyPatch) -> None:
    seen = threading.Event()

    def stepwise(plan: Any, evaluation: Any, question: Question, tell: Any) -> Answer:
        tell(0.25, "a quarter")
        assert seen.wait(30)
        return answer(plan, evaluation, question)

    monkeypatch.setattr(jobs_module, "answer", stepwise)
    job = ask(demo_lab, kind="shuffle")
    shares = []
    for name, data in events(demo_lab, job["id"]):
        shares.append((name, data["share"], data["word"]))
        if data["share"] == 0.25:
            seen.set()
    assert ("progress", 0.25, "a quarter") in shares
    assert shares[-1][0] == "end"


def test_a_forgotten_question_and_an_unknown_plan_are_four_hundred_and_four(demo_lab: Lab) -> None:
    assert demo_lab.client.get("/api/questions/none").status_code == 404
    assert demo_lab.client.get("/api/questions/none/events").status_code == 404
    unknown = demo_lab.client.post("/api/plans/none/questions", json={"kind": "shuffle"})
    assert unknown.status_code == 404


def test_an_error_of_our_own_ends_the_question_and_says_so(
    demo_lab: Lab, monkeypatch: pytest.MonkeyPatch
) -> None:
    def broken(*args: Any) -> Answer:
        raise RuntimeError("broken")

    monkeypatch.setattr(jobs_module, "answer", broken)
    found = ended(demo_lab, kind="shuffle")
    assert found["state"] == "failed"
    assert "the plan is unharmed" in found["why"]
    assert ShuffleQuestion(kind="shuffle").kind == "shuffle"
