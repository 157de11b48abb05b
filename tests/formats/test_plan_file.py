import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.evaluate import evaluate
from kavrel.core.plan import Plan
from kavrel.formats.plan_file import PlanFileError, dump, load, schema
from tests.builders import TODAY, lab

LINES = st.text(
    st.characters(blacklist_categories=("Cs", "Cc"), blacklist_characters="\u2028\u2029"),
    min_size=1,
    max_size=60,
)


def document(**changes: Any) -> dict[str, Any]:
    found: dict[str, Any] = json.loads(dump(lab()))
    found.update(changes)
    return found


def with_plan(**changes: Any) -> bytes:
    found = document()
    found["plan"].update(changes)
    return json.dumps(found).encode()


def test_round_trip_is_exact(demo: Plan) -> None:
    text = dump(demo)
    again = load(text.encode())
    assert again == demo
    assert dump(again) == text


@given(LINES)
@settings(max_examples=60, deadline=None)
def test_any_name_is_data(name: str) -> None:
    try:
        plan = Plan(name=name)
    except ValueError:
        return  # blank at an end, or a character that hides text
    assert load(dump(plan).encode()).name == name


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"", "cut off"),
        (dump(lab()).encode()[:-40], "cut off"),
        (dump(lab()).encode()[:200], "cut off"),
        (b"not json at all", "not JSON"),
        (b"\xff\xfe\x00", "not UTF-8"),
        (b"[]", "not a plan file"),
        (b'{"format": "other"}', "not a plan file"),
        (json.dumps(document(version=3)).encode(), "newer Kavrel"),
        (json.dumps(document(version="1")).encode(), "has errors"),
        (b"[" * 100_000, "nested too deeply"),
        (b" " * (9 * 2**20), "larger than"),
        (with_plan(name=float("nan")), "NaN"),
        (
            b'{"format": "kavrel-plan", "version": 1, "plan": {"name": ' + b"9" * 5000,
            "absurd|not JSON|cut",
        ),
        (with_plan(unheard_of=1), "no such field"),
        (with_plan(zone="Mars/Olympus"), "unknown time zone"),
        (with_plan(currency="euros"), "form that is not allowed"),
        (with_plan(name="two\nlines"), "line breaks"),
        (with_plan(name="\u202eevil"), "hide or reorder"),
        (with_plan(sites="none"), "tuple"),
    ],
)
def test_says_what_is_wrong_with_the_file(content: bytes, says: str) -> None:
    with pytest.raises(PlanFileError, match=says):
        load(content)


def disk_with(**changes: Any) -> bytes:
    disks = document()["plan"]["disks"]
    disks[0] = {**disks[0], **changes}
    return with_plan(disks=disks)


@pytest.mark.parametrize(
    ("changes", "place"),
    [
        ({"capacity_bytes": 0}, "plan.disks.0.capacity_bytes"),
        ({"capacity_bytes": -1}, "plan.disks.0.capacity_bytes"),
        ({"capacity_bytes": "4TB"}, "plan.disks.0.capacity_bytes"),
        ({"capacity_bytes": True}, "plan.disks.0.capacity_bytes"),
        ({"capacity_bytes": 10**30}, "plan.disks.0.capacity_bytes"),
        ({"capacity_bytes": 4.5}, "plan.disks.0.capacity_bytes"),
        ({"mb_per_s": "fast"}, "plan.disks.0.mb_per_s"),
        ({"mb_per_s": 0}, "plan.disks.0.mb_per_s"),
        ({"price_minor": -5}, "plan.disks.0.price_minor"),
        ({"label": ""}, "plan.disks.0.label"),
        ({"label": "x" * 300}, "plan.disks.0.label"),
        ({"label": "nul\u0000"}, "plan.disks.0.label"),
        ({"kind": "tape"}, "plan.disks.0.kind"),
        ({"id": "No Spaces"}, "plan.disks.0.id"),
        ({"yearly_failure_rate": 1.5}, "plan.disks.0.yearly_failure_rate"),
    ],
)
def test_a_bad_value_is_named_by_its_place(changes: dict[str, Any], place: str) -> None:
    with pytest.raises(PlanFileError) as caught:
        load(disk_with(**changes))
    assert place in dict(caught.value.complaints)


@pytest.mark.parametrize("day", ["2026-02-30", "2026-13-01", "30.1.2026", 0, 20260101, "tomorrow"])
def test_a_date_that_does_not_exist_is_refused(day: Any) -> None:
    entry = {"id": "l", "on": day, "kind": "scrub", "about_kind": "pool", "about": "main"}
    with pytest.raises(PlanFileError) as caught:
        load(with_plan(log=[entry]))
    assert caught.value.complaints[0][0] == "plan.log.0.on"


def test_contradictions_are_named_too() -> None:
    plan = document()["plan"]
    plan["pools"][0]["groups"] = [["box1", "box1", "box2"]]
    with pytest.raises(PlanFileError, match="twice in this pool"):
        load(with_plan(pools=plan["pools"]))


def test_the_schema_speaks_of_every_collection() -> None:
    found = schema()
    assert found["$schema"].endswith("2020-12/schema")
    assert set(found["$defs"]["Plan"]["properties"]) == set(Plan.model_fields)


OLD = Path(__file__).parent / "plans"


@pytest.mark.parametrize("name", ["version-1-demo.json", "version-1-let-through.json"])
def test_a_file_of_version_1_still_opens_with_everything_in_it(name: str) -> None:
    content = (OLD / name).read_bytes()
    plan = load(content)
    was, now = json.loads(content)["plan"], json.loads(dump(plan))["plan"]

    def kept(old: object, new: object) -> bool:
        """Whether all that stood there stands there still; what came since has its default."""
        if isinstance(old, dict) and isinstance(new, dict):
            return all(k in new and kept(v, new[k]) for k, v in old.items())
        if isinstance(old, list) and isinstance(new, list):
            return len(old) == len(new) and all(map(kept, old, new))
        return old == new

    assert kept(was, now)
    assert load(dump(plan).encode()) == plan
    assert evaluate(plan, TODAY).proof
