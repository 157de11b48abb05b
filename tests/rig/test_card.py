"""A pool behind a hardware card: the system sees one disk, and the card's death is no disk's."""

from typing import Any

import pytest

from kavrel.core.edit import checked
from kavrel.core.index import Index
from kavrel.core.plan import Plan, Retention
from kavrel.core.seen.drift import drift
from kavrel.formats.looks.read import read_look
from kavrel.rig.live import lived, rig, tried
from kavrel.rig.looking import look
from tests.builders import daily, disk, job, lab
from tests.rig.comparing import BEGAN


def by_card(**more: Any) -> Plan:
    jobs = (
        job("far", "mirror", target_pool="second", schedule=daily("02:30"), retention=Retention()),
    )
    plan = lab(jobs=jobs)
    told = {"family": "card_mirror", "filesystem": "ext4", "groups": (("box1", "box2"),), **more}
    pools = tuple(p.model_copy(update=told) if p.id == "main" else p for p in plan.pools)
    disks = [disk(n, "box", serial=f"SN-{n}") for n in (1, 2, 3)]
    disks += [disk(n, "far", serial=f"FN-{n}") for n in (1, 2)]
    return checked(plan.model_copy(update={"pools": pools, "disks": tuple(disks)}))


def test_a_look_sees_one_disk_and_nothing_differs() -> None:
    with rig(by_card(), BEGAN) as days:
        assert [line for line in lived(days, 5).lines if not line.agrees] == []
        seen = read_look(look(days, "box"), days.lab.now).machine
    assert [d.serial for d in seen.disks if d.serial] == ["SN-3"]
    found = drift(Index(by_card()), "box", seen)
    assert found.differences == ()
    assert [x for x in found.unknown if "alone shows it" in x] == [
        "disk box 1: the card of pool main alone shows it",
        "disk box 2: the card of pool main alone shows it",
    ]


@pytest.mark.parametrize(
    ("more", "fate"),
    [
        ({}, "restored"),  # nothing here reads what it wrote
        ({"spare_card": True}, "down"),
        ({"card_readable": True}, "down"),
    ],
)
def test_a_card_dies_as_its_cell_says(more: dict[str, bool], fate: str) -> None:
    with rig(by_card(**more), BEGAN) as days:
        cells = tried(days)
    assert [c for c in cells if not c.agrees] == []
    (card,) = (c for c in cells if c.hazard == "controller_dies")
    assert card.predicted.startswith(fate)
    assert card.happened.startswith("back" if fate == "restored" else "stood")
