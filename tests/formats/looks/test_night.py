"""What the script of the night was told on a box is held against the plan, field by field."""

import json
from datetime import date
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kavrel.core.edit import put
from kavrel.core.index import Index
from kavrel.core.plan import Job, Plan
from kavrel.core.seen.drifted import Drifted
from kavrel.core.seen.machine import Machine
from kavrel.demo.machines import Twist
from kavrel.formats.lab_jobs import lab_jobs
from kavrel.formats.looks.drifted import whole_drift
from kavrel.formats.looks.night import held
from kavrel.formats.looks.read import read_look
from tests.builders import lab
from tests.core.seen.test_points import machines
from tests.formats.looks.machines import look

TODAY = date(2026, 11, 24)


def told(text: str) -> Machine:
    return read_look(look("box", ("lab-jobs.json", "/etc/lab-jobs.json", text)), 0).machine


def rows(plan: Plan, host: str, change: Any) -> list[Drifted]:
    """Differences where the box's file is the plan's, as somebody changed its jobs."""
    document = json.loads(lab_jobs(plan, host, "r"))
    change(document["jobs"])
    machine = told(json.dumps(document, indent=1))
    found = whole_drift(Index(plan), host, machine, TODAY).differences
    return [d for d in found if d.command.startswith("cp lab-jobs.json /etc/  # in")]


def test_the_file_of_the_plan_itself_differs_in_nothing(demo: Plan) -> None:
    for host in demo.hosts:
        assert rows(demo, host.id, lambda jobs: None) == []


def test_a_dataset_that_the_boxs_job_does_not_know_is_urgent(demo: Plan) -> None:
    """The plan got a dataset more, its bundle stayed where it was: the proof counts on it all the same."""
    (row,) = rows(demo, "heron", lambda jobs: jobs["ridge-snapshots"]["sets"].pop())
    assert (row.collection, row.about, row.field, row.urgent) == (
        "jobs",
        "ridge-snaps",
        "takes points of",
        True,
    )
    assert len(row.planned) > len(row.seen)
    (more,) = rows(demo, "heron", lambda jobs: jobs["ridge-snapshots"]["sets"].append("ridge/old"))
    assert not more.urgent


def test_what_is_kept_and_when_is_said_in_the_plans_own_words(demo: Plan) -> None:
    def older(jobs: dict[str, Any]) -> None:
        jobs["papers-vault"]["retention"] = {"last": 3}
        jobs["papers-vault"]["schedule"]["at"] = "23:30"
        jobs["papers-vault"]["title"] = "another word for it"

    found = rows(demo, "dipper", older)
    said = {(d.name, d.field): (d.planned, d.seen) for d in found}
    name = next(j.name for j in demo.jobs if j.id == "papers-vault")
    assert said == {
        (name, "keeps"): ("7 daily + 2 weekly + 12 monthly + 1 yearly", "the last 3"),
        (name, "starts"): ("every day at 02:00", "every day at 23:30"),
    }
    # The other way out: the plan takes what is there, and nothing differs any more.
    plan = demo
    for row, field in zip(found, ("schedule", "retention"), strict=True):
        assert row.change
        job = Job.model_validate(row.change.item, strict=False)
        mine = next(j for j in plan.jobs if j.id == job.id)
        plan = put(plan, "jobs", mine.model_copy(update={field: getattr(job, field)}))
    assert rows(plan, "dipper", lambda jobs: None) == []
    there = json.loads(lab_jobs(demo, "dipper", "r"))["jobs"]
    older(there)
    mine = json.loads(lab_jobs(plan, "dipper", "r"))["jobs"]["papers-vault"]
    assert {**there["papers-vault"], "title": mine["title"]} == mine


def test_times_that_the_timer_has_said_already_are_said_once(demo: Plan) -> None:
    machine = machines(demo, dipper=Twist(at={"papers-vault": "23:30"}))["dipper"]
    assert "lab-jobs.json" in machine.files
    found = whole_drift(Index(demo), "dipper", machine, TODAY).differences
    assert [(d.about, d.field) for d in found if d.collection == "jobs"] == [
        ("papers-vault", "starts")
    ]


def test_a_job_that_the_script_was_never_told_of_is_missing(demo: Plan) -> None:
    (row,) = rows(demo, "dipper", lambda jobs: jobs.pop("mill-snapshots"))
    assert (row.verdict, row.about, row.urgent) == ("missing", "mill-snaps", True)


@pytest.mark.parametrize("text", ["[]", '{"jobs": 3}', '{"jobs": {"a": 1}}', '{"host": "x", "jo'])
def test_a_file_that_is_none_is_said_to_be_none(demo: Plan, text: str) -> None:
    (row,) = whole_drift(Index(demo), "dipper", told(text), TODAY).differences
    assert (row.name, row.seen) == ("lab-jobs.json", "it is no such file")


ANYTHING = st.recursive(
    st.none() | st.booleans() | st.floats() | st.text(max_size=400) | st.integers(),
    lambda inner: (
        st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=9), inner, max_size=3)
    ),
    max_leaves=8,
)


@given(
    value=ANYTHING,
    field=st.sampled_from(["retention", "schedule", "sets", "mounted", "kind", "odd"]),
)
def test_whatever_stands_there_is_shown_and_never_raises(
    demo: Plan, value: Any, field: str
) -> None:
    def changed(jobs: dict[str, Any]) -> None:
        jobs["mill-snapshots"][field] = value

    for row in rows(demo, "dipper", changed):
        assert row.planned != row.seen
        assert len(row.seen) < 400


def test_a_pool_that_was_made_since_changes_nothing_of_its_scrub() -> None:
    """The file came in the bundle that made the pool, and says that it was wanted then."""
    pools = tuple(p.model_copy(update={"standing": False}) for p in lab().pools)
    before = lab_jobs(lab(pools=pools), "box", "revision 1")
    assert '"wanted": true' in before
    agreed = held(Index(lab()), "box", lab_jobs(lab(), "box", "revision 2"), ())
    assert held(Index(lab()), "box", before, ()) == agreed
    assert agreed[0] == []
