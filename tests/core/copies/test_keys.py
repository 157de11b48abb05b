"""Where a key is and what takes it: the same as the proof finds."""

from typing import Any

import pytest

from kavrel.core.copies.keys import key_at, key_taken_by
from kavrel.core.index import Index
from tests.builders import job, lab, result

FAR: dict[str, Any] = {"kind": "backup", "target_pool": "second", "encrypted": True}
TITLES = {"box_lost": "box lost", "theft": "theft", "fire": "fire at home", "key_lost": "key lost"}


@pytest.mark.parametrize(
    ("places", "at", "taken"),
    [
        ((), "in the box alone", "box lost, theft, fire at home, key lost"),
        (("home",), "home", "fire at home, key lost"),
        (("away",), "away", "key lost"),
        (("home", "away"), "home, away", ""),
    ],
)
def test_a_key_goes_where_the_proof_says(places: tuple[str, ...], at: str, taken: str) -> None:
    plan = lab(jobs=(job("b", key_kept_at=places, **FAR),))
    assert (key_at(Index(plan), plan.jobs[0]), key_taken_by(Index(plan), plan.jobs[0])) == (
        at,
        taken,
    )
    found = result(plan)
    helpless = {
        TITLES[c.hazard]
        for c in found.proof
        if c.hazard in TITLES and not c.copies[0].usable and "key" in c.copies[0].why
    }
    assert helpless == {t for t in taken.split(", ") if t}


def test_without_encryption_there_is_no_key() -> None:
    plan = lab(jobs=(job("b", kind="backup", target_pool="second"),))
    assert (key_at(Index(plan), plan.jobs[0]), key_taken_by(Index(plan), plan.jobs[0])) == ("", "")
