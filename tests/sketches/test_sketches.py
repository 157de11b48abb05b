"""Sketches: each is a consistent lab that proves, without a serious caution that leaves one alone."""

import pytest

from kavrel.core.consistency import problems
from kavrel.core.evaluate import evaluate
from kavrel.formats.papers import PAPERS
from kavrel.formats.servers.bundle import bundle
from kavrel.sketches import SKETCHES, AnswerError, draw
from tests.builders import TODAY


@pytest.mark.parametrize("sketch", SKETCHES)
def test_each_stands_and_has_no_serious_caution_without_a_way_out(sketch: str) -> None:
    plan = draw(sketch, {})
    assert not problems(plan)
    found = evaluate(plan, TODAY)
    alone = [(c.rule, c.name) for c in found.cautions if c.severity == "serious" and c.fix is None]
    assert alone == []
    assert found.strip.usable_bytes > 0
    # All that is lost for good in it is what was never tried, and that is said of each copy.
    lost = {
        c.hazard
        for c in found.proof
        if c.fate == "lost" and plan.datasets[0].worth == "irreplaceable"
    }
    worth = {d.id for d in plan.datasets if d.worth == "irreplaceable"}
    lost = {c.hazard for c in found.proof if c.fate == "lost" and c.dataset in worth}
    assert lost <= {"never_tried"}


@pytest.mark.parametrize("sketch", SKETCHES)
def test_its_papers_can_be_written(sketch: str) -> None:
    plan = draw(sketch, {})
    for host in plan.hosts:
        assert bundle(plan, host.id, "revision 1", TODAY)
    assert PAPERS["runbook.md"]


def test_there_are_seven_and_they_ask_for_sizes_and_names_alone() -> None:
    assert len(SKETCHES) == 7
    assert all(
        a.kind in ("disk", "data", "name", "people") for s in SKETCHES.values() for a in s.asks
    )


def test_answers_reach_the_plan() -> None:
    plan = draw(
        "four_bays",
        {
            "box": "Attic",
            "disk": "8TB",
            "photos": "2.5 TB",
            "people": "Mia, Leo zoe",
            "where": "the office",
        },
    )
    assert plan.hosts[0].name == "Attic"
    assert {d.capacity_bytes for d in plan.disks} == {8_001_563_222_016}
    assert plan.datasets[0].size_bytes == 2_500_000_000_000
    assert {a.login for a in plan.accounts} == {"mia", "leo", "zoe", "keeper"}
    assert "the office" in {s.name for s in plan.sites}


@pytest.mark.parametrize(
    ("ask", "text"),
    [
        ("disk", "four"),
        ("disk", "4TiB"),
        ("photos", "many"),
        ("photos", "9999 TB"),
        ("people", "ana ana"),
        ("people", "1 2"),
        ("box", "x" * 50),
        ("colour", "red"),
    ],
)
def test_an_answer_that_cannot_be_is_refused_at_its_question(ask: str, text: str) -> None:
    with pytest.raises(AnswerError) as told:
        draw("four_bays", {ask: text})
    assert told.value.ask == ask
