"""The long questions: answered, told on the way, stopped, and refused where they name nothing."""

from typing import Any

import pytest
from pydantic import TypeAdapter, ValidationError

from kavrel.core.evaluate import Evaluation, evaluate
from kavrel.core.plan import Plan
from kavrel.core.progress import Stopped
from kavrel.core.questions import (
    BasketAnswer,
    FinderAnswer,
    GrowthAnswer,
    NotAskable,
    OddsAnswer,
    Question,
    ShuffleAnswer,
    answer,
)
from tests.builders import TODAY, lab

ASK: Any = TypeAdapter(Question)
CASES: dict[str, tuple[dict[str, Any], type]] = {
    "finder": ({"disks": ["box1", "box2", "box3"]}, FinderAnswer),
    "basket": ({"wish": {"usable_bytes": 10**13}}, BasketAnswer),
    "odds": ({"pools": ["main"], "years": 2, "lifetimes": 1000}, OddsAnswer),
    "growth": ({"pool": "main", "years": 1}, GrowthAnswer),
    "shuffle": ({}, ShuffleAnswer),
}


@pytest.fixture(scope="module")
def evaluated() -> tuple[Plan, Evaluation]:
    from tests.core.pools.test_growth import growing

    plan = growing()
    return plan, evaluate(plan, TODAY)


@pytest.mark.parametrize("kind", sorted(CASES))
def test_every_question_has_its_answer(kind: str, evaluated: tuple[Plan, Evaluation]) -> None:
    fields, expected = CASES[kind]
    found = answer(*evaluated, ASK.validate_python({"kind": kind, **fields}))
    assert isinstance(found, expected)
    # What went over the wire comes back the same.
    assert expected.model_validate_json(found.model_dump_json()) == found  # type: ignore[attr-defined]


@pytest.mark.parametrize("kind", ["finder", "odds", "growth"])
def test_progress_rises_and_a_no_stops_it(kind: str, evaluated: tuple[Plan, Evaluation]) -> None:
    question = ASK.validate_python({"kind": kind, **CASES[kind][0]})
    told: list[tuple[float, str]] = []

    def listen(share: float, word: str) -> bool:
        told.append((share, word))
        return True

    answer(*evaluated, question, listen)
    shares = [s for s, _ in told]
    assert shares == sorted(shares)
    assert all(0 <= s <= 1 for s in shares)
    assert all(word for _, word in told)
    with pytest.raises(Stopped):
        answer(*evaluated, question, lambda share, word: False)


@pytest.mark.parametrize(
    ("question", "says"),
    [
        ({"kind": "finder", "disks": ["box1", "nobody"]}, "each disk of the plan once"),
        ({"kind": "growth", "pool": "nowhere"}, "no pool nowhere"),
        ({"kind": "odds", "pools": ["nowhere"]}, "no pool nowhere"),
    ],
)
def test_what_is_not_there_is_said(
    question: dict[str, Any], says: str, evaluated: tuple[Plan, Evaluation]
) -> None:
    with pytest.raises(NotAskable, match=says):
        answer(*evaluated, ASK.validate_python(question))


def test_odds_without_any_pool_are_no_question() -> None:
    plan = lab(pools=(), datasets=(), shares=(), grants=())
    with pytest.raises(NotAskable, match="no pool yet"):
        answer(plan, evaluate(plan, TODAY), ASK.validate_python({"kind": "odds"}))


@pytest.mark.parametrize(
    "question",
    [
        {"kind": "finder", "disks": []},
        {"kind": "finder", "disks": ["box1"], "wish": {"usable_bytes": -1}},
        {"kind": "finder", "disks": ["box1"], "wish": {"bays": 0}},
        {"kind": "finder", "disks": ["box1"], "wish": {"filesystem": "ntfs"}},
        {"kind": "odds", "years": 11},
        {"kind": "growth", "pool": "main", "bays": 61},
        {"kind": "none"},
    ],
)
def test_a_malformed_question_is_refused(question: dict[str, Any]) -> None:
    with pytest.raises(ValidationError):
        ASK.validate_python(question)


def test_bays_of_the_host_are_those_that_purchases_may_fill(
    evaluated: tuple[Plan, Evaluation],
) -> None:
    found = answer(*evaluated, ASK.validate_python({"kind": "growth", "pool": "main", "years": 1}))
    assert isinstance(found, GrowthAnswer)
    assert found.bays == 6
    assert sum(p.disks for p in found.purchases.purchases) <= 6
