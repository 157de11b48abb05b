"""Whatever an edit leaves valid can be reckoned, and in time."""

import time

import pytest

from kavrel.core.evaluate import evaluate
from kavrel.core.plan import Plan
from tests.builders import TODAY, lab
from tests.fuzz import edits

MOST_SECONDS = 5.0  # on a busy machine; 2 s on a quiet one


def every_one_holds(plan: Plan, seed: int, count: int) -> None:
    for words, changed in edits(plan, seed, count):
        begin = time.process_time()
        try:
            evaluate(changed, TODAY)
        except Exception as error:
            raise AssertionError(words) from error
        assert time.process_time() - begin < MOST_SECONDS, words


@pytest.mark.parametrize("seed", [1, 2])
def test_an_edit_of_the_demo_at_the_edges_of_a_field(demo: Plan, seed: int) -> None:
    every_one_holds(demo, seed, 80)


def test_an_edit_of_a_small_lab_at_the_edges_of_a_field() -> None:
    every_one_holds(lab(), 3, 150)


@pytest.mark.prove
@pytest.mark.parametrize("seed", range(10, 14))
def test_thousands_of_edits(demo: Plan, seed: int) -> None:
    every_one_holds(demo, seed, 400)


def test_edits_on_top_of_one_another_hold_as_well(demo: Plan) -> None:
    plan = demo
    for number in range(25):
        words, plan = next(edits(plan, 100 + number, 1))
        try:
            evaluate(plan, TODAY)
        except Exception as error:
            raise AssertionError(words) from error
