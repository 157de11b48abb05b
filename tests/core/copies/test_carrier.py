"""Which box starts a job, how followers are started, and whose root gets in where."""

from datetime import timedelta
from typing import Any

import pytest

from kavrel.core.copies.carrier import LOOKS_EVERY_MINUTES, Chain, chain, reached_from, root_ways
from kavrel.core.copies.flow import runs
from kavrel.core.index import Index
from kavrel.core.plan import Retention, Schedule
from kavrel.core.week.tasks import simulated
from tests.builders import TODAY, book, job, lab

FAR: dict[str, Any] = {"target_pool": "second"}
BEHIND: dict[str, Any] = {"schedule": Schedule(kind="after"), "after": "first"}


@pytest.mark.parametrize(
    ("first", "then", "how"),
    [
        ({"kind": "snapshot"}, {"kind": "backup", **FAR}, Chain("line")),
        # The far box pulls what has just been sent to it, or pulls from the box that ran first.
        (
            {"kind": "mirror", **FAR},
            {"kind": "backup", "credentials": "target", **FAR},
            Chain("seen", "far"),
        ),
        (
            {"kind": "snapshot"},
            {"kind": "mirror", "credentials": "target", **FAR},
            Chain("seen", "box"),
        ),
        # Here again goes on what the far box has pulled.
        (
            {"kind": "mirror", "credentials": "target", **FAR},
            {"kind": "backup", **FAR},
            Chain("seen", "far"),
        ),
        ({"kind": "snapshot"}, {"kind": "shelf", "target_disk": "loose9"}, Chain("hand")),
    ],
)
def test_followers_are_started_where_they_can_see_what_they_wait_for(
    first: dict[str, Any], then: dict[str, Any], how: Chain
) -> None:
    def made(key: str, **fields: Any) -> Any:
        kept = Retention() if fields["kind"] == "mirror" else Retention(last=3)
        return job(key, retention=kept, **fields)

    plan = lab(jobs=(made("first", **first), made("then", **then, **BEHIND)))
    assert chain(Index(plan), plan.jobs[1]) == how
    assert chain(Index(plan), plan.jobs[0]) is None


def test_a_follower_on_another_box_begins_when_it_looks_next() -> None:
    plan = lab(
        jobs=(
            job("first", kind="mirror", retention=Retention(), **FAR),
            job("then", kind="backup", reads_from="first", target_pool="main", **BEHIND),
        )
    )
    found = book(plan)
    day = TODAY + timedelta(days=1)
    before, after = (runs(found.flow(j), day, day)[-1] for j in plan.jobs)
    assert after.start - before.end == LOOKS_EVERY_MINUTES * 60
    week = {r.task: r for r in simulated(found, day, day)}
    # The fluid has it at work no earlier than that.
    assert week["then"].end - week["first"].end >= LOOKS_EVERY_MINUTES * 60


def test_root_gets_in_only_where_the_script_goes_by_ssh() -> None:
    plan = lab(
        jobs=(
            job("pulled", kind="mirror", credentials="target", retention=Retention(), **FAR),
            job("own", kind="backup", **FAR),
        )
    )
    # A repository's tool has an account of its own; the far box pulls as root.
    assert root_ways(plan) == {("far", "box")}
    assert reached_from(root_ways(plan), "far") == {"far", "box"}
    assert reached_from(root_ways(plan), "box") == {"box"}
    watched = plan.jobs[1].model_copy(update={"alarm_days": 2.0})
    told = lab(jobs=(plan.jobs[0], watched))
    # Its mark on the far box is left by the script.
    assert root_ways(told) == {("far", "box"), ("box", "far")}
