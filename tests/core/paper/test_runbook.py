from kavrel.core.evaluate import evaluate
from kavrel.core.paper.document import SheetStep
from kavrel.core.paper.runbook import runbook
from kavrel.core.plan import Plan
from tests.builders import TODAY, lab, result


def test_work_comes_in_order_and_safety_first(demo: Plan) -> None:
    book = runbook(demo, evaluate(demo, TODAY), "revision 1")
    assert [s.title for s in book.sections] == [
        "Before anything",
        "Settle these first",
        "Bench",
        "Power",
        "Pools",
        "Shares",
        "Copies",
        "Proof",
        "Log: what is due",
    ]
    safety = " ".join(s.text for s in book.sections[0].steps)
    for word in ("mains plug", "power supply", "static", "card", "UPS", "licensed electrician"):
        assert word in safety


def test_wiping_steps_carry_their_warning_and_the_serials(demo: Plan) -> None:
    book = runbook(demo, evaluate(demo, TODAY), "revision 1")
    pools = next(s for s in book.sections if s.title == "Pools")
    create = [s for s in pools.steps if "create pool" in s.text]
    # What stands is looked for and never made again.
    assert len(create) == sum(not p.standing for p in demo.pools) == 1
    assert sum("look that pool" in s.text for s in pools.steps) == len(demo.pools) - 1
    wanted = demo.model_copy(
        update={"pools": tuple(p.model_copy(update={"standing": False}) for p in demo.pools)}
    )
    book = runbook(wanted, evaluate(wanted, TODAY), "revision 1")
    pools = next(s for s in book.sections if s.title == "Pools")
    create = [s for s in pools.steps if "create pool" in s.text]
    assert len(create) == len(demo.pools)
    for step in create:
        # A wanted pool on full disks is made by the run sheet, step by step.
        assert any("wipes" in mind or "run sheet" in mind for mind in step.minds)
        assert "serial" in step.text


def test_a_disk_that_holds_data_is_copied_first(demo: Plan) -> None:
    book = runbook(demo, evaluate(demo, TODAY), "revision 1")
    bench = next(s for s in book.sections if s.title == "Bench")
    (step,) = [s for s in bench.steps if s.text.startswith("D12")]
    assert "must survive" in step.minds[0]


def test_a_12_tb_disk_is_checked_in_about_18_hours(demo: Plan) -> None:
    # Common practice, no source: 12 TB at 185 MB/s averaged over the platter.
    def step_of(plan: Plan) -> SheetStep:
        book = runbook(plan, evaluate(plan, TODAY), "revision 1")
        bench = next(s for s in book.sections if s.title == "Bench")
        (found,) = [s for s in bench.steps if s.text.startswith("D7 ")]
        return found

    step = step_of(demo.model_copy(update={"log": ()}))
    assert step.hours is not None
    assert abs(step.hours - 18) < 0.2
    # The log says that this one has been through it: it is not checked again.
    assert step_of(demo).hours is None
    assert "checked on 2025-02-20" in step_of(demo).text


def test_an_empty_plan_leaves_only_the_safety_section() -> None:
    plan = Plan(name="empty")
    assert len(runbook(plan, evaluate(plan, TODAY), "r").sections) == 1


def test_sections_follow_the_plan() -> None:
    plan = lab()
    titles = [s.title for s in runbook(plan, result(plan), "r").sections]
    assert "Copies" not in titles
