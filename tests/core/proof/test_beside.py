"""What stands beside the cells: signed risks, two plans compared, what comes back."""

from datetime import date, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.edit import put
from kavrel.core.plan import AcceptedRisk, Plan, Retention
from kavrel.core.proof.back import Back, BadDays, have_it_back
from kavrel.core.proof.compare import compare_cells
from kavrel.core.proof.hazards.hazard import Scene
from tests.builders import GB, TODAY, book, cell, daily, job, lab, result

FAR = {"kind": "replication", "target_pool": "second", "credentials": "target"}


def signed(plan: Plan, hazard: str) -> Plan:
    """The plan with one cell signed as it is."""
    risk = AcceptedRisk(
        id="r1",
        dataset="files",
        hazard=hazard,
        reason="we take it",
        on=TODAY,
        basis=cell(plan, hazard).basis,
    )
    return put(plan, "accepted", risk)


def test_a_signed_cell_is_no_longer_counted_as_lost() -> None:
    bare = lab(jobs=(job("s"),))
    before, after = result(bare).strip, result(signed(bare, "fire")).strip
    assert after.lost_for_good == before.lost_for_good - 1
    assert (before.accepted, after.accepted) == (0, 1)
    assert cell(signed(bare, "fire"), "fire").signed == "yes"
    lost = next(c for c in result(signed(bare, "fire")).cautions if c.rule == "lost_for_good")
    assert "fire at its site" not in lost.why


def test_a_signature_comes_back_when_the_plan_changes_under_it() -> None:
    plan = signed(lab(jobs=(job("r", **FAR),)), "fire")
    assert cell(plan, "fire").signed == "yes"
    weekly = plan.jobs[0].model_copy(
        update={"schedule": daily("01:00", every=7), "retention": Retention(all_days=60)}
    )
    changed = plan.model_copy(update={"jobs": (weekly,)})
    assert cell(changed, "fire").signed == "changed"
    assert "signature_out_of_date" in {c.rule for c in result(changed).cautions}
    assert cell(plan.model_copy(update={"jobs": ()}), "fire").signed == "changed"


def test_a_little_more_data_does_not_call_a_signature_back() -> None:
    plan = signed(lab(jobs=(job("r", **FAR),)), "fire")
    files = plan.datasets[0]
    grown = files.model_copy(update={"size_bytes": files.size_bytes + 2 * GB})
    assert cell(plan.model_copy(update={"datasets": (grown,)}), "fire").signed == "yes"


def test_two_plans_are_compared_cell_by_cell() -> None:
    bare, copied = lab(), lab(jobs=(job("r", **FAR),))
    found = compare_cells((bare, result(bare).proof), (copied, result(copied).proof))
    turns = {c.hazard: c.turn for c in found}
    assert turns["fire"] == "better"
    # A copy elsewhere can fall silent; without one nothing could.
    assert turns["offsite_silent"] == "worse"
    assert found[0].turn == "worse"
    back = {
        c.hazard: c.turn
        for c in compare_cells((copied, result(copied).proof), (bare, result(bare).proof))
    }
    assert back["fire"] == "worse"
    assert compare_cells((bare, result(bare).proof), (bare, result(bare).proof)) == []


def test_sooner_but_older_is_both() -> None:
    monthly = lab(jobs=(job("s", retention=Retention(daily=7, monthly=12)),))
    far = lab(jobs=(job("r", retention=Retention(daily=60), **FAR),))
    found = compare_cells((monthly, result(monthly).proof), (far, result(far).proof))
    assert {c.hazard: c.turn for c in found}["deleted"] == "mixed"


def back(plan: Plan, written: date, lost: date, noticed: date) -> Back:
    found = book(plan)
    return have_it_back(Scene(found.index, found, ()), "files", written, lost, noticed)


def test_the_newest_point_between_writing_and_loss_is_the_one() -> None:
    plan = lab(zone="UTC", jobs=(job("s", retention=Retention(daily=30)), job("r", **FAR)))
    found = back(plan, date(2026, 11, 1), date(2026, 11, 10), date(2026, 11, 24))
    snaps, far = found.copies
    # Written on the 1st at noon: nightly points from the 2nd to the 10th hold it.
    assert [p.day for p in snaps.points] == list(range(2, 11))
    assert snaps.newest is not None
    assert snaps.newest.day == 10
    assert snaps.loses_seconds == pytest.approx(11 * 3600)
    assert found.best == "s"  # as new as the other, and back sooner
    for copy in found.copies:
        hours = next(i.value for i in copy.working.inputs if i.name == "time to be back")
        assert hours == pytest.approx(copy.hours)
    assert far.hours is not None
    assert snaps.hours is not None
    assert snaps.hours < far.hours


def test_a_file_that_lived_between_two_points_is_in_none() -> None:
    weekly = job("s", schedule=daily("01:00", every=7), retention=Retention(daily=30))
    found = back(lab(jobs=(weekly,)), date(2026, 11, 17), date(2026, 11, 18), date(2026, 11, 24))
    assert found.best is None
    assert found.copies[0].points == ()
    assert found.copies[0].why == "no run fell between writing and loss"


def test_without_a_way_back_no_time_is_named() -> None:
    bare = lab(links=(), jobs=(job("r", **FAR),))
    found = back(bare, date(2026, 11, 1), date(2026, 11, 10), date(2026, 11, 24))
    assert found.best is None
    named = {str(i.value) for c in found.copies for i in c.working.inputs}
    assert "inf" not in found.model_dump_json()
    assert "inf" not in named


def test_noticed_too_late_it_says_so() -> None:
    short = lab(jobs=(job("s", retention=Retention(daily=5)),))
    found = back(short, date(2026, 9, 1), date(2026, 10, 1), date(2026, 11, 24))
    assert found.best is None
    assert found.copies[0].why == "the points that had it are pruned"
    # The curve ends where retention does.
    ends = [p.days for p in found.curves[0].points if p.seconds is not None]
    assert max(ends) < 7


@pytest.mark.parametrize(
    ("days", "field"),
    [((3, 1, 5), "lost_on"), ((1, 5, 3), "noticed_on")],
)
def test_days_out_of_order_are_refused_at_their_field(
    days: tuple[int, int, int], field: str
) -> None:
    with pytest.raises(BadDays) as error:
        back(lab(), *(date(2026, 11, d) for d in days))
    assert error.value.field == field


@given(st.integers(0, 60), st.integers(0, 60), st.integers(1, 40))
@settings(max_examples=30, deadline=None)
def test_noticing_later_never_brings_back_more(lived: int, late: int, kept: int) -> None:
    plan = lab(jobs=(job("s", retention=Retention(daily=kept)),))
    lost = TODAY - timedelta(days=70)
    written = lost - timedelta(days=lived)
    soon, later = (
        {p for c in back(plan, written, lost, lost + timedelta(days=d)).copies for p in c.points}
        for d in (late, late + 5)
    )
    assert later <= soon
