"""An accepted edit never breaks a plan: it is reckoned before it is kept, and undo always works."""

from typing import Any

import pytest
from starlette.testclient import TestClient

from kavrel.api import service as service_module
from kavrel.core.evaluate import evaluate
from tests.api.test_api import problem
from tests.conftest import Lab


def at(lab: Lab) -> dict[str, str]:
    revision = lab.client.get(lab.base).json()["meta"]["revision"]
    return {"If-Match": f'"r{revision}"'}


@pytest.fixture
def breaks(monkeypatch: pytest.MonkeyPatch) -> Any:
    """Evaluation that cannot cope with a site called `nowhere`."""
    real = evaluate

    def stand_in(plan: Any, today: Any) -> Any:
        if any(s.name == "nowhere" for s in plan.sites):
            raise ZeroDivisionError("as if")
        return real(plan, today)

    def switch(on: bool) -> None:
        monkeypatch.setattr(service_module, "evaluate", stand_in if on else real)

    switch(True)
    return switch


def test_what_cannot_be_reckoned_is_refused_and_nothing_is_changed(
    demo_lab: Lab, breaks: Any
) -> None:
    before = demo_lab.client.get(demo_lab.base).json()
    said = problem(
        demo_lab.client.post(
            f"{demo_lab.base}/sites", json={"name": "nowhere"}, headers=at(demo_lab)
        ),
        422,
    )
    assert said["title"] == "cannot be reckoned"
    assert "It was not made" in said["detail"]
    assert demo_lab.client.get(demo_lab.base).json()["meta"] == before["meta"]


def test_a_stored_plan_that_cannot_be_reckoned_says_the_way_out_and_can_be_undone(
    demo_lab: Lab, breaks: Any
) -> None:
    breaks(False)
    made = demo_lab.client.post(
        f"{demo_lab.base}/sites", json={"name": "nowhere"}, headers=at(demo_lab)
    )
    assert made.status_code == 201
    breaks(True)
    demo_lab.client.app.state.service._evaluated.clear()  # type: ignore[attr-defined]
    demo_lab.client.app.state.service._ahead = None  # type: ignore[attr-defined]
    said = problem(demo_lab.client.get(demo_lab.base), 422)
    assert "Undo the last change" in said["detail"]
    revision = made.json()["meta"]["revision"]
    back = demo_lab.client.post(
        f"{demo_lab.base}/steps",
        json={"direction": "undo"},
        headers={"If-Match": f'"r{revision}"'},
    )
    assert back.status_code == 200
    assert all(s["name"] != "nowhere" for s in back.json()["plan"]["sites"])


@pytest.mark.parametrize("number", [10**20, -1])
def test_a_revision_that_no_database_keeps_is_none(demo_lab: Lab, number: int) -> None:
    client, base = demo_lab.client, demo_lab.base
    problem(client.put(f"{base}/pin", json={"revision": number}), 422)
    problem(client.post(f"{base}/restore", json={"revision": number}, headers=at(demo_lab)), 422)
    problem(client.get(f"{base}/comparison", params={"before": 1, "after": number}), 422)


@pytest.mark.parametrize("day", ["9999-12-31", "0001-01-01"])
def test_a_date_beyond_any_calendar_is_told_at_its_field(demo_lab: Lab, day: str) -> None:
    entry = {"on": day, "kind": "scrub", "about_kind": "pool", "about": "ridge"}
    said = problem(
        demo_lab.client.post(f"{demo_lab.base}/log", json=entry, headers=at(demo_lab)), 422
    )
    assert said["errors"] == [{"field": "on", "message": "a date from 1970 to 2199"}]


def test_an_edit_is_evaluated_once(
    demo_lab: Lab, client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    headers, counted, real = at(demo_lab), [], evaluate

    def stand_in(plan: Any, today: Any) -> Any:
        counted.append(plan)
        return real(plan, today)

    monkeypatch.setattr(service_module, "evaluate", stand_in)
    answer = client.post(f"{demo_lab.base}/sites", json={"name": "shed"}, headers=headers)
    assert answer.status_code == 201
    assert len(counted) == 1


@pytest.mark.parametrize("field", ["start", "until"])
def test_a_schedule_at_the_end_of_all_calendars_is_refused_and_no_crash(
    demo_lab: Lab, field: str
) -> None:
    job = next(j for j in demo_lab.state["plan"]["jobs"] if j["id"] == "to-mill")
    job["schedule"][field] = "9999-12-31"
    said = problem(
        demo_lab.client.put(f"{demo_lab.base}/jobs/to-mill", json=job, headers=at(demo_lab)), 422
    )
    assert said["errors"][0]["field"] == f"schedule.{field}"
