"""One cause is one caution, with its members and its one way out; what could cost most on top."""

from datetime import date

from kavrel.core.cautions.causes import ORDER
from kavrel.core.evaluate import evaluate
from kavrel.core.plan import DefaultLogin
from kavrel.demo import demo_plan
from tests.builders import dataset, job, lab, result


def test_every_finding_is_told_once_and_none_is_dropped() -> None:
    found = evaluate(demo_plan(), date(2026, 11, 24))
    told = [m for c in found.causes for m in (*c.members, *c.follows)]
    assert sorted(map(repr, told)) == sorted(map(repr, found.cautions))
    assert len({c.rule for c in found.causes}) == len(found.causes)
    assert found.strip.cautions == len(found.causes) < len(found.cautions) * 0.75
    order = [(ORDER[c.severity], -c.touches_money) for c in found.causes]
    assert order == sorted(order)
    assert found.strip.serious == sum(c.severity == "serious" for c in found.causes) <= 12


def test_default_passwords_count_once() -> None:
    login = DefaultLogin(id="l", host="box", service="web", login="admin")
    hosts = tuple(h.model_copy(update={"default_passwords_changed": False}) for h in lab().hosts)
    found = result(lab(hosts=hosts, default_logins=(login,))).causes
    rules = {c.rule: c for c in found}
    assert [m.about for m in rules["default_login"].members] == ["l"]
    # The box that the login is of is told there; the other box keeps its own.
    assert [f.about for f in rules["default_login"].follows] == ["box"]
    assert [m.about for m in rules["default_passwords"].members] == ["far"]


def test_what_has_no_copy_is_not_told_again_as_lost() -> None:
    found = {c.rule: c for c in result(lab()).causes}
    assert "lost_for_good" not in found
    assert {f.rule for f in found["no_copy"].follows} >= {"lost_for_good"}


def test_what_touches_more_worth_stands_above() -> None:
    other = dataset(id="b", name="b", worth="nuisance", size_bytes=1)
    plain = job("m", kind="replication", target_pool="second", datasets=("b",))
    causes = result(lab(datasets=(*lab().datasets, other), jobs=(plain,))).causes
    serious = [c for c in causes if c.severity == "serious"]
    assert serious[0].rule == "no_copy"
    assert serious[0].touches_money >= serious[-1].touches_money
