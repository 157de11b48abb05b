from datetime import date

from kavrel.core.assumptions import REGISTRY
from kavrel.core.evaluate import evaluate
from kavrel.core.plan import Plan
from kavrel.core.working import Working
from tests.builders import TODAY, assume, job, lab, result


def leaves(working: Working) -> list[Working]:
    return [working, *(x for i in working.inputs for x in leaves(i))]


def test_the_same_plan_and_day_give_the_same_answer(demo: Plan) -> None:
    assert evaluate(demo, TODAY).model_dump_json() == evaluate(demo, TODAY).model_dump_json()


def test_an_empty_plan_is_quiet() -> None:
    found = evaluate(Plan(name="empty"), TODAY)
    assert found.strip.usable_bytes == found.strip.cost_minor == found.strip.cautions == 0
    assert found.strip.loss_odds_5y == 0
    assert found.proof == ()


def test_every_figure_of_the_strip_is_the_root_of_its_working(demo: Plan) -> None:
    strip = evaluate(demo, TODAY).strip
    pairs = (
        (strip.usable_bytes, strip.usable),
        (strip.cost_minor, strip.cost),
        (strip.loss_odds_5y, strip.odds),
        (strip.worst_rpo_seconds, strip.rpo),
        (strip.worst_rto_seconds, strip.rto),
    )
    for value, figure in pairs:
        assert figure.working.value == value
        assert figure.working.unit
        assert figure.working.inputs


def test_sums_in_the_workings_add_up(demo: Plan) -> None:
    strip = evaluate(demo, TODAY).strip
    for figure in (strip.usable, strip.cost):
        parts = [i.value for i in figure.working.inputs]
        assert sum(p for p in parts if isinstance(p, int)) == figure.working.value


def test_what_is_left_on_a_pool_is_what_its_working_says(demo: Plan) -> None:
    for pool in evaluate(demo, TODAY).pools:
        usable, data, kept, copies, fill = (w.value for w in pool.room.inputs)
        assert all(isinstance(v, int) for v in (usable, data, kept, copies))
        left = int(usable or 0) - int(data or 0) - int(kept or 0) - int(copies or 0)
        assert pool.room.value == pool.left_bytes == max(left, 0)
        assert fill == pool.fill


def test_every_assumption_named_in_a_working_can_be_edited(demo: Plan) -> None:
    strip = evaluate(demo, TODAY).strip
    named = {
        leaf.assumption
        for figure in (strip.usable, strip.cost, strip.odds, strip.rpo, strip.rto)
        for leaf in leaves(figure.working)
        if leaf.assumption
    }
    assert named
    assert named <= set(REGISTRY)


def test_assumptions_have_a_source_and_sensible_bounds() -> None:
    for known in REGISTRY.values():
        assert known.source
        assert known.low <= known.default <= known.high, known.id
        assert known.label


def test_an_own_value_changes_the_figure_and_says_so() -> None:
    before = result(lab())
    after = result(lab(assumptions=assume(hdd_failure_rate=0.2)))
    assert after.strip.loss_odds_5y > before.strip.loss_odds_5y
    shown = next(a for a in after.assumptions if a.id == "hdd_failure_rate")
    assert shown.own
    assert shown.source == "set in this plan"
    assert shown.value == 0.2


def test_pools_without_data_do_not_count_for_the_odds() -> None:
    assert [i.name for i in result(lab()).strip.odds.working.inputs][:-1] == ["pool main"]


def test_it_can_be_asked_for_any_day() -> None:
    plan = lab(jobs=(job("r", kind="replication", target_pool="second"),))
    for day in (date(2000, 1, 1), date(2026, 3, 29), date(2099, 12, 31)):
        assert evaluate(plan, day).week.monday <= day
