"""The answer to an edit is what changed: set into the state that was held, it is the whole state."""

import zlib
from typing import Any

import pytest

from tests.conftest import Lab

LARGEST_ZIPPED = 40_000  # for the demo lab; the whole state is more


def applied(before: Any, change: dict[str, Any]) -> Any:
    """What web/src/api/changes.ts does."""
    if change.get("fields") is not None:
        return {**before, **{k: applied(before[k], v) for k, v in change["fields"].items()}}
    if change.get("items") is not None:
        found = list(before)[: change["length"]]
        for place, item in sorted(change["items"].items(), key=lambda p: int(p[0])):
            found[int(place) : int(place) + 1] = [item]
        return found
    return change.get("value", before)


class Page:
    """A page that holds a state and makes edits on it."""

    def __init__(self, lab: Lab) -> None:
        self.lab = lab
        answer = lab.client.get(lab.base)
        self.state, self.tag = answer.json(), answer.headers["etag"]

    def send(self, method: str, path: str, body: Any = None) -> int:
        """An edit; gives the zipped size of its answer."""
        revision = self.state["meta"]["revision"]
        headers = {"If-Match": f'"r{revision}"', "Kavrel-Holds": self.tag}
        answer = self.lab.client.request(method, self.lab.base + path, json=body, headers=headers)
        assert answer.status_code in (200, 201), answer.text
        found = answer.json()
        assert "since" in found
        self.state, self.tag = applied(self.state, found["changes"]), answer.headers["etag"]
        assert self.state == self.lab.client.get(self.lab.base).json()
        return len(zlib.compress(answer.content))


def thing(page: Page, collection: str, **change: Any) -> dict[str, Any]:
    return {**page.state["plan"][collection][0], **change}


def test_edits_one_after_another_give_the_whole_state_and_are_small(demo_lab: Lab) -> None:
    page = Page(demo_lab)
    disk, data, job, box = (
        thing(page, "disks", label="renamed"),
        thing(page, "datasets", size_bytes=123_456_789_012),
        thing(page, "jobs", name="other"),
        thing(page, "hosts", network_mbit=100.0),
    )
    sizes = [
        page.send("PUT", f"/disks/{disk['id']}", disk),
        page.send("PUT", f"/datasets/{data['id']}", data),
        page.send("PUT", f"/jobs/{job['id']}", job),
        page.send("PUT", f"/hosts/{box['id']}", box),
        page.send("POST", "/sites", {"name": "cellar"}),
        page.send("PUT", "/pin", {"revision": 2}),
        page.send("POST", "/steps", {"direction": "undo"}),
        page.send("POST", "/steps", {"direction": "undo"}),
        page.send("PUT", "/pin", {"revision": None}),
    ]
    assert max(sizes) <= LARGEST_ZIPPED


def test_whoever_holds_what_is_no_longer_kept_gets_the_whole(demo_lab: Lab) -> None:
    page = Page(demo_lab)
    headers = {"If-Match": '"r1"', "Kavrel-Holds": '"r0-20200101"'}
    site = thing(page, "sites", name="elsewhere")
    answer = demo_lab.client.put(f"{demo_lab.base}/sites/{site['id']}", json=site, headers=headers)
    assert "plan" in answer.json()


@pytest.mark.parametrize("times", [2, 3])
def test_an_edit_sent_again_is_made_once(demo_lab: Lab, times: int) -> None:
    headers = {"If-Match": '"r1"', "Idempotency-Key": "the-same-edit"}
    answers = [
        demo_lab.client.post(f"{demo_lab.base}/sites", json={"name": "barn"}, headers=headers)
        for _ in range(times)
    ]
    assert {a.status_code for a in answers} == {201}
    names = [s["name"] for s in answers[-1].json()["plan"]["sites"]]
    assert names.count("barn") == 1
