"""Whatever is sent, the answer is no server error, and the plan is whole afterwards."""

from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from starlette.testclient import TestClient

from kavrel.core.consistency import problems
from kavrel.core.plan import COLLECTIONS, Plan
from tests.conftest import Lab

SCALARS = (
    st.none()
    | st.booleans()
    | st.integers(-(10**20), 10**20)
    | st.floats(allow_nan=False, allow_infinity=False)
    | st.text(max_size=30)
    | st.sampled_from(["d1", "ridge", "heron", "zfs", "2026-02-31", "3.5-1", "write", "23:59"])
)
VALUES = SCALARS | st.lists(SCALARS, max_size=3) | st.dictionaries(st.text(max_size=8), SCALARS)
SETTINGS = settings(
    max_examples=8,
    deadline=None,
    derandomize=True,
    suppress_health_check=[HealthCheck.function_scoped_fixture],
)


def whole(lab: Lab) -> None:
    """The plan as the server has it contradicts itself nowhere."""
    answer = lab.client.get(lab.base)
    assert answer.status_code == 200
    lab.state = answer.json()
    assert problems(Plan.model_validate(lab.state["plan"])) == []


@pytest.mark.parametrize("collection", sorted(COLLECTIONS))
@given(data=st.data())
@SETTINGS
def test_a_thing_with_some_fields_replaced_by_anything(
    demo_lab: Lab, collection: str, data: st.DataObject
) -> None:
    items = demo_lab.state["plan"][collection]
    item: dict[str, Any] = dict(data.draw(st.sampled_from(items)))
    for field in data.draw(st.sets(st.sampled_from(sorted(item)), max_size=3)):
        item[field] = data.draw(VALUES)
    key = item["id"] if isinstance(item["id"], str) and item["id"].isalnum() else items[0]["id"]
    answer = demo_lab.send("PUT", f"/{collection}/{key}", item)
    assert answer.status_code < 500, answer.text
    if answer.status_code >= 400:
        assert answer.json()["detail"]
    whole(demo_lab)


@pytest.mark.parametrize("collection", sorted(COLLECTIONS))
@given(
    which=st.integers(0, 999),
    field=st.none() | st.integers(0, 999),
    name=st.from_regex(r"[a-z]{3,12}", fullmatch=True),
    value=VALUES,
)
@SETTINGS
def test_anything_added(
    demo_lab: Lab, demo: Plan, collection: str, which: int, field: int | None, name: str, value: Any
) -> None:
    """Another of what is there, perhaps with a field replaced: many are added, the others refused."""
    things = demo.model_dump(mode="json")[collection]
    item = dict(things[which % len(things)])
    if collection != "assumptions":
        del item["id"]
    item |= {key: name for key in ("name", "label", "login", "serial") if key in item}
    if field is not None:
        item[sorted(item)[field % len(item)]] = value
    answer = demo_lab.send("POST", f"/{collection}", item)
    assert answer.status_code < 500, answer.text
    added[collection] = added.get(collection, 0) + (answer.status_code == 201)
    if answer.status_code != 201:
        assert answer.json()["detail"]
    whole(demo_lab)


added: dict[str, int] = {}


@pytest.mark.xdist_group("added")
def test_some_of_them_were_added(demo_lab: Lab, demo: Plan) -> None:
    test_anything_added(demo_lab, demo, "sites")
    test_anything_added(demo_lab, demo, "datasets")
    assert added["sites"] > 0
    assert added["datasets"] > 0


@given(text=st.text(max_size=50))
@SETTINGS
def test_any_size(client: TestClient, text: str) -> None:
    answer = client.get("/api/capacity", params={"text": text})
    assert answer.status_code in (200, 422)


@given(
    day=st.dates().map(str) | st.text(max_size=12),
    job=st.sampled_from(["to-mill", "shelf", "ridge-snaps", "x"]),
)
@SETTINGS
def test_any_day(demo_lab: Lab, day: str, job: str) -> None:
    for path, query in (("/points", {"job": job, "on": day}), ("/week", {"day": day})):
        answer = demo_lab.client.get(demo_lab.base + path, params=query)
        assert answer.status_code in (200, 404, 422), answer.text


@given(content=st.binary(max_size=300) | st.text(max_size=300).map(str.encode))
@SETTINGS
def test_any_file_as_a_plan(client: TestClient, content: bytes) -> None:
    answer = client.post(
        "/api/plans/import", content=content, headers={"content-type": "application/json"}
    )
    assert answer.status_code in (422, 413)


@pytest.mark.parametrize(
    "method", ["GET", "POST", "PUT", "PATCH", "DELETE", "OPTIONS", "HEAD", "TRACE"]
)
def test_every_method_on_every_route_is_answered(demo_lab: Lab, method: str) -> None:
    paths = ["", "/disks", "/disks/d1", "/pin", "/steps", "/paper/plan.json", "/paper/nothing"]
    for path in paths:
        answer = demo_lab.client.request(
            method, demo_lab.base + path, headers={"if-match": '"r999"'}
        )
        assert answer.status_code < 500, (method, path, answer.text)
        assert method != "TRACE" or answer.status_code == 405
    whole_again = demo_lab.client.get("/api/plans").json()["plans"]
    assert isinstance(whole_again, list)
