"""What is said of a plan is worked out once, and never told of another one."""

from kavrel.core.once import NEWEST, once_a_plan
from kavrel.core.plan import Plan


def test_it_is_worked_out_once_for_the_very_same_plan_and_let_go_with_newer_ones() -> None:
    asked: list[str] = []

    @once_a_plan
    def name(plan: Plan) -> str:
        asked.append(plan.name)
        return plan.name

    first = Plan(name="first")
    assert [name(first), name(first)] == ["first", "first"]
    assert asked == ["first"]
    # Alike is not the same: what an edit leaves alone is asked anew, and what it changes is not told of before.
    renamed = first.model_copy(update={"name": "other"})
    assert [name(renamed), name(first)] == ["other", "first"]
    name(first.model_copy())
    assert asked == ["first", "other", "first"]
    for n in range(NEWEST):
        name(Plan(name=f"newer {n}"))
    name(first)
    assert asked[-1] == "first"
