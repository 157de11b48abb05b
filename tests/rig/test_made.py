"""A lab that nobody has built yet is run as its setup.sh will leave it."""

from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest

from kavrel.core.edit import checked
from kavrel.core.index import Index
from kavrel.core.plan import Holding, LogEntry, Plan
from kavrel.core.seen.drift import drift
from kavrel.formats.looks.read import read_look
from kavrel.rig.days import Days
from kavrel.rig.lab import Lab
from kavrel.rig.live import lived, rig, tried
from kavrel.rig.looking import look
from kavrel.rig.made import as_made
from kavrel.sketches import SKETCHES, draw
from tests.builders import daily, job, lab
from tests.rig.comparing import BEGAN
from tests.rig.labs import drawn, landing, wide
from tests.seeds import some


@pytest.mark.parametrize("sketch", ["two_bays", "hypervisor", "fast_tier", "old_desktop"])
def test_a_sketch_is_run_before_anything_of_it_is_bought(sketch: str) -> None:
    plan = draw(sketch, {})
    assert not any(p.standing for p in plan.pools)
    with rig(plan, BEGAN, scripts=True) as days:
        found = lived(days, 9)
    assert found.pools_made == tuple(p.name for p in plan.pools)
    assert found.pools_left == ()
    assert len(found.lines) > 3
    assert [line for line in found.lines if not line.agrees] == []
    assert found.mails == ()


@pytest.mark.prove
@pytest.mark.parametrize("sketch", some(list(SKETCHES)))
def test_each_sketch_fares_as_its_proof_says(sketch: str) -> None:
    with rig(draw(sketch, {}), BEGAN, scripts=True) as days:
        cells = tried(days)
    assert sum(c.happened != "not tried" for c in cells) >= 15
    assert [c for c in cells if not c.agrees] == []


def wanted(**changes: Any) -> Plan:
    """The pools of the test lab, `second` yet to be made."""
    plan = lab()
    pools = tuple(p.model_copy(update={"standing": p.id == "main"}) for p in plan.pools)
    return checked(plan.model_copy(update={"pools": pools, **changes}))


def test_a_pool_is_made_where_nothing_is_lost_by_it() -> None:
    made = as_made(wanted())
    assert (made.pools, made.left) == (("second",), ())
    assert all(p.standing for p in made.plan.pools)
    first = wanted().pools[1].disks[0]
    held = Holding(id="h", disk=first, dataset="files", verified=True)
    left = as_made(wanted(holdings=(held,)))
    assert left.pools == ()
    assert "holds" in left.left[0]
    assert not left.plan.pools[1].standing
    disks = tuple(
        d.model_copy(update={"host": None, "bay": None}) if d.id == first else d
        for d in wanted().disks
    )
    away = as_made(wanted().model_copy(update={"disks": disks}))
    assert "is not in far" in away.left[0]
    card = wanted().pools[1].model_copy(update={"family": "card_mirror", "filesystem": "ext4"})
    by_hand = wanted().model_copy(update={"pools": (wanted().pools[0], card)})
    assert "in the card's own menu" in as_made(by_hand).left[0]
    with rig(by_hand, BEGAN) as days:  # the rest of the lab is run without it
        assert list(days.lab.boxes["box"].stores) == ["main"]


def test_what_spring_leaves_out_starts_when_the_hour_is_over() -> None:
    """Source: cron(8) of Debian, on changes of the clock by less than three hours."""
    nightly = job(
        "far", "replication", target_pool="second", schedule=daily("02:30"), catch_up=True
    )
    with rig(lab(jobs=(nightly,)), datetime(2027, 3, 26, tzinfo=UTC)) as days:
        spring = datetime(2027, 3, 28, 12, tzinfo=days.lab.zone)
        begins = {at for at, _, words in days.starts(spring) if words == ("--cron", "far")}
        assert datetime(2027, 3, 28, 1, tzinfo=UTC).timestamp() in begins
        found = lived(days, 4)
    assert [line for line in found.lines if not line.agrees] == []


def test_the_first_whole_archive_is_none_of_the_plan_s() -> None:
    """Days after the beginning it is still held beside those that the rules keep."""
    with rig(landing(4005), BEGAN) as days:
        found = lived(days, 10)
    assert [line for line in found.lines if not line.agrees] == []


@pytest.mark.parametrize(
    ("plan", "many"),
    [
        (drawn(6006), 38),  # weeks shift with the day on which it ends, and that ends at midnight
        (wide(5037), 16),  # on Saturday there is more to carry than on Sunday
        (landing(7027), 22),  # what does not fit is late, and the plan says so itself
    ],
)
def test_days_end_at_midnight_and_nothing_is_held_against_the_plan_that_it_says(
    plan: Plan, many: int
) -> None:
    with rig(plan, BEGAN) as days:
        found = lived(days, many)
        assert days.lab.local(days.lab.now).endswith("00:00")
    assert [line for line in found.lines if not line.agrees] == []


def rows_of(plan: Plan, days: Days, host: str) -> list[tuple[str, str]]:
    """What a look at a box says that the plan, which still wants its pools, does not."""
    seen = read_look(look(days, host), days.lab.now).machine
    rows = drift(Index(plan), host, seen).differences
    for row in rows:
        if row.field == "first copy":
            assert row.change is not None
            assert row.change.item["first_copy"] == "over_link"
    return [(row.name, row.field) for row in rows if row.field in ("standing", "first copy")]


def test_a_pool_that_a_look_finds_made_has_no_copy_in_it_before_a_run_is_known(
    tmp_path: Path,
) -> None:
    nightly = job("far", "replication", target_pool="second", schedule=daily("02:30"))
    plan = wanted(jobs=(nightly,))
    lab_of_it = Lab.built(as_made(plan).plan, tmp_path, BEGAN)
    # Nothing ran yet: whoever takes over that it stands is told of the copy as well.
    said = [("second", "standing"), ("far", "first copy")]
    assert rows_of(plan, Days(lab_of_it), "far") == said
    logged = LogEntry(
        id="l", kind="backup_run", about_kind="job", about="far", result="ok", on=BEGAN.date()
    )
    done = plan.model_copy(update={"log": (logged,)})
    assert rows_of(done, Days(lab_of_it), "far") == said[:1]
    with rig(plan, BEGAN) as days:  # its points are there: they came
        assert rows_of(plan, days, "far") == said[:1]
